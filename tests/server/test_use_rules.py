"""What may be done to the records of an application: it binds every way in, when a plan is made, when a pass begins
and when one is taken up again."""

from __future__ import annotations

import json
from typing import Any

from django.test import Client

from tests.server.killing import die, take_over
from tests.server.services import view_of
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.core.rules_of_use import RuleError  # noqa: E402
from vexo.server.applications.use_rules import set_rules  # noqa: E402
from vexo.server.errors import PlainError, Stale  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.passes.take_back import start_taking_back  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.people.rights import NotAllowed  # noqa: E402


class Rules(LaneCase):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(self.off)

    def off(self, **types: Any) -> None:
        """These rules for practice, and no others."""
        set_rules(self.person, self.practice, types)
        self.practice.refresh_from_db()

    def rows(self, operation: str) -> Any:
        """One holder that is there and one that is not, both said otherwise."""
        self.make(("01", "One"))
        return self.trip(self.sheet(("01", "Uno", ""), ("02", "Due", "")), operation)

    def test_what_is_off_is_rejected_and_the_rest_goes(self) -> None:
        for deny, operation, verdicts in (
            (["create"], "upsert", ["update", "rejected"]),
            (["update"], "upsert", ["rejected", "create"]),
            (["delete"], "upsert", ["update", "create"]),
            (["delete"], "delete", ["rejected", "rejected"]),
            (["create", "update"], "upsert", ["rejected", "rejected"]),
            (["update"], "create", ["aside", "create"]),
        ):
            with self.subTest(deny=deny, operation=operation):
                self.number_anew()
                self.off(Holder={"deny": deny})
                trip = self.rows(operation)
                self.assertEqual(self.verdicts(trip), verdicts)
                off = [codes[:1] == ["not-allowed"] for codes in self.codes(trip)]
                there = 1 if operation == "delete" else 2
                wanted = [verdict == "rejected" and at < there for at, verdict in enumerate(verdicts)]
                self.assertEqual(off, wanted, self.codes(trip))
                told = self.vexo.run("--as", "ada", "review", str(trip.pk))
                self.assertEqual("is off here" in told.stdout + told.stderr, any(off))
                before = len(register().effects())
                if {"create", "update"} & set(verdicts):
                    self.apply(trip)
                self.assertEqual(len(register().effects()) - before, sum(v in ("create", "update") for v in verdicts))

    def test_another_type_and_another_application_are_free(self) -> None:
        self.off(Berth={"deny": ["create", "update", "delete"], "never": ["notes"]})
        self.assertEqual(self.verdicts(self.rows("upsert")), ["update", "create"])
        trip, path = self.out("A", "notes", application=self.live)
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "x")), application=self.live)
        self.assertEqual(self.verdicts(trip)[0], "update")

    def test_what_the_sheet_lacks_is_kept(self) -> None:
        self.off(Holder={"deny": ["delete"]})
        self.make(("01", "One"), ("02", "Two"))
        reach = f"startswith(holder_no,'{self.begin}')"
        trip = self.trip(self.sheet(("01", "Uno", "")), "make-same", reach=reach)
        absent = self.newest(trip).summary["absent"]
        self.assertEqual((absent["delete"], absent["held"], absent["kept"]), (0, 0, 1))
        self.assertEqual(absent["reasons"][0]["reason"], "not-allowed")
        self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_a_field_that_is_never_written_goes_out_to_be_read_and_never_comes_in(self) -> None:
        self.off(Berth={"never": ["notes"]})
        trip, path = self.out("B", "notes", "daily_rate")

        def edit(sheet: Any) -> None:
            sheet.cell(2, 4).value, sheet.cell(2, 5).value = "mine", 66.25

        self.back(self.edited(path, edit))
        self.assertEqual(self.verdicts(trip)[0], "update")
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        one = register().berth("TERNISLAND", "B-001")
        self.assertEqual((one["notes"], one["daily_rate"]), (None, "66.25"))

    def test_a_plan_made_before_is_not_sent(self) -> None:
        for rules in ({"deny": ["update"]}, {"never": ["last_name"]}, {"deny": ["delete"]}):
            with self.subTest(rules):
                self.off()
                self.number_anew()
                trip = self.rows("update")
                before = len(register().effects())
                plan = self.newest(trip)
                self.off(Holder=rules)
                with self.assertRaises((Stale, PlainError)):
                    self.start(trip)
                self.assertEqual((len(register().effects()), trip.passes.count()), (before, 0))
                trip.refresh_from_db()
                self.assertNotEqual(plan.revision, trip.revision, "its page says so")

    def test_a_rule_binds_before_the_first_batch_and_when_a_pass_is_taken_up_again(self) -> None:
        for point, rules in (("prepared", {"deny": ["update"]}), ("prepared", {"never": ["last_name"]})):
            with self.subTest(rules):
                self.off()
                self.number_anew()
                trip = self.rows("update")
                die(point, self.start(trip))
                before = len(register().effects())
                self.off(Holder=rules)
                self.assertIn("is off" if "deny" in rules else "has changed", take_over().error)
                self.assertEqual((self.last_pass(trip).state, len(register().effects())), ("interrupted", before))
                self.assertEqual(self.go_on(trip).state, "interrupted", "going on changes nothing of it")
                self.assertEqual(len(register().effects()), before)
                self.off()
                self.assertEqual(self.go_on(trip).totals["updated"], 1)

    def test_what_went_out_before_the_rule_is_settled_and_never_sent_again(self) -> None:
        trip = self.rows("update")
        die("saved", self.start(trip))
        before = len(register().effects())
        self.off(Holder={"deny": ["update"]})
        take_over()
        done = self.last_pass(trip) if self.last_pass(trip).state == "ended" else self.go_on(trip)
        self.assertEqual((done.state, done.totals["updated"], len(register().effects())), ("ended", 1, before))

    def test_taking_back_is_bound_too(self) -> None:
        self.make(("01", "One"))
        trip = self.trip(self.sheet(("02", "Due", "")), "create")
        self.assertEqual(self.apply(trip).totals["created"], 1)
        self.off(Holder={"deny": ["delete"]})
        job = run_inline(start_taking_back(view_of(trip), self.person, run_here=True))
        self.assertEqual(job.error, "")
        back = self.trip_of(job)
        self.assertEqual((back.operation, self.codes(back)), ("delete", [["not-allowed"]]))

    def test_what_may_be_written_no_more_is_not_half_taken_back(self) -> None:
        self.make(("01", "One"))
        trip = self.trip(self.sheet(("01", "Uno", "01632 960001")))
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.off(Holder={"never": ["phone"]})
        with self.assertRaisesRegex(PlainError, "Phone"):
            start_taking_back(view_of(trip), self.person, run_here=True)
        self.off(Holder={"never": ["email"]})
        self.assertEqual(run_inline(start_taking_back(view_of(trip), self.person, run_here=True)).error, "")

    def said(self, *options: str) -> Any:
        told = self.vexo.run("--as", "ada", "rules", "harbour-practice", *options, "--json")
        return json.loads(told.stdout)["said"]

    def test_by_command_and_api_for_administrators_alone(self) -> None:
        first = self.said("--off", "holder=delete", "--never", "Holder.email")
        self.assertEqual(first, {"Holder": {"deny": ["delete"], "never": ["email"]}})
        self.assertEqual(self.said("--on", "Holder=delete", "--write", "Holder.email"), {})
        for odd in ("Holder=burn", "Nobody=delete", "x", "=delete", "Holder="):
            refused = self.vexo.run("--as", "ada", "rules", "harbour-practice", "--off", odd)
            self.assertEqual(refused.returncode, 2, odd)
        refused = self.vexo.run("--as", "ada", "rules", "harbour-practice", "--never", "Holder.nothing")
        self.assertEqual(refused.returncode, 2)
        client = Client()
        address = "/api/applications/harbour-practice/rules"
        client.force_login(Person.objects.create(username="otto", name="Otto Fairlead", role=Role.OPERATOR))
        said = {"said": {"Holder": {"deny": ["delete"]}}}
        self.assertEqual(client.put(address, said, content_type="application/json").status_code, 403)
        self.assertEqual(client.get(address).status_code, 200)
        client.force_login(self.person)
        page = client.put(address, said, content_type="application/json").json()
        self.assertEqual(page["said"], said["said"])
        holder = next(one for one in page["types"] if one["name"] == "Holder")
        self.assertEqual((holder["deny"], {field["never"] for field in holder["writable"]}), (["delete"], {False}))
        for odd_rules in ({"Holder": {"deny": ["burn"]}}, {"Nobody": {}}, {"Holder": {"never": ["nothing"]}}):
            answer = client.put(address, {"said": odd_rules}, content_type="application/json")
            self.assertEqual(answer.status_code, 422, odd_rules)
        self.assertEqual(client.get(address).json()["said"], said["said"], "what cannot be changes nothing")
        with self.assertRaises(RuleError):
            self.off(Holder={"allow": []})
        with self.assertRaises(NotAllowed):
            set_rules(Person.objects.get(username="otto"), self.practice, {})
