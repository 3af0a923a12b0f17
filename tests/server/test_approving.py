"""Approval: asked of somebody else, of the very plan that was seen; void by any change; binding every way in."""

from __future__ import annotations

import json
import shutil
from typing import Any

import openpyxl
from django.test import Client

from tests.server.killing import die, take_over
from tests.server.services import view_of
from tests.server.test_editing import EditCase
from tests.server.test_lanes import LaneCase
from tests.support import register, template, temporary_folder

template()

from vexo.server.applications.use_rules import set_rules  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError, Stale  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.passes.approving import answer_approval, ask_for_approval  # noqa: E402
from vexo.server.passes.receipts import write_receipt  # noqa: E402
from vexo.server.passes.starting import plan_to_approve, start_pass  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.status import TripStatus  # noqa: E402
from vexo.server.trips.trip_pages import approval_told  # noqa: E402


class ApprovalCase(LaneCase, EditCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.bram = Person.objects.create(username="bram", name="Bram Tidewell", role=Role.OPERATOR)
        cls.ines = Person.objects.create(username="ines", name="Ines Gullane-Marsh", role=Role.PREPARER)
        cls.vera = Person.objects.create(username="vera", name="Vera Seagrass", role=Role.VIEWER)

    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(self.rule)

    def rule(self, **approve: Any) -> None:
        """What is approved first of holders on practice."""
        set_rules(self.person, self.practice, {"Holder": {"approve": approve}} if approve else {})
        self.practice.refresh_from_db()

    def rows(self, count: int = 2, operation: str = "update") -> Any:
        self.number_anew()
        self.make(*[(f"{at:02}", "Before") for at in range(count)])
        return self.trip(self.sheet(*[(f"{at:02}", "After", "") for at in range(count)]), operation)

    def plan_now(self, trip: Any) -> Any:
        trip.refresh_from_db()
        return plan_to_approve(view_of(trip), self.newest(trip).number)

    def ask(self, trip: Any, words: str = "Please") -> None:
        ask_for_approval(view_of(trip), self.person, self.plan_now(trip), words)

    def answer(self, trip: Any, person: Any = None, *, approve: bool = True, words: str = "") -> None:
        answer_approval(view_of(trip), person or self.bram, self.plan_now(trip), approve=approve, words=words)

    def told(self, trip: Any, person: Any = None) -> Any:
        trip.refresh_from_db()
        return approval_told(TripStatus(view_of(trip)), person or self.bram)

    def needs(self, trip: Any) -> str:
        trip.refresh_from_db()
        return TripStatus(view_of(trip)).needs().says


class Approving(ApprovalCase):
    def test_asked_again_in_other_words_nobody_believes_that_these_were_read(self) -> None:
        self.rule(always=True)
        trip = self.rows()
        self.ask(trip, "Please")
        self.ask(trip, "Please")
        self.ask(trip, "")
        for person, words in ((self.person, "Please, by noon"), (self.ines, "Please"), (self.ines, "By noon")):
            with self.subTest(words), self.assertRaisesRegex(PlainError, "asked for it already: Please. Nothing more"):
                ask_for_approval(view_of(trip), person, self.plan_now(trip), words)
        with self.assertRaisesRegex(PlainError, "at most 1.000 characters; this one has 1.001"):
            self.answer(trip, approve=False, words="x" * 1001)
        self.assertEqual(self.told(trip).state, "asked")
        self.answer(trip)
        with self.assertRaisesRegex(PlainError, "it is approved already"):
            self.ask(trip, "By noon")
        self.ask(trip, "Please")

    def test_asked_sent_back_changed_asked_again_and_applied(self) -> None:
        self.rule(always=True)
        trip = self.rows()
        self.assertEqual(self.needs(trip), "its approval is to be asked for")
        with self.assertRaisesRegex(PlainError, "Ask for its approval"):
            self.start(trip)
        self.ask(trip)
        self.assertEqual(self.needs(trip), "waits for an approval")
        self.assertEqual((self.told(trip).state, self.told(trip).may_approve), ("asked", True))
        with self.assertRaises(PlainError):
            self.start(trip)
        with self.assertRaisesRegex(PlainError, "Say why"):
            self.answer(trip, approve=False)
        self.answer(trip, approve=False, words="The first row is wrong.")
        self.assertEqual(self.needs(trip), "sent back: The first row is wrong.")
        with self.assertRaises(PlainError):
            self.start(trip)
        self.edit(trip, "cell", 2, "last_name", text="Better")
        self.assertIsNone(self.told(trip).state, "it was of another plan")
        self.ask(trip)
        self.answer(trip)
        self.assertIn("approved", self.needs(trip))
        before = len(register().effects())
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        self.assertEqual(len(register().effects()) - before, 2)
        said = list(Entry.objects.filter(trip=trip.pk).values_list("what", "who"))
        self.assertIn(("approved", "bram"), said)
        self.assertIn(("sent back", "bram"), said)

    def test_what_was_worked_out_may_be_forgotten_before_the_answer(self) -> None:
        self.rule(always=True)
        trip = self.rows()
        self.ask(trip)
        shutil.rmtree(absolute(f"stages/{trip.pk}"))
        self.answer(trip)
        self.assertEqual(self.apply(trip).totals["updated"], 2)

    def test_any_change_voids_it(self) -> None:
        self.rule(always=True)
        for done in ("decision", "edit", "plan", "guard", "rule"):
            with self.subTest(done):
                trip = self.rows()
                self.ask(trip)
                self.answer(trip)
                if done == "decision":
                    self.decide(trip, "aside", [0])
                elif done == "edit":
                    self.edit(trip, "cell", 3, "last_name", text="Other")
                elif done == "plan":
                    self.plan(trip)
                elif done == "rule":
                    self.rule(always=True, above=1)
                else:
                    from vexo.server.applications.guarding import set_guards

                    set_guards(self.person, self.practice, {"check": {"mode": "say"}})
                with self.assertRaises((PlainError, Stale)):
                    self.start(trip)
                self.assertEqual(trip.passes.count(), 0)
        from vexo.server.applications.guarding import set_guards

        set_guards(self.person, self.practice, {})

    def test_who_prepared_or_may_not_apply_cannot_approve(self) -> None:
        self.rule(always=True)
        trip = self.rows()
        self.ask(trip)
        for person in (self.person, self.vera):
            with self.assertRaises(NotAllowed):
                self.answer(trip, person)
        self.edit(trip, "cell", 2, "last_name", text="Mine")
        trip.edits.update(by="bram")
        self.ask(trip)
        with self.assertRaises(NotAllowed):
            self.answer(trip, self.bram)
        self.answer(trip, self.ines)
        with self.assertRaises(PlainError):
            self.answer(trip, self.ines)
        self.assertEqual(self.apply(trip).totals["updated"], 2)

    def test_who_changed_columns_or_what_rows_are_for_cannot_approve(self) -> None:
        self.rule(always=True)
        trip = self.rows()
        view = view_of(trip)
        run_inline(change(view, self.bram, Changes(operation="upsert"), run_here=True))
        self.ask(trip)
        with self.assertRaises(NotAllowed):
            self.answer(trip, self.bram)
        self.answer(trip, self.ines)
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        path = temporary_folder() / "receipt.xlsx"
        write_receipt(view_of(trip), path)
        about = openpyxl.load_workbook(path)["About"]
        said = " ".join(str(cell.value) for row in about.iter_rows() for cell in row if cell.value)
        self.assertIn("approved by Ines Gullane-Marsh", said)

    def test_only_what_the_rule_names_is_asked_about(self) -> None:
        for approve, count, operation, needed in (
            ({"above": 2}, 2, "update", False),
            ({"above": 2}, 3, "update", True),
            ({"above": 0}, 1, "update", True),
            ({"deletes": True}, 3, "update", False),
            ({"deletes": True}, 1, "delete", True),
            ({"deletes": True, "above": 1}, 2, "update", True),
            ({"always": True}, 1, "update", True),
        ):
            with self.subTest(approve, count=count, operation=operation):
                self.rule(**approve)
                trip = self.rows(count, operation)
                self.assertEqual(bool(self.told(trip).why), needed)
                if needed:
                    with self.assertRaises(PlainError):
                        self.start(trip)
                else:
                    with self.assertRaisesRegex(PlainError, "needs no approval"):
                        self.ask(trip)
                    self.assertEqual(self.apply(trip).state, "ended")

    def test_a_rule_switched_on_between_confirm_and_the_first_batch_and_before_going_on(self) -> None:
        trip = self.rows()
        die("prepared", self.start(trip))
        before = len(register().effects())
        self.rule(always=True)
        self.assertIn("approved by somebody else", take_over().error)
        self.assertEqual(self.go_on(trip).state, "interrupted")
        self.assertEqual(len(register().effects()), before)
        self.ask(trip)
        self.answer(trip)
        self.assertEqual(self.go_on(trip).totals["updated"], 2)

    def test_an_administrator_lifts_it_only_where_nobody_else_could(self) -> None:
        self.rule(always=True)
        trip = self.rows()
        view, number = view_of(trip), self.newest(trip).number
        with self.assertRaisesRegex(PlainError, "somebody can approve"):
            start_pass(view, self.person, number, lift="It is late")
        Person.objects.filter(username__in=["bram", "ines"]).update(is_active=False)
        self.addCleanup(Person.objects.filter(username__in=["bram", "ines"]).update, is_active=True)
        with self.assertRaisesRegex(PlainError, "Nobody else"):
            self.ask(trip)
        with self.assertRaises(PlainError):
            start_pass(view, self.person, number, lift="  ")
        with self.assertRaises(NotAllowed):
            start_pass(view, self.ines, number, lift="I want to")
        run_inline(start_pass(view, self.person, number, lift="It is late", run_here=True)[1])
        self.assertEqual(self.last_pass(trip).totals["updated"], 2)
        said = " ".join(Entry.objects.filter(trip=trip.pk).values_list("message", flat=True))
        self.assertIn("without approval: It is late", said)

    def test_what_was_interrupted_for_want_of_it_is_asked_about_or_lifted_with_a_reason(self) -> None:
        trip = self.rows()
        die("prepared", self.start(trip))
        self.rule(always=True)
        take_over()
        told = self.told(trip, self.person)
        self.assertEqual(
            (bool(told.why), told.others, told.may_lift), (True, ["Bram Tidewell", "Ines Gullane-Marsh"], False)
        )
        client = Client()
        client.force_login(self.person)
        address = f"/api/trips/{trip.pk}/passes/{self.last_pass(trip).number}"
        body = {"do": "go on", "lift": "It is late"}
        self.assertEqual(client.post(address, body, content_type="application/json").status_code, 422)
        Person.objects.filter(username__in=["bram", "ines"]).update(is_active=False)
        self.addCleanup(Person.objects.filter(username__in=["bram", "ines"]).update, is_active=True)
        self.assertTrue(self.told(trip, self.person).may_lift)
        self.assertFalse(self.told(trip, self.vera).may_lift)
        client.force_login(self.vera)
        self.assertEqual(client.post(address, body, content_type="application/json").status_code, 403)
        self.assertEqual(self.go_on(trip).state, "interrupted", "nothing was lifted")
        number = str(self.last_pass(trip).number)
        done = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--go-on", number, "--lift", "It is late")
        self.assertEqual(self.last_pass(trip).totals["updated"], 2, done.stderr)
        self.assertEqual(self.last_pass(trip).lifted, "It is late")
        said = " ".join(Entry.objects.filter(trip=trip.pk).values_list("message", flat=True))
        self.assertIn("without approval: It is late", said)

    def test_by_api_and_command(self) -> None:
        told = self.vexo.run("--as", "ada", "rules", "harbour-practice", "--approve", "holder=above:1", "--json")
        self.assertEqual(json.loads(told.stdout)["said"], {"Holder": {"approve": {"above": 1}}}, told.stderr)
        trip = self.rows()
        refused = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes")
        self.assertEqual((refused.returncode, trip.passes.count()), (2, 0))
        self.assertIn("Ask for its approval", refused.stderr)
        self.assertIn("Nobody is asked yet.", self.vexo.run("open", str(trip.pk)).stderr)
        self.assertEqual(self.vexo.run("--as", "ada", "approval", str(trip.pk), "--ask", "Please").returncode, 0)
        self.assertIn("It waits for that.", self.vexo.run("open", str(trip.pk)).stderr)
        client = Client()
        address, number = f"/api/trips/{trip.pk}/approval", self.newest(trip).number
        for person, status in ((self.vera, 403), (self.person, 403)):
            client.force_login(person)
            body = {"plan": number, "do": "approve"}
            self.assertEqual(client.post(address, body, content_type="application/json").status_code, status)
        client.force_login(self.bram)
        stale = client.post(address, {"plan": number + 7, "do": "approve"}, content_type="application/json")
        self.assertEqual(stale.status_code, 422)
        told_page = client.post(address, {"plan": number, "do": "approve"}, content_type="application/json").json()
        self.assertEqual((told_page["state"], told_page["by"]["name"]), ("approved", "Bram Tidewell"))
        shown = self.vexo.run("--as", "ada", "approval", str(trip.pk))
        self.assertIn("Approved by Bram Tidewell", shown.stdout)
        self.assertNotIn("approved by somebody else", self.vexo.run("open", str(trip.pk)).stderr)
        self.assertEqual(self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes").returncode, 0)
        told = self.vexo.run("--as", "ada", "rules", "harbour-practice", "--no-approval", "Holder", "--json")
        self.assertEqual(json.loads(told.stdout)["said"], {})
