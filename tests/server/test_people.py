"""People, sign-in and the journal: who may come in, how often one may guess, and what is written of it."""

from __future__ import annotations

import sqlite3
from contextlib import suppress
from typing import Any
from unittest.mock import patch

import httpx

from tests.server.services import ServiceCase
from tests.support import BIN, free_port, kill, start, template, wait_until

template()

from django.test import Client, override_settings  # noqa: E402

from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.seals import verify  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402
from vexo.server.people import services, throttle  # noqa: E402
from vexo.server.people.models import Person  # noqa: E402

GOOD = "a-long-enough-secret"


class People(ServiceCase):
    def test_the_first_person_is_made_by_the_terminal_and_is_an_administrator(self) -> None:
        from tests.support import Vexo

        vexo = Vexo(connect=False)
        self.assertIn("Nobody can sign in yet", vexo.run("person", "list").stdout)
        self.assertEqual(self.typed(vexo, GOOD, "person", "add", "mara", "--password-from-input").exit_code, 0)
        self.assertEqual(vexo.json("--as", "mara", "person", "list")["people"][0]["role"], "administrator")
        refused = self.typed(vexo, GOOD, "person", "add", "theo", "--password-from-input")
        self.assertIn("is for administrators", refused.stderr + refused.stdout)
        self.typed(vexo, GOOD, "--as", "mara", "person", "add", "theo", "--password-from-input")
        vexo.run("--as", "mara", "person", "role", "theo", "operator")
        roles = {one["username"]: one["role"] for one in vexo.json("--as", "mara", "person", "list")["people"]}
        self.assertEqual(roles, {"mara": "administrator", "theo": "operator"})

    def typed(self, vexo: Any, text: str, *arguments: str) -> Any:
        """A command that reads its standard input."""
        from click.testing import CliRunner

        from vexo.cli.main import main

        vexo.use()
        return CliRunner().invoke(main, ["--data", str(vexo.data), *arguments], input=f"{text}\n")

    def test_there_is_always_an_administrator_and_names_are_not_given_twice(self) -> None:
        for step in (
            lambda: services.set_role(self.person, "ada", "viewer"),
            lambda: services.remove(self.person, "ada"),
        ):
            with self.assertRaises(PlainError) as caught:
                step()
            self.assertIn("only administrator", str(caught.exception))
        services.add(self.person, "kit", "Kit", "operator", GOOD)
        services.remove(self.person, "kit")
        for name in ("kit", "KIT", "ada", "no such name!"):
            with self.assertRaises(PlainError):
                services.add(self.person, name, "Kit", "operator", GOOD)
        services.add(self.person, "kit2", "Kit Two", "operator", GOOD)
        for full in ("Kit", " kit  two", "Ada Quillfeather", "Someone"):
            with self.assertRaises(PlainError) as caught:
                services.add(self.person, "kit3", full, "operator", GOOD)
            self.assertIn("tells them apart", str(caught.exception))
        for password in ("short", "12345678901", "password123", ""):
            with self.assertRaises(PlainError):
                services.add(self.person, "pia", "Pia", "viewer", password)

    def test_only_administrators_say_who_may_what_but_anyone_their_own_password(self) -> None:
        for role in ("viewer", "preparer", "operator"):
            one = services.add(self.person, f"a-{role}", role, role, GOOD)
            for step in (
                lambda one=one: services.add(one, "x", "X", "viewer", GOOD),
                lambda one=one: services.set_role(one, one.username, "administrator"),
                lambda one=one: services.set_password(one, "ada", GOOD),
                lambda one=one: services.remove(one, one.username),
            ):
                with self.assertRaises(NotAllowed):
                    step()
            services.set_password(one, one.username, f"{GOOD}-new")


