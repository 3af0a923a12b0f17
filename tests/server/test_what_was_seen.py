"""What is written is what was seen: sheets, decisions and colleagues that come in between."""

from __future__ import annotations

import os
import shutil
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.server.killing import die
from tests.server.services import ServiceCase
from tests.support import register, template

template()

from vexo.server import stages  # noqa: E402
from vexo.server.bringin import uploads  # noqa: E402
from vexo.server.bringin.columns import change  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError, Stale  # noqa: E402
from vexo.server.jobs.leases import claim  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.working import do_now  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.review import decisions  # noqa: E402
from vexo.server.review.plans import plan_of  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402


class HolderSheets(ServiceCase):
    """Foreign sheets of holders, each test with numbers of its own."""

    number = 0

    def setUp(self) -> None:
        super().setUp()
        HolderSheets.number += 1
        self.begin = f"07{HolderSheets.number:03d}"

    def sheet(self, *rows: tuple[str, ...], header: str = "holder_no,last_name,phone") -> str:
        return "\n".join([header, *[",".join([f"{self.begin}{row[0]}" if row[0] else "", *row[1:]]) for row in rows]])

    def make(self, *names: tuple[str, str]) -> None:
        with register().client() as client:
            for number, name in names:
                body = {"holder_no": f"{self.begin}{number}", "last_name": name}
                client.post("Holders", json=body).raise_for_status()

    def of(self, number: str) -> dict[str, Any]:
        return next(h for h in self.holders(self.begin) if h["holder_no"] == f"{self.begin}{number}")

    def theirs(self, number: str, **values: Any) -> None:
        register().change(f"Holders({self.of(number)['id']})", **values)

    def trip(self, content: str, operation: str = "update", **more: Any) -> Any:
        return self.bring(content, record_type="Holder", operation=operation, **{"key": ["holder_no"], **more})

    def again(self, trip: Any, content: str) -> Any:
        job = self.back(self.text(content, "corrected.csv"), record_type="Holder", trip=str(trip.pk))
        trip.refresh_from_db()
        return job


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
        self.assertEqual((self.verdicts(trip), self.codes(trip)[0]), (["held", "same"], ["may-be-in"]))
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
        change(trip, self.person, operation="upsert")
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
        with patch("vexo.server.bringin.bringing._take_in", side_effect=RuntimeError("halfway")):
            job = self.again(trip, self.sheet(("02", "Else", "2")))
        self.assertEqual(job.state, Job.FAILED)
        self.assertEqual(Trip.objects.values().get(pk=trip.pk), before)
        self.apply(trip)
        self.assertEqual((self.of("01")["last_name"], self.of("02")["last_name"]), ("Mine", "B"))

    def test_a_sheet_without_a_plan_can_not_be_applied(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        seen = plan_of(trip).number
        with patch("vexo.server.review.planning._attempt", side_effect=PlainError("The application is away.")):
            self.again(trip, self.sheet(("01", "Other", "1")))
        from vexo.server.passes.starting import start_pass

        with self.assertRaises(Stale):
            start_pass(trip, self.person, seen, mine=True)
        self.assertEqual(self.of("01")["last_name"], "A")

    def test_what_is_decided_or_changed_a_moment_before_apply_is_never_passed_over(self) -> None:
        from vexo.server.passes.starting import start_pass

        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
        changes = (
            lambda: self.decide(trip, "aside", [0]),
            lambda: do_now(change(trip, self.person, said={"phone": ""}, mine=True)),
            lambda: do_now(change(trip, self.person, operation="upsert", mine=True)),
        )
        for step in changes:
            seen = plan_of(trip).number
            step()
            with self.assertRaises(Stale) as caught:
                start_pass(trip, self.person, seen, mine=True)
            self.assertEqual(caught.exception.more["newer"], {"plan": plan_of(trip).number})
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
        do_now(decisions.undo(trip, self.person, made.pk, mine=True))
        self.assertEqual(self.terms(trip)["held"], 20)
        with self.assertRaises(PlainError):
            decisions.undo(trip, self.person, made.pk)

    def test_a_decision_names_the_plan_that_was_seen(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        seen = plan_of(trip).number
        self.decide(trip, "aside", [0])
        with self.assertRaises(Stale):
            decisions.decide(trip, self.person, seen, decisions.Scope((0,)), "aside")

    def test_a_refused_row_can_go_again_once_its_cause_is_gone_elsewhere(self) -> None:
        self.make(("09", "Blocks"))
        self.theirs("09", email=f"b{self.begin}@example.org")
        content = self.sheet(("01", "A", f"b{self.begin}@example.org"), header="holder_no,last_name,email")
        trip = self.trip(content, "upsert")
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

        do_now(go_on(trip, self.person, 1, mine=True)[1])
        self.assertEqual(self.last_pass(trip).totals["updated"], 1)

    def test_no_worker_takes_what_the_command_line_makes_for_itself(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        job = self.start(trip)
        self.assertIsNone(claim("worker:1:1"))
        do_now(job)
        self.assertEqual(self.last_pass(trip).state, "ended")

    def test_a_field_that_the_application_changed_since_voids_the_plan(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        plan = plan_of(trip)
        plan.natures = {**plan.natures, "phone": "text|None|None|5|None|False|False|"}
        plan.save()
        with self.assertRaises(Stale) as caught:
            self.start(trip)
        self.assertIn("Phone", str(caught.exception))


class Moved(HolderSheets):
    """Records that got another key in the application than the kept copy knows."""

    def rename(self, berth: dict[str, Any], number: str) -> None:
        register().change(f"Berths({berth['id']})", berth_no=number)

    def test_a_record_renamed_in_the_application_is_asked_about(self) -> None:
        trip, path = self.out("D", "notes")
        record = register().berth("TERNISLAND", "D-001")
        self.rename(record, "D-999")

        def edit(sheet: Any) -> None:
            sheet.delete_cols(1)
            sheet.cell(2, 3).value = "mine"

        self.back(self.edited(path, edit), key=["harbour", "berth_no"])
        self.assertEqual((self.verdicts(trip)[0], self.codes(trip)[0]), ("held", ["renamed"]))
        self.decide(trip, "then", [0])
        self.assertEqual(self.verdicts(trip)[0], "update")
        self.apply(trip)
        now = register().get(f"Berths({record['id']})")
        self.assertEqual((now["notes"], now["berth_no"]), ("mine", "D-999"))

    def test_two_records_swapped_by_key_are_asked_about(self) -> None:
        trip, path = self.out("E", "notes")
        first, second = (register().berth("TERNISLAND", f"E-00{n}") for n in (1, 2))
        self.rename(first, "E-998")
        self.rename(second, "E-001")
        self.rename({"id": first["id"]}, "E-002")

        def edit(sheet: Any) -> None:
            sheet.delete_cols(1)
            sheet.cell(2, 3).value = "mine"

        self.back(self.edited(path, edit), key=["harbour", "berth_no"])
        self.assertEqual((self.verdicts(trip)[:2], self.codes(trip)[0]), (["held", "held"], ["swapped"]))
        self.decide(trip, "then", [0])
        self.assertEqual(self.table(trip)["@id"][0], str(first["id"]))

    def test_gone_means_that_the_record_itself_is_gone(self) -> None:
        body = {"harbour": "TERNISLAND", "berth_no": "F-901", "length_m": 8}
        with register().client() as client:
            made = client.post("Berths", json=body).json()
        trip, path = self.out("F", "notes")
        with register().client() as client:
            client.delete(f"Berths({made['id']})").raise_for_status()
        self.back(path)
        rows = dict(zip(self.table(trip)["new.berth_no"].to_list(), self.codes(trip), strict=True))
        self.assertEqual(rows["F-901"], ["gone"])

    def test_a_new_column_is_compared_two_ways_and_said(self) -> None:
        trip, path = self.out("G", "notes")

        def edit(sheet: Any) -> None:
            sheet.cell(1, 5).value = "Depth at low water, m"
            sheet.cell(2, 5).value = 7.77

        self.back(self.edited(path, edit))
        self.assertEqual(self.terms(trip)["update"], 1)
        columns = {column["field"]: column["two_way"] for column in plan_of(trip).summary["columns"]}
        self.assertEqual((columns["depth_m"], columns["notes"]), (True, False))

    def test_without_versions_a_colleagues_change_is_neither_overwritten_nor_deleted(self) -> None:
        register().behave(versions=False)
        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
        self.assertTrue(plan_of(trip).summary["weak"])
        self.theirs("01", last_name="Theirs")
        one = self.apply(trip)
        self.assertEqual((one.totals["updated"], one.totals["refused"]), (1, 1))
        self.assertEqual(self.of("01")["last_name"], "Theirs")
        gone = self.trip(self.sheet(("01",), ("02",), header="holder_no"), "delete")
        self.theirs("01", phone="555")
        one = self.apply(gone)
        self.assertEqual((one.totals["deleted"], one.totals["refused"]), (1, 1))
        self.assertEqual(self.of("01")["phone"], "555")

    def test_with_versions_a_clash_goes_again_where_nothing_that_counts_was_changed(self) -> None:
        self.make(("01", "A"), ("02", "B"))
        trip = self.trip(self.sheet(("01", "Mine"), ("02", "Mine"), header="holder_no,last_name"))
        self.theirs("01", phone="555")
        self.theirs("02", last_name="Theirs")
        one = self.apply(trip)
        self.assertEqual((one.totals["updated"], one.totals["refused"]), (1, 1))
        self.assertEqual((self.of("01")["last_name"], self.of("01")["phone"]), ("Mine", "555"))
        self.assertEqual(one.reasons[0]["code"], "changed-meanwhile")


class Uploads(ServiceCase):
    def test_half_an_upload_is_not_the_whole(self) -> None:
        upload = uploads.begin("half.csv", 100, "ada")
        uploads.add(upload.pk, "ada", 0, b"x" * 60)
        with self.assertRaises(PlainError) as caught:
            uploads.finish(upload.pk, "ada")
        self.assertEqual(caught.exception.code, "half")
        with self.assertRaises(PlainError):
            uploads.add(upload.pk, "ada", 60, b"x" * 41)
        with self.assertRaises(PlainError):
            uploads.add(upload.pk, "ada", 70, b"x")

    def test_a_name_opens_nothing(self) -> None:
        for name in ("name", "../../key", "..\\key", "/etc/passwd", "key\0.csv", "\u202ecsv.exe", "x" * 500):
            upload = uploads.begin(name, 3, "ada")
            uploads.add(upload.pk, "ada", 0, b"a,b")
            found = uploads.finish(upload.pk, "ada")
            self.assertEqual(absolute(found.path).name, str(upload.pk))
            self.assertEqual(absolute(found.path).read_bytes(), b"a,b")
            self.assertNotIn("/", found.name)

    def test_an_upload_belongs_to_who_began_it(self) -> None:
        upload = uploads.begin("mine.csv", 3, "ada")
        for step in (lambda: uploads.add(upload.pk, "bram", 0, b"abc"), lambda: uploads.finish(upload.pk, "bram")):
            with self.assertRaises(PlainError):
                step()

    def test_finished_twice_it_makes_one_trip(self) -> None:
        from vexo.server.bringin.bringing import start_bringing_in

        upload = uploads.take_file(self.text("holder_no,last_name\n0999999,Once\n"), str(self.person))
        asked = [
            start_bringing_in(self.practice, "Holder", upload, self.person, operation="upsert", trip="new", mine=True)
            for _ in range(2)
        ]
        self.assertEqual(asked[0].pk, asked[1].pk)
        do_now(asked[0])
        again = start_bringing_in(self.practice, "Holder", upload, self.person, trip="new", mine=True)
        self.assertEqual(again.pk, asked[0].pk)


class Broken(HolderSheets):
    """One broken trip, and no other."""

    def listed(self) -> list[dict[str, Any]]:
        from rest_framework.test import APIRequestFactory, force_authenticate

        from vexo.server.trips.views import TripsView

        request = APIRequestFactory().get("/api/trips")
        force_authenticate(request, user=self.person)
        return list(TripsView.as_view()(request).data)

    def detail(self, trip: Any) -> dict[str, Any]:
        from rest_framework.test import APIRequestFactory, force_authenticate

        from vexo.server.trips.views import TripView

        request = APIRequestFactory().get("/")
        force_authenticate(request, user=self.person)
        answer = TripView.as_view()(request, pk=trip.pk)
        self.assertEqual(answer.status_code, 200)
        return dict(answer.data)

    def test_home_opens_no_file_and_asks_no_application(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        with (
            patch("vexo.server.stages.read", side_effect=AssertionError("a file")),
            patch("vexo.server.applications.services.client_of", side_effect=AssertionError("an application")),
        ):
            found = next(t for t in self.listed() if t["id"] == trip.pk)
            self.assertEqual((found["to_write"], found["plural"]), (1, "Holders"))
            self.detail(trip)

    def test_a_trip_that_cannot_be_shown_says_so_in_its_own_row(self) -> None:
        self.make(("01", "A"))
        trip, other = (self.trip(self.sheet(("01", "Mine", "1"))) for _ in range(2))
        for standing in (
            {"plan": {"number": "x"}, "sheet": {"id": 1}},
            {"passes": [1]},
            [],
            {"columns": [{}], "sheet": {}},
        ):
            Trip.objects.filter(pk=trip.pk).update(standing=standing)
            listed = {t["id"]: t for t in self.listed()}
            self.assertIn(trip.pk, listed)
            self.assertEqual(listed[other.pk]["to_write"], 1)
            self.detail(trip)

    def test_a_hostile_or_lost_catalogue_breaks_no_list(self) -> None:
        from vexo.server.applications.models import Application

        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        known = self.practice.catalogue
        for catalogue in ({"version": "x"}, {"version": "y", "types": 3}, {**known, "version": "z", "types": []}, None):
            Application.objects.filter(pk=self.practice.pk).update(catalogue=catalogue)
            self.assertEqual(next(t for t in self.listed() if t["id"] == trip.pk)["to_write"], 1)
            self.assertEqual(self.detail(trip)["columns"][0]["field_name"], "holder_no")
        Application.objects.filter(pk=self.practice.pk).update(catalogue=known)

    def test_a_lost_stage_file_is_said_and_planning_again_mends_it(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        shutil.rmtree(absolute(f"stages/{trip.pk}"))
        with self.assertRaises(stages.StageLost) as caught:
            self.start(trip)
        self.assertIn("Plan the trip again", str(caught.exception))
        self.plan(trip)
        self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_the_oldest_stages_go_first_and_files_stay(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        self.apply(trip)
        self.assertGreater(stages.evict(0), 0)
        self.assertTrue(stages.there(self.last_pass(trip).plan_file))
        self.assertTrue(stages.there(trip.sheets.last().cells))

    def test_rights_bind_every_way_in(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        looks = Person(username="looks", name="Looks", role=Role.VIEWER)
        plan = plan_of(trip).number
        from vexo.server.bringin.bringing import start_recognising
        from vexo.server.passes.starting import give_up, start_pass

        upload = uploads.take_file(self.text("a,b\n1,2\n"), "Looks")
        for step in (
            lambda: start_pass(trip, looks, plan),
            lambda: give_up(trip, looks, 1),
            lambda: decisions.decide(trip, looks, plan, decisions.Scope((0,)), "aside"),
            lambda: decisions.undo(trip, looks, 1),
            lambda: change(trip, looks, operation="upsert"),
            lambda: start_recognising(upload, looks),
        ):
            with self.assertRaises(NotAllowed):
                step()
        with self.assertRaises(PlainError):
            decisions.decide(trip, self.person, plan, decisions.Scope((0,)), "perhaps")
        self.assertIsInstance(Path(upload.path), Path)
