"""Single sign-on, against a provider that tells the truth and one that lies in each way it could."""

from __future__ import annotations

import os
from typing import Any
from unittest.mock import patch
from urllib.parse import parse_qs, urlsplit

import httpx
from joserfc.jwk import OctKey, RSAKey

from tests.oidc_provider import CLIENT, SECRET, Provider
from tests.server.services import ServiceCase
from tests.support import template

template()

from django.test import Client, override_settings  # noqa: E402

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.people import services, sso  # noqa: E402
from vexo.server.people.models import Person  # noqa: E402
from vexo.server.people.sso_settings import sso_settings  # noqa: E402

GOOD = "a-long-enough-secret"
ROLES = "office=preparer, harbour-masters=operator,registry=administrator"


class SingleSignOn(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"]))
        self.provider = Provider()
        self.addCleanup(self.provider.close)
        sso._known.clear()
        self.enterContext(patch.dict("os.environ", self.settings()))
        self.provider.person = {
            "sub": "s-1",
            "preferred_username": "marit",
            "name": "Marit Reedmace",
            "groups": ["office"],
        }
        Person.objects.exclude(username="ada").delete()
        self.person.set_password(GOOD)
        self.person.save()

    def settings(self, **more: str) -> dict[str, str]:
        return {
            "VEXO_OIDC_ISSUER": self.provider.issuer,
            "VEXO_OIDC_CLIENT": CLIENT,
            "VEXO_OIDC_SECRET": SECRET,
            "VEXO_OIDC_ROLES": ROLES,
            "VEXO_OIDC_LABEL": "Saltmarsh sign-in",
            **more,
        }

    def come_in(self, client: Client | None = None, **change: str) -> tuple[Client, dict[str, Any]]:
        """The whole way of a browser; what the session says at its end. ``change`` is put into the address that the
        provider sends it back to."""
        client = client or Client()
        away = client.get("/api/sso/start")
        if away["Location"] == "/":
            return client, client.get("/api/session").json()
        back = urlsplit(httpx.get(away["Location"], trust_env=False).headers["Location"])
        query = {name: values[0] for name, values in parse_qs(back.query).items()} | change
        answer = client.get(back.path, query)
        self.assertEqual((answer.status_code, answer["Location"]), (302, "/"))
        session: dict[str, Any] = client.get("/api/session").json()
        return client, session

    def refused(self, words: str, **change: str) -> None:
        before = Person.objects.count()
        client, session = self.come_in(**change)
        self.assertIsNone(session["person"])
        self.assertIn(words, session["sso"]["trouble"])
        self.assertEqual(client.get("/api/session").json()["sso"]["trouble"], "", "said once")
        self.assertEqual(Person.objects.count(), before)

    def test_somebody_new_comes_in_with_the_role_of_their_groups_and_is_known_again(self) -> None:
        self.assertEqual(Client().get("/api/session").json()["sso"]["provider"], "Saltmarsh sign-in")
        client, session = self.come_in()
        self.assertEqual((session["person"]["username"], session["person"]["role"]), ("marit", "preparer"))
        self.assertIsNone(session["sso"])
        self.assertEqual(client.get("/api/trips").status_code, 200)
        told = [entry.message for entry in Entry.objects.order_by("-id")[:2]]
        self.assertEqual(told[1], "Added marit, preparer, by single sign-on")
        self.assertIn("Signed in by single sign-on from 127.0.0.1", told[0])
        self.provider.person |= {"preferred_username": "marit.renamed", "groups": ["office", "harbour-masters", "else"]}
        _, session = self.come_in()
        self.assertEqual((session["person"]["username"], session["person"]["role"]), ("marit", "operator"))
        self.assertEqual(Person.objects.filter(username__startswith="marit").count(), 1)
        self.provider.person["groups"] = "office"
        self.assertEqual(self.come_in()[1]["person"]["role"], "preparer")
        self.assertFalse(Person.objects.get(username="marit").has_usable_password())

    def test_without_a_group_that_has_a_role_nobody_comes_in_and_who_was_in_is_not_any_more(self) -> None:
        for groups in ([], ["others"], None, {"office": 1}, ["OFFICE"]):
            self.provider.person["groups"] = groups
            self.refused("None of your groups")
        del self.provider.person["groups"]
        self.refused("None of your groups")
        self.provider.person["groups"] = ["office"]
        self.come_in()
        self.provider.person["groups"] = []
        self.refused("None of your groups")

    def test_a_name_alone_makes_nobody_somebody_else(self) -> None:
        self.provider.person["preferred_username"] = "ada"
        self.refused("is somebody else's here")
        services.add(self.person, "kit", "Kit", "operator", GOOD)
        for name in ("kit", "KIT"):
            self.provider.person["preferred_username"] = name
            self.refused("is somebody else's here")
        self.provider.person["preferred_username"] = "marit"
        self.come_in()
        self.provider.person |= {"sub": "s-2"}
        self.refused("is somebody else's here")

    def test_a_name_that_could_be_read_as_another_s_is_not_taken_from_the_provider_either(self) -> None:
        services.add(self.person, "eva", "Éva Ström", "viewer")
        for at, (name, known_as) in enumerate(
            {
                "Vexo": "Vexo (m-0)",
                "command line": "command line (m-1)",
                "\u0430da Quillfeather": "m-2",
                "éva ström": "éva ström (m-3)",
                "Marit\u202eecamdeeR": "m-4",
                "": "m-5",
            }.items()
        ):
            self.provider.person |= {"sub": f"s-{at + 10}", "preferred_username": f"m-{at}", "name": name}
            _, session = self.come_in()
            self.assertEqual(session["person"]["name"], known_as)
        self.provider.person |= {"sub": "s-30", "preferred_username": "Vexo", "name": "Marit"}
        self.refused("Nobody can be called Vexo here")
        with self.assertRaises(PlainError):
            services.add(self.person, "eva2", "ÉVA STRÖM", "viewer")

    def test_somebody_who_was_added_without_a_password_is_who_the_provider_calls_so(self) -> None:
        services.add(self.person, "marit", "Marit R.", "viewer")
        _, session = self.come_in()
        self.assertEqual((session["person"]["name"], session["person"]["role"]), ("Marit R.", "preparer"))

    def test_who_was_removed_stays_out(self) -> None:
        self.come_in()
        services.remove(self.person, "marit")
        self.refused("Your access was removed here")
        self.provider.person["sub"] = "s-9"
        self.refused("is somebody else's here")

    def test_neither_the_first_nor_the_last_administrator_loses_it_by_a_group(self) -> None:
        self.provider.person = {"sub": "a", "preferred_username": "ada", "name": "Ada", "groups": ["office"]}
        Person.objects.filter(username="ada").update(sso_subject=f"{self.provider.issuer}|a")
        self.assertEqual(self.come_in()[1]["person"]["role"], "administrator")
        self.provider.person = {"sub": "b", "preferred_username": "ben", "name": "Ben", "groups": ["registry"]}
        self.come_in()
        self.provider.person["groups"] = ["office"]
        self.assertEqual(self.come_in()[1]["person"]["role"], "preparer", "one of two, and not the first")

    def test_lies_are_not_believed(self) -> None:
        lies: list[tuple[str, dict[str, Any]]] = [
            ("another issuer", {"iss": "https://elsewhere.example"}),
            ("for another program", {"aud": "another-client"}),
            ("for several, meant for another", {"aud": [CLIENT, "other"], "azp": "other"}),
            ("over long ago", {"exp": 1_000_000_000}),
            ("another's nonce", {"nonce": "x"}),
            ("nobody", {"sub": None}),
        ]
        for name, change in lies:
            with self.subTest(name):
                self.provider.change = lambda claims, change=change: claims.update(change)
                self.come_in_refused()
        for name in ("nonce", "exp", "aud", "iss", "sub"):
            with self.subTest(f"without {name}"):
                self.provider.change = lambda claims, name=name: claims.pop(name)
                self.come_in_refused()

    def come_in_refused(self) -> None:
        before = Person.objects.count()
        _, session = self.come_in()
        self.assertIsNone(session["person"])
        self.assertTrue(session["sso"]["trouble"])
        self.assertEqual(Person.objects.count(), before)

    def test_another_s_key_none_and_a_shared_secret_sign_nothing(self) -> None:
        self.provider.sign_with = RSAKey.generate_key(2048, {"kid": "first"})
        self.come_in_refused()
        self.provider.sign_with, self.provider.algorithm = OctKey.import_key(SECRET * 2), "HS256"
        self.come_in_refused()
        with patch.object(self.provider, "sign", return_value="eyJhbGciOiJub25lIn0.eyJzdWIiOiJzLTEifQ."):
            self.come_in_refused()

    def test_a_provider_with_new_keys_is_asked_for_them_once_more(self) -> None:
        self.come_in()
        self.provider.key = RSAKey.generate_key(2048, {"kid": "first"})
        self.provider.published = [self.provider.key]
        self.assertEqual(self.come_in()[1]["person"]["username"], "marit")

    def test_only_the_browser_that_began_it_ends_it_and_once(self) -> None:
        self.refused("not begun in this browser", state="another")
        client = Client()
        away = client.get("/api/sso/start")["Location"]
        back = httpx.get(away, trust_env=False).headers["Location"].partition(":")[2].partition("/api")[2]
        other = Client()
        other.get(f"/api{back}")
        self.assertIn("not begun in this browser", other.get("/api/session").json()["sso"]["trouble"])
        client.get(f"/api{back}")
        self.assertEqual(client.get("/api/session").json()["person"]["username"], "marit")
        client.get(f"/api{back}")
        again = Client()
        self.assertIsNone(again.get("/api/session").json()["person"])

    def test_a_session_of_before_is_not_carried_over(self) -> None:
        client = Client()
        client.get("/api/sso/start")
        before = client.cookies["sessionid"].value
        client, _ = self.come_in(client)
        self.assertNotEqual(client.cookies["sessionid"].value, before)

    def test_refused_there_and_down_are_said(self) -> None:
        self.provider.refuse = True
        self.refused("did not let you in")
        sso._known.clear()
        with patch.dict("os.environ", self.settings(VEXO_OIDC_ISSUER="http://127.0.0.1:9")):
            self.refused("does not answer")
        with patch.dict("os.environ", self.settings(VEXO_OIDC_SECRET="wrong")):
            self.provider.refuse = False
            self.refused("did not say who you are")

    def test_passwords_may_be_off_but_for_the_first_administrator(self) -> None:
        services.add(self.person, "kit", "Kit", "administrator", GOOD)
        with patch.dict("os.environ", VEXO_LOCAL_PASSWORDS="off"):
            self.assertFalse(Client().get("/api/session").json()["sso"]["passwords"])
            for name, status in (("kit", 422), ("ada", 200)):
                body = {"username": name, "password": GOOD}
                answer = Client().post("/api/session", body, content_type="application/json")
                self.assertEqual(answer.status_code, status, name)
            wrong = {"username": "kit", "password": "wrong"}
            self.assertEqual(Client().post("/api/session", wrong, content_type="application/json").status_code, 400)
            self.assertEqual(self.come_in()[1]["person"]["username"], "marit")

    def test_half_of_it_said_is_refused_when_vexo_starts_and_no_secret_is_repeated(self) -> None:
        wrong = (
            {"VEXO_OIDC_CLIENT": ""},
            {"VEXO_OIDC_ISSUER": ""},
            {"VEXO_OIDC_ISSUER": "http://sso.example.org"},
            {"VEXO_OIDC_ISSUER": "sso.example.org"},
            {"VEXO_OIDC_ROLES": ""},
            {"VEXO_OIDC_ROLES": "office=king"},
            {"VEXO_LOCAL_PASSWORDS": "no"},
            {"VEXO_OIDC_ISSUER": "", "VEXO_OIDC_CLIENT": "", "VEXO_LOCAL_PASSWORDS": "off"},
        )
        for change in wrong:
            with self.subTest(change), patch.dict("os.environ", change), self.assertRaises(PlainError) as caught:
                sso_settings()
            self.assertNotIn(SECRET, str(caught.exception))
        settings = sso_settings()
        self.assertNotIn(SECRET, repr(settings))
        with patch.dict("os.environ", {name: "" for name in os.environ if name.startswith("VEXO_OIDC")}):
            self.assertIsNone(sso_settings())
            self.assertIsNone(Client().get("/api/session").json()["sso"])