class OverHttp(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"]))

    def client_of(self, person: Person) -> Client:
        client = Client()
        client.force_login(person)
        return client

    def ask(self, client: Client, method: str, path: str, **body: str) -> Any:
        return getattr(client, method)(f"/api/{path}", body, content_type="application/json")

    def test_an_administrator_adds_changes_and_removes_people(self) -> None:
        ada = self.client_of(self.person)
        body = {"username": "noor", "name": "Noor Salt", "role": "viewer", "password": GOOD}
        made = self.ask(ada, "post", "people", **body)
        self.assertEqual(made.status_code, 201)
        self.assertNotIn(GOOD, made.content.decode())
        self.assertIn("there already", self.ask(ada, "post", "people", **body).json()["detail"])
        noor = Client()
        self.assertEqual(self.ask(noor, "post", "session", username="noor", password=GOOD).status_code, 200)
        self.assertEqual(noor.get("/api/session").json()["person"]["may"], ["look"])
        self.ask(ada, "patch", "people/noor", role="preparer")
        self.assertEqual(noor.get("/api/session").json()["person"]["may"], ["look", "prepare", "apply to practice"])
        self.ask(ada, "patch", "people/noor", password=f"{GOOD}-2")
        self.assertIsNone(noor.get("/api/session").json()["person"], "a new password ends sessions")
        self.assertEqual(self.ask(ada, "delete", "people/noor").status_code, 204)
        self.assertEqual(self.ask(Client(), "post", "session", username="noor", password=f"{GOOD}-2").status_code, 400)
        self.assertNotIn("noor", [one["username"] for one in ada.get("/api/people").json()])
        refused = self.ask(ada, "patch", "people/ada", role="viewer")
        self.assertIn("only administrator", refused.json()["detail"])
        told = list(Entry.objects.filter(what="people").order_by("id").values_list("who", "message"))[-4:]
        self.assertEqual(
            told,
            [
                ("ada", "Added noor, viewer"),
                ("ada", "noor is preparer now"),
                ("ada", "noor has a new password"),
                ("ada", "Removed noor"),
            ],
        )

    def test_ones_own_password_needs_the_old_one_and_ends_ones_other_sessions(self) -> None:
        own = services.add(self.person, "olive", "Olive", "viewer", GOOD)
        here, there = self.client_of(own), self.client_of(own)
        wrong = self.ask(here, "put", "session/password", old="no", new=f"{GOOD}-3")
        self.assertEqual((wrong.status_code, wrong.json()["field"]), (400, "old"))
        self.assertIn(
            "10 characters", self.ask(here, "put", "session/password", old=GOOD, new="short").json()["detail"]
        )
        self.assertEqual(self.ask(here, "put", "session/password", old=GOOD, new=f"{GOOD}-3").status_code, 204)
        self.assertEqual(here.get("/api/session").json()["person"]["username"], "olive")
        self.assertIsNone(there.get("/api/session").json()["person"])

    def test_who_did_it_is_a_person_though_names_look_alike(self) -> None:
        """What is written down is the name that one signs in with; the full name is for reading."""
        note("ada", "tried", "by ada")
        told = self.client_of(self.person).get("/api/journal", {"who": "ada", "what": "tried"}).json()
        self.assertEqual(told["entries"][0]["who"], {"username": "ada", "name": "Ada Quillfeather"})
        self.assertIn({"username": "ada", "name": "Ada Quillfeather"}, told["people"])


class SignInCase(ServiceCase):
    """Passwords are digested cheaply here: it is not they that are tried."""

    def setUp(self) -> None:
        super().setUp()
        self.enterContext(override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"]))
        throttle.Misses.objects.all().delete()
        self.name = f"n{Person.objects.count()}"
        services.add(self.person, self.name, f"Person {self.name}", "operator", GOOD)
        self.now = 1_000_000.0
        self.enterContext(patch.object(throttle.time, "time", lambda: self.now))

    def sign_in(self, password: str, address: str = "10.0.0.1", name: str = "") -> Any:
        self.client = Client(REMOTE_ADDR=address)
        body = {"username": name or self.name, "password": password}
        return self.client.post("/api/session", body, content_type="application/json")


class SigningIn(SignInCase):
    def test_guessing_is_slowed_down_more_and_more_and_said(self) -> None:
        waits = []
        for _ in range(8):
            answer = self.sign_in("wrong")
            if answer.status_code == 429:
                waits.append(int(answer["Retry-After"]))
                self.assertIn("a second" if waits[-1] == 1 else f"{waits[-1]} seconds", answer.json()["detail"])
                self.assertEqual(self.sign_in(GOOD).status_code, 429, "the right one is not looked at either")
                self.now += waits[-1] + 1
        self.assertEqual(waits, sorted(set(waits)))
        self.assertGreaterEqual(len(waits), 3)
        self.assertEqual(self.sign_in(GOOD).status_code, 200)

    def test_who_knows_the_password_is_not_locked_out_by_who_guesses(self) -> None:
        self.assertEqual(self.sign_in(GOOD, "10.0.0.1").status_code, 200)
        for at in range(40):
            self.sign_in("wrong", f"10.9.0.{at}")
        self.assertEqual(self.sign_in("wrong", "10.9.1.1").status_code, 429)
        self.assertEqual(self.sign_in("mistyped", "10.0.0.1").status_code, 400)
        self.assertEqual(self.sign_in(GOOD, "10.0.0.1").status_code, 200)

    def test_one_address_with_many_names_is_slowed_down(self) -> None:
        codes = [self.sign_in("wrong", "10.0.7.7", f"nobody{at}").status_code for at in range(30)]
        self.assertEqual((codes[0], codes[-1]), (400, 429))
        self.assertEqual(self.sign_in(GOOD, "10.0.7.8").status_code, 200)

    def test_a_new_password_a_removal_and_signing_out_end_sessions(self) -> None:
        for end in (
            lambda: services.set_password(self.person, self.name, f"{GOOD}-2"),
            lambda: self.client.delete("/api/session"),
            lambda: services.remove(self.person, self.name),
        ):
            password = GOOD if Person.objects.get(username=self.name).check_password(GOOD) else f"{GOOD}-2"
            self.assertEqual(self.sign_in(password).status_code, 200)
            self.assertEqual(self.client.get("/api/trips").status_code, 200)
            end()
            self.assertEqual(self.client.get("/api/trips").status_code, 401)

    def test_a_copy_of_the_database_signs_nobody_in(self) -> None:
        self.sign_in(GOOD)
        cookie = self.client.cookies["sessionid"].value
        with sqlite3.connect(self.vexo.data / "vexo.db") as database:
            kept = [key for (key,) in database.execute("SELECT session_key FROM django_session")]
            everything = "\n".join(database.iterdump())
        self.assertNotIn(cookie, everything)
        for key in kept:
            thief = Client()
            thief.cookies["sessionid"] = key
            self.assertEqual(thief.get("/api/trips").status_code, 401)
        self.assertEqual(self.client.get("/api/trips").status_code, 200)

    def test_sign_ins_are_in_the_journal_but_not_what_was_typed_as_a_name(self) -> None:
        self.sign_in("wrong")
        self.sign_in("wrong", name="my-secret-typed-as-name")
        self.sign_in(GOOD)
        told = [(e.who, e.message) for e in Entry.objects.order_by("-id")[:3]]
        failed = [
            ("someone", "A sign-in from 10.0.0.1 failed"),
            ("someone", f"A sign-in as {self.name} from 10.0.0.1 failed"),
        ]
        self.assertEqual(told, [(self.name, "Signed in from 10.0.0.1"), *failed])
        self.assertFalse(Entry.objects.filter(message__contains="my-secret").exists())
        with sqlite3.connect(self.vexo.data / "vexo.db") as database:
            self.assertNotIn("my-secret", "\n".join(database.iterdump()))


class Journal(ServiceCase):
    def database(self) -> sqlite3.Connection:
        return sqlite3.connect(self.vexo.data / "vexo.db")

    def test_entries_are_neither_changed_nor_deleted_replaced_or_dated_back(self) -> None:
        made = note("Ada", "tried", "as it was")
        columns = "id, at, who, what, message, application, stage, file, seal"
        values = "'2001-01-01 00:00:00', 'x', 'x', 'x', '', '', '', ''"
        for statement in (
            "UPDATE journal_entry SET message = 'x'",
            "DELETE FROM journal_entry",
            f"INSERT OR REPLACE INTO journal_entry ({columns}) VALUES ({made.pk}, {values})",
            f"REPLACE INTO journal_entry ({columns}) VALUES ({made.pk}, {values})",
            f"INSERT INTO journal_entry ({columns}) VALUES ({made.pk + 1}, {values})",
            f"INSERT INTO journal_entry ({columns}) VALUES (NULL, {values})",
        ):
            with self.subTest(statement), self.database() as database, self.assertRaises(sqlite3.IntegrityError):
                database.execute(statement)
        self.assertEqual(Entry.objects.get(pk=made.pk).message, "as it was")
        self.assertIsNone(verify().broken)

    def test_what_is_changed_past_the_database_shows(self) -> None:
        from tests.support import Vexo

        vexo = Vexo(connect=False)
        for said in ("one", "two", "three"):
            note("Ada", "tried", said)
        whole = vexo.json("journal", "--verify")
        self.assertEqual((whole["entries"], whole["broken"]), (3, None))
        second = Entry.objects.get(message="two").pk
        with sqlite3.connect(vexo.data / "vexo.db") as database:
            database.execute("DROP TRIGGER journal_no_update")
            database.execute("UPDATE journal_entry SET message = 'none' WHERE id = ?", (second,))
        self.assertEqual(vexo.json("journal", "--verify", code=1)["broken"], second)
        self.assertIn(f"Entry {second} is not as it was written", vexo.run("journal", "--verify").stdout)

    def test_a_clock_set_back_stops_nothing(self) -> None:
        from datetime import timedelta

        from django.utils import timezone

        first = note("Ada", "tried", "now")
        with patch("vexo.server.journal.services.timezone.now", lambda: first.at - timedelta(hours=1)):
            second = note("Ada", "tried", "an hour before, by the clock")
        self.assertGreaterEqual(second.at, first.at)
        self.assertLess(abs(second.at - timezone.now()), timedelta(minutes=1))
        self.assertIsNone(verify().broken)


class BehindAProxy(ServiceCase):
    def test_only_the_address_that_was_said_is_answered_and_cookies_are_for_https(self) -> None:
        services.add(self.person, "proxied", "Proxied", "operator", GOOD)
        port = free_port()
        command = [
            str(BIN / "vexo"),
            "--data",
            str(self.vexo.data),
            "serve",
            "--port",
            str(port),
            "--proxy",
            "127.0.0.1",
        ]
        process = start(*command, VEXO_ADDRESS="https://vexo.example.org")
        self.addCleanup(kill, process)
        here = f"http://127.0.0.1:{port}/api/session"
        said = {"Host": "vexo.example.org", "X-Forwarded-Proto": "https", "X-Forwarded-For": "10.1.2.3"}
        with httpx.Client(trust_env=False, verify=False, timeout=300) as client:

            def answered() -> httpx.Response | None:
                with suppress(httpx.HTTPError):
                    return client.get(here, headers=said)
                return None

            first = wait_until(answered, what="the server")
            self.assertEqual(first.status_code, 200)
            self.assertIn("max-age", first.headers["Strict-Transport-Security"])
            self.assertEqual(client.get(here, headers={**said, "Host": "evil.example"}).status_code, 400)
            token = first.cookies["csrftoken"]
            origin = {"Origin": "https://vexo.example.org", "Cookie": f"csrftoken={token}", "X-CSRFToken": token}
            body = {"username": "proxied", "password": GOOD}
            signed = client.post(here, json=body, headers={**said, **origin})
            self.assertEqual(signed.status_code, 200, signed.text)
            cookies = [value.lower() for value in signed.headers.get_list("set-cookie")]
            self.assertTrue(all("; secure" in value for value in cookies), cookies)
            self.assertTrue(any("httponly" in value for value in cookies))
            foreign = client.post(here, json=body, headers={**said, **origin, "Origin": "https://evil.example"})
            self.assertEqual(foreign.status_code, 403)
        self.assertEqual(Entry.objects.filter(what="signed in").last().message, "Signed in from 10.1.2.3")
