"""What is written is what was seen: sheets, decisions and colleagues that come in between."""

from __future__ import annotations

import os
from typing import Any
from unittest.mock import patch

from tests.server.holder_sheets import HolderSheets
from tests.server.killing import die
from tests.support import register, template

template()

from vexo.server.decisions import decisions  # noqa: E402
from vexo.server.errors import PlainError, Stale  # noqa: E402
from vexo.server.jobs.leases import claim  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.planning.plan_trip import needs_no_question  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class Twice(HolderSheets):
    def test_a_second_apply_of_a_foreign_sheet_leaves_what_a_colleague_changed_since(self) -> None:
        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "B", "2")))
        self.apply(trip)
        self.theirs("01", last_name="Theirs")
        self.theirs("02", last_name="Theirs")
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same", "same"])
        self.again(trip, self.sheet(("01", "Mine", "1"), ("02", "Mine too", "2")))
        self.assertEqual((self.verdicts(trip), self.codes(trip)[1]), (["same", "held"], ["both-changed"]))
        self.assertEqual(self.of("01")["last_name"], "Theirs")

    def test_upsert_by_blank_record_ids_applied_twice_creates_nothing_twice(self) -> None:
        content = self.sheet(("", "Plover", "1"), ("", "Curlew", "2"), header="id,last_name,phone")
        numbers = [f"{self.begin}{n:02d}" for n in range(2)]
        content = "\n".join(f"{line},{n}" for line, n in zip(content.split("\n"), ["holder_no", *numbers], strict=True))
        trip = self.trip(content, "upsert", key=["id"])
        self.assertEqual(self.apply(trip).totals["created"], 2)
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same", "same"])
        self.again(trip, content + "\n")
        self.assertEqual(self.verdicts(trip), ["same", "same"])
        self.assertEqual(len(self.holders(self.begin)), 2)

    def test_done_creates_and_deletes_of_a_corrected_sheet_are_not_planned_again(self) -> None:
        trip = self.trip(self.sheet(("01", "A", "1"), ("02", "B", "2")), "upsert")
        self.apply(trip)
        self.again(trip, self.sheet(("02", "B", "2"), ("01", "A", "11")))
        self.assertEqual(self.verdicts(trip), ["same", "update"])
        gone = self.trip(self.sheet(("01",), ("02",), header="holder_no"), "delete")
        self.apply(gone)
        self.again(gone, self.sheet(("02",), ("01",), header="holder_no"))
        self.assertEqual(self.verdicts(gone), ["same", "same"])

    def test_a_row_that_meets_none_may_already_be_in_while_a_created_one_is_left_over(self) -> None:
        trip = self.trip(self.sheet(("01", "A", "1"), ("02", "B", "2")), "upsert")
        self.apply(trip)
        self.again(trip, self.sheet(("0l", "A", "1"), ("02", "B", "2")))
        self.assertEqual((self.verdicts(trip), self.codes(trip)[0]), (["held", "same"], ["near-key", "may-be-in"]))
        self.decide(trip, "new", [0])
        self.assertEqual(self.verdicts(trip), ["create", "same"])

    def test_rows_of_a_newer_version_meet_their_earlier_selves_and_are_counted(self) -> None:
        self.make(("01", "A"), ("02", "B"), ("03", "C"))
        trip = self.trip(self.sheet(("01", "A", "1"), ("02", "B", "2"), ("", "no key", "3")))
        before = self.table(trip)["row_id"].to_list()
        self.again(trip, self.sheet(("", "no key", "3"), ("03", "C", "4"), ("02", "B!", "2"), ("01", "A", "1")))
        self.assertEqual(self.table(trip)["row_id"].to_list(), [before[2], 3, before[1], before[0]])
        self.assertEqual(trip.sheets.last().known_rows, {"identifier": 0, "key": 2, "cells": 1})

    def test_a_deleted_rows_edit_is_asked_about(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "A", "1")), "delete")
        self.apply(trip)
        change(PartView.of(trip), self.person, Changes(operation="upsert"))
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same"])
        self.again(trip, self.sheet(("01", "A", "2")))
        self.assertEqual(self.codes(trip), [["deleted-before"]])
        self.decide(trip, "new", [0])
        self.assertEqual(self.verdicts(trip), ["create"])


