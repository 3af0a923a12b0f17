"""Ways of being known: tokens of scripts, sessions that can be seen and ended, links to choose a password by."""

from __future__ import annotations

from datetime import timedelta
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase
from tests.support import template

template()

from django.test import Client, override_settings  # noqa: E402
from django.utils import timezone  # noqa: E402

from vexo.server.installation.models import InstallationSettings  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.people import access_tokens, services, sessions  # noqa: E402
from vexo.server.people.models import AccessToken, Misses, Person, Session  # noqa: E402

GOOD = "a-long-enough-secret"


class AccessCase(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"]))
        Session.objects.all().delete()
        AccessToken.objects.all().delete()
        InstallationSettings.objects.all().delete()
        Misses.objects.all().delete()

    def someone(self, name: str, role: str = "operator") -> Person:
        known = Person.objects.filter(username=name).first()
        return known or services.add(self.person, name, f"The {name}", role, GOOD)

    def signed_in(self, name: str = "ada", **headers: str) -> Client:
        if name == "ada" and not self.person.check_password(GOOD):
            self.person.set_password(GOOD)
            self.person.save()
        client = Client(raise_request_exception=False, headers=headers)
        answer = client.post("/api/session", {"username": name, "password": GOOD}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return client

    def script(self, text: str, **more: Any) -> Client:
        return Client(raise_request_exception=False, headers={"Authorization": f"Bearer {text}"}, **more)

    def send(self, client: Client, method: str, path: str, body: Any = None) -> Any:
        return getattr(client, method)(f"/api/{path}", body or {}, content_type="application/json")


class Tokens(AccessCase):
    def test_a_token_is_told_once_and_is_worth_its_person_s_rights_without_a_session(self) -> None:
        client = self.signed_in()
        made = self.send(client, "post", "access/tokens", {"name": "nightly", "role": "preparer", "days": 30})
        self.assertEqual(made.status_code, 201, made.content)
        text = made.json()["token"]
        self.assertNotIn(text, client.get("/api/access").content.decode())
        self.assertNotIn(text, AccessToken.objects.get().digest)
        # Checked as other pages would be: a script has no cookie and needs none.
        script = self.script(text, enforce_csrf_checks=True)
        self.assertEqual(script.get("/api/session").json()["person"]["username"], "ada")
        made = self.send(script, "post", "access/tokens", {})
        self.assertEqual(made.json()["code"], "rights", "refused for what it is, not for a cookie that is missing")
        self.assertNotIn("sessionid", script.cookies)
        self.assertIsNotNone(AccessToken.objects.get().used_at)

    def test_its_role_caps_what_it_may_and_its_person_s_role_does_too(self) -> None:
        _, text = access_tokens.make_token(self.person, "low", "preparer", 1)
        low = self.script(text)
        self.assertEqual(low.get("/api/session").json()["person"]["may"], ["look", "prepare", "apply to practice"])
        self.assertEqual(low.get("/api/people").status_code, 403)
        self.assertEqual(low.get("/api/access").status_code, 200)
        kit = self.someone("kit", "operator")
        _, text = access_tokens.make_token(kit, "high", "operator", 1)
        services.set_role(self.person, "kit", "viewer")
        self.assertEqual(self.script(text).get("/api/session").json()["person"]["may"], ["look"])
        self.assertEqual(Person.objects.get(username="ada").role, "administrator")
        with self.assertRaisesRegex(Exception, "no more than its person"):
            access_tokens.make_token(Person.objects.get(username="kit"), "more", "administrator", 1)

    def test_it_ends_by_time_by_being_withdrawn_and_with_its_person(self) -> None:
        noor = self.someone("noor")
        texts = [access_tokens.make_token(noor, f"t{n}", "viewer", 2)[1] for n in range(3)]
        self.assertEqual([self.script(text).get("/api/trips").status_code for text in texts], [200] * 3)
        number = AccessToken.objects.get(name="t1").pk
        self.assertEqual(self.send(self.script(texts[0]), "delete", f"access/tokens/{number}").status_code, 204)
        refused = self.script(texts[1]).get("/api/trips")
        self.assertEqual((refused.status_code, refused["WWW-Authenticate"]), (401, 'Bearer realm="vexo"'))
        self.assertIn("withdrawn", refused.json()["detail"])
        with patch("vexo.server.people.access_tokens.timezone.now", return_value=timezone.now() + timedelta(days=3)):
            self.assertEqual(self.script(texts[0]).get("/api/trips").status_code, 401)
        services.remove(self.person, "noor")
        self.assertEqual(self.script(texts[2]).get("/api/trips").status_code, 401)

    def test_a_wrong_token_is_refused_even_beside_a_session(self) -> None:
        client = self.signed_in()
        for text in ("", "vexo_nothing", "x" * 5000, "ß"):
            answer = client.get("/api/trips", headers={"Authorization": f"Bearer {text}"})
            self.assertEqual(answer.status_code, 401, text[:20])
        self.assertEqual(client.get("/api/trips", headers={"Authorization": "Basic YTpi"}).status_code, 200)

    def test_a_token_makes_no_token_and_no_password_and_signs_nobody_out(self) -> None:
        _, text = access_tokens.make_token(self.person, "all", "administrator", 1)
        script = self.script(text)
        for method, path, body in (
            ("post", "access/tokens", {"name": "child", "role": "viewer"}),
            ("put", "session/password", {"old": GOOD, "new": f"{GOOD}-2"}),
            ("delete", "access/sessions", {}),
        ):
            answer = self.send(script, method, path, body)
            self.assertEqual((answer.status_code, answer.json()["code"]), (403, "rights"), path)
            self.assertIn("A token cannot do that", answer.json()["detail"])
        self.assertEqual(AccessToken.objects.count(), 1)

    def test_an_administrator_s_token_changes_nobody_s_way_in_either(self) -> None:
        self.someone("pia")
        signed_in = self.signed_in("pia")
        _, text = access_tokens.make_token(self.person, "all", "administrator", 1)
        script = self.script(text)
        for method, path, body in (
            ("post", "people", {"username": "eve", "name": "Eve", "role": "administrator", "password": GOOD}),
            ("patch", "people/pia", {"password": f"{GOOD}-2"}),
            ("patch", "people/pia", {"role": "administrator"}),
            ("patch", f"people/{self.person.username}", {"password": f"{GOOD}-2"}),
            ("post", "people/pia/link", {}),
            ("delete", "people/pia/access", {}),
            ("delete", "people/pia", {}),
        ):
            answer = self.send(script, method, path, body)
            self.assertEqual((answer.status_code, answer.json()["code"]), (403, "rights"), path)
            self.assertIn("A token cannot do that", answer.json()["detail"])
        self.assertFalse(Person.objects.filter(username="eve").exists())
        self.assertEqual(signed_in.get("/api/trips").status_code, 200)
        self.assertEqual(
            [script.get(f"/api/{path}").status_code for path in ("people", "people/pia/access")], [200, 200]
        )

    def test_names_days_and_roles_are_looked_at(self) -> None:
        client = self.signed_in()
        wrong: list[dict[str, Any]] = [
            {"name": "", "role": "viewer"},
            {"name": "a", "role": "king"},
            {"name": "a", "role": "viewer", "days": 0},
            {"name": "a", "role": "viewer", "days": 400},
            {"name": "a", "role": "viewer", "dayz": 4},
            {"name": "x" * 61, "role": "viewer"},
        ]
        for body in wrong:
            self.assertIn(self.send(client, "post", "access/tokens", body).status_code, (400, 422), body)
        self.assertEqual(self.send(client, "post", "access/tokens", {"name": "One", "role": "viewer"}).status_code, 201)
        self.assertEqual(
            self.send(client, "post", "access/tokens", {"name": " one", "role": "viewer"}).status_code, 422
        )

    def test_nobody_sees_or_withdraws_another_s_but_an_administrator(self) -> None:
        noor, kit = self.someone("nora"), self.someone("kim")
        token, _ = access_tokens.make_token(noor, "hers", "viewer", 1)
        client = Client()
        client.force_login(kit)
        self.assertEqual(client.get("/api/people/nora/access").status_code, 403)
        self.assertEqual(self.send(client, "delete", f"access/tokens/{token.pk}").status_code, 422)
        self.assertEqual(self.send(client, "delete", f"people/nora/access/tokens/{token.pk}").status_code, 403)
        ada = self.signed_in()
        self.assertEqual([one["name"] for one in ada.get("/api/people/nora/access").json()["tokens"]], ["hers"])
        self.assertEqual(self.send(ada, "delete", f"people/nora/access/tokens/{token.pk}").status_code, 204)
        self.assertEqual(self.send(ada, "delete", f"people/nora/access/tokens/{token.pk}").status_code, 422)


class WayIn(AccessCase):
    def last(self, what: str) -> Entry:
        return Entry.objects.filter(what=what).order_by("-id")[0]

    def test_each_entry_tells_the_way_and_work_in_the_background_that_of_who_asked(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-003,by whom\n")
        _, text = access_tokens.make_token(self.person, "nightly", "administrator", 1)
        for client, way in ((self.script(text), "token nightly"), (self.signed_in(), "browser")):
            answer = self.send(client, "post", f"trips/{trip.pk}/plan")
            self.assertIn(answer.status_code, (200, 202), answer.content)
            from vexo.server.jobs.models import Job
            from vexo.server.jobs.worker import run_inline

            job = Job.objects.order_by("-id")[0]
            self.assertEqual(job.way, way)
            self.assertEqual(run_inline(job).error, "")
            self.assertEqual(self.last("planned").way, way)
        told = self.vexo.json("--as", "ada", "plan", str(trip.pk))
        self.assertNotIn("error", told)
        import os
        import pwd

        self.assertEqual(self.last("planned").way, f"command line, {pwd.getpwuid(os.getuid()).pw_name}")

    def test_one_request_s_way_is_not_the_next_one_s(self) -> None:
        _, text = access_tokens.make_token(self.person, "once", "viewer", 1)
        self.script(text).get("/api/journal.csv")
        self.assertEqual(self.last("downloaded").way, "token once")
        client = Client()
        client.force_login(self.person)
        client.get("/api/journal.csv")
        self.assertEqual(self.last("downloaded").way, "browser")
        self.assertIn('"way"', client.get("/api/journal").content.decode())


class Sessions(AccessCase):
    def test_one_sees_where_one_is_signed_in_and_ends_one_or_all_others(self) -> None:
        here = self.signed_in(user_agent="Here")
        there = [self.signed_in(user_agent=f"There {n}") for n in range(3)]
        seen = here.get("/api/access").json()["sessions"]
        self.assertEqual(sorted(one["browser"] for one in seen), ["Here", "There 0", "There 1", "There 2"])
        self.assertEqual([one["browser"] for one in seen if one["this"]], ["Here"])
        number = next(one["number"] for one in seen if one["browser"] == "There 1")
        self.assertEqual(self.send(here, "delete", f"access/sessions/{number}").json(), {"ended": 1})
        self.assertEqual(self.send(here, "delete", f"access/sessions/{number}").status_code, 422)
        self.assertEqual([c.get("/api/trips").status_code for c in there], [200, 401, 200])
        self.assertEqual(self.send(here, "delete", "access/sessions").json(), {"ended": 2})
        self.assertEqual([c.get("/api/trips").status_code for c in (*there, here)], [401, 401, 401, 200])

    def test_of_another_s_sessions_one_can_end_none_but_as_an_administrator_all(self) -> None:
        self.someone("olga")
        olga, ada = self.signed_in("olga"), self.signed_in()
        number = ada.get("/api/people/olga/access").json()["sessions"][0]["number"]
        self.assertEqual(self.send(ada, "delete", f"access/sessions/{number}").status_code, 422)
        self.assertEqual(self.send(olga, "delete", "people/ada/access").status_code, 403)
        self.assertEqual(self.send(ada, "delete", "people/olga/access").json(), {"ended": 1})
        self.assertEqual(olga.get("/api/trips").status_code, 401)
        self.assertEqual(ada.get("/api/trips").status_code, 200)

    def test_a_session_at_which_nobody_is_ends_though_its_page_asks_by_itself(self) -> None:
        InstallationSettings.objects.create(pk=1, idle_minutes=30)
        client = self.signed_in()
        began = timezone.now()

        def later(minutes: float, idle: int) -> int:
            with patch("vexo.server.people.sessions.timezone.now", return_value=began + timedelta(minutes=minutes)):
                return int(client.get("/api/trips", headers={"Vexo-Idle": str(idle)}).status_code)

        self.assertEqual(later(29, 0), 200)
        self.assertEqual(later(45, 16 * 60), 200, "used 16 minutes ago")
        self.assertEqual(later(60, 31 * 60), 401, "the page asked all the time, nobody was there")
        self.assertEqual(client.get("/api/trips").status_code, 401)

    def test_odd_idle_times_and_a_clock_set_back_lengthen_nothing(self) -> None:
        InstallationSettings.objects.create(pk=1, idle_minutes=30)
        client = self.signed_in()
        for odd in ("-5", "1e9", "²", "x", "99999999999"):
            self.assertEqual(client.get("/api/trips", headers={"Vexo-Idle": odd}).status_code, 200)
        ahead = timezone.now() + timedelta(days=300)
        with patch("vexo.server.people.sessions.timezone.now", return_value=ahead):
            fresh = self.signed_in()
        self.assertEqual(fresh.get("/api/trips").status_code, 200)
        with patch("vexo.server.people.sessions.timezone.now", return_value=timezone.now() + timedelta(minutes=32)):
            self.assertEqual(fresh.get("/api/trips").status_code, 401)

    def test_without_a_limit_none_ends_and_the_default_is_half_a_day(self) -> None:
        client = self.signed_in()
        with patch("vexo.server.people.sessions.timezone.now", return_value=timezone.now() + timedelta(minutes=721)):
            self.assertEqual(client.get("/api/trips").status_code, 401)
        InstallationSettings.objects.create(pk=1, idle_minutes=0)
        client = self.signed_in()
        with patch("vexo.server.people.sessions.timezone.now", return_value=timezone.now() + timedelta(days=9)):
            self.assertEqual(client.get("/api/trips").status_code, 200)

    def test_a_new_password_keeps_the_session_that_gave_it_in_the_list(self) -> None:
        client = self.signed_in(user_agent="Here")
        answer = self.send(client, "put", "session/password", {"old": GOOD, "new": f"{GOOD}-2"})
        self.assertEqual(answer.status_code, 204, answer.content)
        told = [one for one in client.get("/api/access").json()["sessions"] if one["this"]]
        self.assertEqual([one["browser"] for one in told], ["Here"])
        self.person.refresh_from_db()

    def test_a_session_s_key_stands_in_no_row(self) -> None:
        client = self.signed_in()
        key = client.cookies["sessionid"].value
        row = Session.objects.get(person=self.person)
        self.assertNotIn(key, (row.session_key, row.session_data))
        self.assertNotEqual(sessions.public_number(row), key[:12])


class Links(AccessCase):
    def choose(self, link: str, password: str = f"{GOOD}-new", username: str = "pia") -> Any:
        body = {"username": username, "link": link, "password": password}
        return self.send(Client(raise_request_exception=False), "post", "session/link", body)

    def test_a_link_is_good_once_for_its_person_and_for_a_day(self) -> None:
        ada = self.signed_in()
        body = {"username": "pia", "name": "Pia Reedmace", "role": "viewer"}
        self.assertEqual(self.send(ada, "post", "people", body).status_code, 201)
        for password in ("", "!", GOOD):
            answer = self.send(Client(), "post", "session", {"username": "pia", "password": password})
            self.assertEqual(answer.status_code, 400, "without a password nobody comes in")
        Misses.objects.all().delete()
        path = self.send(ada, "post", "people/pia/link").json()["path"]
        name, _, link = path.partition("#")[2].partition("/")
        self.assertEqual(name, "pia")
        self.assertEqual(self.choose(link, "short").status_code, 422)
        self.assertEqual(self.choose(link, username="ada").status_code, 422)
        self.assertEqual(self.choose(f"{link}x").status_code, 422)
        self.assertEqual(self.choose(link).status_code, 204)
        self.assertEqual(self.choose(link, f"{GOOD}-other").json()["code"], "link")
        answer = self.send(Client(), "post", "session", {"username": "pia", "password": f"{GOOD}-new"})
        self.assertEqual(answer.status_code, 200)
        told = [entry.message for entry in Entry.objects.filter(what="people").order_by("-id")[:2]]
        self.assertEqual(told, ["pia chose a password by a link", "Made a link with which pia chooses a password"])

    def test_it_is_too_old_after_a_day_and_void_after_a_sign_in(self) -> None:
        self.someone("quin")
        ada = self.signed_in()
        old = self.send(ada, "post", "people/quin/link").json()["path"].rpartition("/")[2]
        with override_settings(PASSWORD_RESET_TIMEOUT=-1):
            self.assertEqual(self.choose(old, username="quin").status_code, 422)
        self.signed_in("quin")
        self.assertEqual(self.choose(old, username="quin").status_code, 422)

    def test_guessing_links_is_slowed_down_and_only_administrators_make_them(self) -> None:
        client = Client()
        client.force_login(self.someone("rosa"))
        self.assertEqual(self.send(client, "post", "people/ada/link").status_code, 403)
        codes = [self.choose("guess", username="rosa").status_code for _ in range(6)]
        self.assertEqual((codes[0], codes[-1]), (422, 429))
