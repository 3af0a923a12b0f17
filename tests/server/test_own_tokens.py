"""Applications that ask each person for a token of their own: what they write goes under it, and under no other."""

from __future__ import annotations

import sqlite3
from typing import Any

from django.test import Client

from tests.server.killing import die, take_over
from tests.server.services import view_of
from tests.server.test_approving import ApprovalCase
from tests.support import register, template

template()

from vexo.server.applications.models import Application, PersonalToken  # noqa: E402
from vexo.server.applications.own_tokens import give, withdraw  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.people.models import Person  # noqa: E402

BRAMS = "saltmarsh-gatehouse-token"
"""The register knows it as Bram Tidewell's."""


class OwnTokens(ApprovalCase):
    def setUp(self) -> None:
        super().setUp()
        self.asks(True)
        self.addCleanup(self.asks, False)
        self.addCleanup(PersonalToken.objects.all().delete)

    def asks(self, personal: bool) -> None:
        Application.objects.filter(pk=self.practice.pk).update(personal=personal)
        self.practice.refresh_from_db()

    def changed_by(self) -> set[str]:
        """By whom the register says that the holders of this test were changed last."""
        return {str(one["changed_by"]) for one in self.holders(self.begin)}

    def start_as(self, trip: Any, person: Person) -> Any:
        from vexo.server.passes.starting import start_pass

        trip.refresh_from_db()
        return start_pass(view_of(trip), person, self.newest(trip).number, run_here=True)[1]

    def test_without_one_a_person_prepares_and_applies_nothing(self) -> None:
        before = len(register().effects())
        trip = self.rows()
        self.assertEqual(set(self.verdicts(trip)), {"update"}, "it was planned all the same")
        before = len(register().effects())
        with self.assertRaisesRegex(PlainError, "token of their own"):
            self.start_as(trip, self.bram)
        told = self.vexo.run("--as", "bram", "apply", str(trip.pk), "--yes")
        self.assertEqual((told.returncode, "token of their own" in told.stderr), (2, True))
        client = Client()
        client.force_login(self.bram)
        self.assertTrue(client.get(f"/api/trips/{trip.pk}").json()["needs_token"])
        body = {"plan": self.newest(trip).number}
        address = f"/api/trips/{trip.pk}/passes"
        self.assertEqual(client.post(address, body, content_type="application/json").status_code, 422)
        self.assertEqual((len(register().effects()), trip.passes.count()), (before, 0))

    def test_what_is_written_goes_under_the_token_of_whoever_applies(self) -> None:
        trip = self.rows()
        give(self.bram, self.practice, BRAMS)
        from vexo.server.jobs.worker import run_inline

        run_inline(self.start_as(trip, self.bram))
        self.assertEqual(self.last_pass(trip).totals["updated"], 2)
        self.assertEqual(self.changed_by(), {"Bram Tidewell"})
        other = self.rows()
        with self.assertRaises(PlainError):
            self.start_as(other, self.person)

    def test_one_that_was_interrupted_goes_on_under_the_token_of_whoever_goes_on(self) -> None:
        trip = self.rows()
        give(self.bram, self.practice, BRAMS)
        die("prepared", self.start_as(trip, self.bram))
        withdraw(self.bram, self.practice)
        self.assertIn("token of their own", take_over().error)
        self.assertEqual(self.last_pass(trip).state, "interrupted")
        with self.assertRaises(PlainError):
            self.go_on(trip)
        give(self.person, self.practice, "saltmarsh-office-token")
        self.assertEqual(self.go_on(trip).totals["updated"], 2)
        self.assertEqual(self.changed_by(), {"Ines Gullane-Marsh"})

    def test_it_is_tried_kept_encrypted_told_to_nobody_and_goes_with_access(self) -> None:
        with self.assertRaises(Exception) as refused:
            give(self.bram, self.practice, "not-a-token")
        self.assertNotIn("not-a-token", str(refused.exception))
        self.assertFalse(PersonalToken.objects.exists())
        with self.assertRaises(NotAllowed):
            give(self.vera, self.practice, BRAMS)
        client = Client()
        client.force_login(self.bram)
        address = "/api/applications/harbour-practice/token"
        told = client.put(address, {"token": BRAMS}, content_type="application/json")
        self.assertEqual((told.status_code, bool(told.json()["token_given_at"])), (200, True), told.content)
        self.assertNotIn(BRAMS, told.content.decode())
        with sqlite3.connect(self.vexo.data / "vexo.db") as database:
            dump = "\n".join(database.iterdump())
        self.assertNotIn(BRAMS, dump)
        said = " ".join(Entry.objects.values_list("message", flat=True))
        self.assertIn("a token of their own", said)
        self.assertEqual(client.get("/api/applications/harbour-practice").json()["application"]["personal"], True)
        client.force_login(self.ines)
        page = client.get("/api/applications/harbour-practice").json()["application"]
        self.assertIsNone(page["token_given_at"], "it is of one person")
        client.force_login(self.bram)
        self.assertIsNone(client.delete(address).json()["token_given_at"])
        give(self.bram, self.practice, BRAMS)
        bram = Person.objects.get(pk=self.bram.pk)
        bram.is_active = False
        bram.save()
        self.addCleanup(Person.objects.filter(pk=bram.pk).update, is_active=True)
        self.assertFalse(PersonalToken.objects.exists())

    def test_by_command_and_only_where_it_is_asked(self) -> None:
        told = self.vexo.run("--as", "bram", "token", "harbour-practice", VEXO_TOKEN=BRAMS)
        self.assertEqual((told.returncode, PersonalToken.objects.count()), (0, 1), told.stderr)
        self.assertNotIn(BRAMS, told.stdout + told.stderr)
        told = self.vexo.run("--as", "bram", "token", "harbour-practice", "--withdraw")
        self.assertEqual((told.returncode, PersonalToken.objects.count()), (0, 0), told.stderr)
        self.asks(False)
        with self.assertRaisesRegex(PlainError, "does not ask"):
            give(self.bram, self.practice, BRAMS)
        trip = self.rows()
        self.assertEqual(self.apply(trip).totals["updated"], 2)

    def test_no_token_goes_to_another_place_than_it_was_given_for(self) -> None:
        from vexo.server.applications.services import Connection, connect

        give(self.bram, self.practice, BRAMS)
        address = self.practice.address.replace("127.0.0.1", "localhost")
        wanted = Connection("harbour-practice", address, "practice", "saltmarsh-vexo-token", personal=True)
        connect(self.person, wanted, change=True, inside=True)
        self.assertFalse(PersonalToken.objects.exists())
        wanted = Connection("harbour-practice", self.practice.address, "practice", "saltmarsh-vexo-token")
        connect(self.person, wanted, change=True, inside=True)
        self.assertTrue(Application.objects.get(pk=self.practice.pk).personal, "what is not said stays")
        self.assertFalse(Job.objects.filter(arguments__icontains=BRAMS).exists())