class Between(HolderSheets):
    def test_a_pass_that_broke_off_sends_what_was_confirmed_whatever_sheet_came_since(self) -> None:
        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Confirmed", "1"), ("02", "Confirmed", "2")))
        die("prepared", self.start(trip))
        self.again(trip, self.sheet(("01", "Corrected", "1"), ("02", "Corrected", "2")))
        with self.assertRaises(PlainError) as caught:
            self.start(trip)
        self.assertEqual(caught.exception.code, "no-plan")
        self.go_on(trip)
        self.assertEqual({h["last_name"] for h in self.holders(self.begin)}, {"Confirmed"})
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["update", "update"])
        self.apply(trip)
        self.assertEqual({h["last_name"] for h in self.holders(self.begin)}, {"Corrected"})

    def test_a_bring_in_that_fails_halfway_leaves_the_trip_as_it_was(self) -> None:
        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        before = Trip.objects.values().get(pk=trip.pk)
        with patch("vexo.server.ingest.intake.Intake.take_in", side_effect=RuntimeError("halfway")):
            job = self.again(trip, self.sheet(("02", "Else", "2")))
        self.assertEqual(job.state, Job.FAILED)
        self.assertEqual(Trip.objects.values().get(pk=trip.pk), before)
        self.apply(trip)
        self.assertEqual((self.of("01")["last_name"], self.of("02")["last_name"]), ("Mine", "B"))

    def test_a_sheet_without_a_plan_can_not_be_applied(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        seen = self.newest(trip).number
        with patch("vexo.server.planning.plan_trip._attempt", side_effect=PlainError("The application is away.")):
            self.again(trip, self.sheet(("01", "Other", "1")))
        from vexo.server.passes.starting import start_pass

        with self.assertRaises(Stale):
            start_pass(PartView.of(trip), self.person, seen, run_here=True)
        self.assertEqual(self.of("01")["last_name"], "A")

    def test_what_is_decided_or_changed_a_moment_before_apply_is_never_passed_over(self) -> None:
        from vexo.server.passes.starting import start_pass

        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
        changes = (
            lambda: self.decide(trip, "aside", [0]),
            lambda: run_inline(change(PartView.of(trip), self.person, Changes(columns={"phone": ""}), run_here=True)),
            lambda: run_inline(change(PartView.of(trip), self.person, Changes(operation="upsert"), run_here=True)),
        )
        for step in changes:
            seen = self.newest(trip).number
            step()
            with self.assertRaises(Stale) as caught:
                start_pass(PartView.of(trip), self.person, seen, run_here=True)
            self.assertEqual(caught.exception.more["newer"], {"plan": self.newest(trip).number})
        self.assertEqual({h["last_name"] for h in self.holders(self.begin)}, {"A", "B"})
        one = self.apply(trip)
        self.assertEqual((one.totals["updated"], one.sums["aside"]), (1, 1))

    def test_while_it_is_planned_anew_nothing_starts(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        waiting = Job.objects.create(kind="plan", by="ada", trip=trip, queue="planning")
        with self.assertRaises(Stale):
            self.start(trip)
        waiting.delete()
        self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_an_answer_for_one_cell_answers_no_conflict_that_comes_later_in_another(self) -> None:
        trip, path = self.out("A", "notes", "depth_m")
        record = register().berth("TERNISLAND", "A-001")

        def change_cells(sheet: Any) -> None:
            sheet.cell(2, 4).value, sheet.cell(2, 5).value = "mine", 7.5

        register().change(f"Berths({record['id']})", notes="theirs")
        self.back(self.edited(path, change_cells))
        self.assertEqual(self.codes(trip)[0], ["both-changed"])
        self.decide(trip, "file", [0])
        self.assertEqual(self.verdicts(trip)[0], "update")
        register().change(f"Berths({record['id']})", depth_m=3.25)
        self.plan(trip)
        self.assertEqual(self.verdicts(trip)[0], "held")
        self.assertEqual(self.table(trip)["faults"][0][0]["field"], "depth_m")

    def test_one_decision_covers_all_rows_that_are_asked_the_same_and_is_undone_as_one(self) -> None:
        trip, path = self.out("B", "notes")
        for record in register().get("Berths", **{"$filter": "harbour eq 'TERNISLAND' and startswith(berth_no,'B-')"})[
            "value"
        ][:20]:
            register().change(f"Berths({record['id']})", notes="theirs")

        def edit(sheet: Any) -> None:
            for row in range(2, sheet.max_row + 1):
                sheet.cell(row, 4).value = f"mine {row}"

        self.back(self.edited(path, edit))
        self.assertEqual(self.terms(trip)["held"], 20)
        made = self.decide(trip, "file", code="both-changed", field="notes")
        self.assertEqual((trip.decisions.count(), made.count), (1, 20))
        self.assertNotIn("held", self.terms(trip))
        run_inline(decisions.undo(PartView.of(trip), self.person, made.pk, run_here=True))
        self.assertEqual(self.terms(trip)["held"], 20)
        with self.assertRaises(PlainError):
            decisions.undo(PartView.of(trip), self.person, made.pk)

    def test_a_decision_undone_after_a_pass_is_planned_with_what_the_pass_wrote(self) -> None:
        trip = self.trip(self.sheet(("01", "A", ""), ("02", "B", "")), "upsert")
        made = self.decide(trip, "aside", [1])
        self.assertTrue(needs_no_question(PartView.of(trip)))
        self.apply(trip)
        self.assertFalse(needs_no_question(PartView.of(trip)), "the application has to be asked again")
        run_inline(decisions.undo(PartView.of(trip), self.person, made.pk, run_here=True))
        trip.refresh_from_db()
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["same", "create"], [[], []]))

    def test_a_decision_names_the_plan_that_was_seen(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        seen = self.newest(trip).number
        self.decide(trip, "aside", [0])
        with self.assertRaises(Stale):
            decisions.decide(PartView.of(trip), self.person, seen, decisions.Scope((0,)), "aside")

    def test_a_refused_row_can_go_again_once_its_cause_is_gone_elsewhere(self) -> None:
        self.make(("09", "Blocks"))
        self.theirs("09", email=f"b{self.begin}@example.org")
        content = self.sheet(("01", "A", f"b{self.begin}@example.org"), header="holder_no,last_name,email")
        trip = self.trip(content, "upsert")
        self.assertEqual(self.codes(trip), [["duplicate"]])
        self.decide(trip, "file", [0])
        self.assertEqual(self.apply(trip).totals["refused"], 1)
        self.theirs("09", email=f"c{self.begin}@example.org")
        self.plan(trip)
        self.assertEqual(self.apply(trip).totals["created"], 1)

    def test_a_killed_pass_of_the_command_line_does_not_block_its_trip(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        job = self.start(trip)
        Job.objects.filter(pk=job.pk).update(owner=f"{os.uname().nodename}:4194303:1", lease_until=9e9)
        from vexo.server.passes.starting import go_on

        run_inline(go_on(PartView.of(trip), self.person, 1, run_here=True)[1])
        self.assertEqual(self.last_pass(trip).totals["updated"], 1)

    def test_no_worker_takes_what_the_command_line_makes_for_itself(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        job = self.start(trip)
        self.assertIsNone(claim("worker:1:1"))
        run_inline(job)
        self.assertEqual(self.last_pass(trip).state, "ended")

    def test_a_field_that_the_application_changed_since_voids_the_plan(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        plan = self.newest(trip)
        plan.field_signatures = {**plan.field_signatures, "phone": "text|None|None|5|None|False|False|"}
        plan.save()
        with self.assertRaises(Stale) as caught:
            self.start(trip)
        self.assertIn("Phone", str(caught.exception))
