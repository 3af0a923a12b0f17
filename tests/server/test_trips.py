"""Trips on the server's own services, against the running register."""

from __future__ import annotations

import unittest
from pathlib import Path
from typing import Any

import openpyxl
import polars as pl

from tests.support import TOKEN, register, temporary_folder
from vexo.server.setting_up import set_up

FOLDER = set_up(temporary_folder() / "trips")

from vexo.cli.showing import plan_table, sum_line  # noqa: E402
from vexo.core.keys.finding import KeyError_  # noqa: E402
from vexo.server.applications.models import Application  # noqa: E402
from vexo.server.applications.services import client_of, connect, describe  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.working import PlainError, do_now, enqueue  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.runs.models import Run  # noqa: E402
from vexo.server.runs.services import is_applied, start_run, states, sum_after_passes, to_write  # noqa: E402
from vexo.server.trips.bringing import keep_file, start_bringing_in  # noqa: E402
from vexo.server.trips.models import Decision, Trip  # noqa: E402
from vexo.server.trips.planning import load  # noqa: E402
from vexo.server.trips.sending import default_fields, new_trip  # noqa: E402
from vexo.server.trips.stations import Standing  # noqa: E402
from vexo.server.trips.windows import Wanted, plan_window, reasons  # noqa: E402

WHERE = "harbour eq 'TERNISLAND' and startswith(berth_no,'{}-')"


class OnTheRegister(unittest.TestCase):
    practice: Application
    live: Application

    @classmethod
    def setUpClass(cls) -> None:
        for stage in ("practice", "live"):
            made = connect(f"harbour-{stage}", f"Register, {stage}", register().odata(stage), TOKEN, stage)
            setattr(cls, stage, made)

    def out(
        self, letter: str, *fields: str, application: Application | None = None, format_: str = "xlsx"
    ) -> tuple[Trip, Path]:
        trip = new_trip(application or self.practice, "Berth", "ada", fields, WHERE.format(letter), f"Letter {letter}")
        job = do_now(enqueue("send out", "ada", trip, format=format_))
        self.assertEqual(job.error, "")
        return trip, absolute(job.result["file"])

    def back(self, path: Path, application: Application | None = None, **more: Any) -> Job:
        file = keep_file(path, path.name)
        return do_now(start_bringing_in(application or self.practice, "Berth", file, "ada", **more))

    def edited(self, path: Path, change: Any) -> Path:
        book = openpyxl.load_workbook(path)
        change(book.active)
        target = temporary_folder() / path.name
        book.save(target)
        return target

    def text(self, content: str, name: str = "sheet.csv") -> Path:
        path = temporary_folder() / name
        path.write_text(content, encoding="utf-8")
        return path

    def terms(self, trip: Trip) -> dict[str, int]:
        trip.refresh_from_db()
        return {name: count for name, count in trip.summary["verdicts"].items() if count}


class Recognising(OnTheRegister):
    def test_columns_are_known_by_field_not_by_place(self) -> None:
        trip, path = self.out("A", "notes", "status")

        def swap(sheet: Any) -> None:
            columns = [[cell.value for cell in column] for column in sheet.columns]
            for at, column in enumerate(reversed(columns), 1):
                for row, value in enumerate(column, 1):
                    sheet.cell(row, at).value = value
            sheet.cell(1, len(columns) + 1).value = "My remarks"
            sheet.cell(2, len(columns) + 1).value = "look at this one"

        job = self.back(self.edited(path, swap))
        self.assertEqual((job.error, job.result["trip"], job.result["recognised"]), ("", trip.pk, True))
        self.assertEqual(set(self.terms(trip)), {"same"})
        remarks = trip.sheets.last().mappings.get(header="My remarks")
        self.assertEqual((remarks.field, remarks.carried), ("", False))

    def test_a_sheet_of_the_other_set_is_a_trip_of_its_own_without_a_kept_copy(self) -> None:
        trip, path = self.out("B", "notes", application=self.live)
        job = self.back(path, self.practice)
        self.assertNotEqual(job.trip_id, trip.pk)
        self.assertFalse(job.result["recognised"])

    def test_a_corrected_version_takes_the_place_of_the_first(self) -> None:
        trip, path = self.out("C", "notes")
        first = self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "one"))
        second = self.edited(path, lambda sheet: setattr(sheet.cell(3, 4), "value", "two"))
        self.back(first)
        self.assertEqual(self.terms(trip)["update"], 1)
        Decision.objects.create(trip=trip, row=2, answer="aside", by="ada")
        self.back(second)
        self.assertEqual(self.terms(trip)["update"], 1)
        self.assertEqual(trip.sheets.filter(direction="in").count(), 2)
        self.assertNotIn("aside", self.terms(trip))

    def test_the_file_that_came_in_is_kept_as_it_was(self) -> None:
        trip, path = self.out("D", "notes")
        self.back(path)
        self.assertEqual(absolute(trip.sheets.last().path).read_bytes(), path.read_bytes())

    def test_a_total_row_and_blank_rows_are_counted_apart(self) -> None:
        path = self.text("harbour,berth_no,notes\nTERNISLAND,A-001,x\n,,\nTERNISLAND,A-002,y\nTotal,,2\n")
        job = self.back(path)
        summary = Trip.objects.get(pk=job.result["trip"]).summary
        self.assertEqual((summary["rows"], summary["blank_rows"], summary["total_rows"]), (2, 1, 1))


class Passes(OnTheRegister):
    def applied(self, trip: Trip) -> Run:
        trip.refresh_from_db()
        run, job = start_run(trip, "ada", trip.plan)
        self.assertEqual(do_now(job).error, "")
        run.refresh_from_db()
        return run

    def test_refused_rows_go_again_in_a_second_pass_and_the_sum_stays_whole(self) -> None:
        rows = register().get(
            "Berths", **{"$filter": WHERE.format("E") + " and status eq 'free' and daily_rate ne null"}
        )["value"]
        lonely, dearer = rows[0], rows[1]
        trip, path = self.out("E", "daily_rate", "status", "holder")

        def change(sheet: Any) -> None:
            for row in range(2, sheet.max_row + 1):
                if sheet.cell(row, 3).value == lonely["berth_no"]:
                    sheet.cell(row, 5).value = "let"
                if sheet.cell(row, 3).value == dearer["berth_no"]:
                    sheet.cell(row, 4).value = 88.25

        self.back(self.edited(path, change))
        first = self.applied(trip)
        self.assertEqual((first.totals["updated"], first.totals["refused"]), (1, 1))
        self.assertTrue(is_applied(trip))
        with self.assertRaises(PlainError):
            start_run(trip, "ada")
        holder = register().get("Holders", **{"$top": "1"})["value"][0]["id"]
        register().change(f"Berths({lonely['id']})", holder=holder)
        do_now(enqueue("plan", "ada", trip))
        trip.refresh_from_db()
        self.assertEqual(to_write(trip), 1)
        waiting = sum_after_passes(trip)
        self.assertEqual((waiting["updated"], waiting["waiting"]), (1, 1))
        second = self.applied(trip)
        self.assertEqual(second.totals["updated"], 1)
        after = sum_after_passes(trip)
        self.assertEqual((after["updated"], after["refused"], after["waiting"]), (2, 0, 0))
        self.assertEqual(sum(after.values()), trip.summary["rows"])
        self.assertEqual(second.read_back["as_sent"], 1)

    def test_what_a_pass_wrote_becomes_the_kept_copy(self) -> None:
        trip, path = self.out("F", "notes")
        once = self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "first"))
        self.back(once)
        self.applied(trip)
        self.back(once)
        self.assertEqual(set(self.terms(trip)), {"same"})
        again = self.edited(once, lambda sheet: setattr(sheet.cell(2, 4), "value", "second"))
        self.back(again)
        self.assertEqual(self.terms(trip)["update"], 1)
        self.assertEqual(self.applied(trip).totals["updated"], 1)

    def test_a_pass_that_broke_off_goes_on_and_is_not_begun_twice(self) -> None:
        trip, path = self.out("G", "notes")
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "broken off")))
        trip.refresh_from_db()
        run, job = start_run(trip, "ada", trip.plan)
        with self.assertRaises(PlainError):
            start_run(trip, "bram", trip.plan)
        Job.objects.filter(pk=job.pk).update(state=Job.FAILED)
        self.assertEqual(Standing(trip)._apply(), ("broken off, goes on where it was", True))
        again, second = start_run(trip, "bram", trip.plan)
        self.assertEqual((again.pk, do_now(second).error), (run.pk, ""))
        run.refresh_from_db()
        self.assertEqual((run.state, run.totals["updated"]), (Run.DONE, 1))

    def test_a_stopped_pass_leaves_its_rows_waiting(self) -> None:
        trip, path = self.out("H", "notes")
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "stopped")))
        trip.refresh_from_db()
        run, job = start_run(trip, "ada", trip.plan)
        Job.objects.filter(pk=job.pk).update(wanted="stop")
        self.assertEqual(do_now(job).state, Job.STOPPED)
        run.refresh_from_db()
        self.assertEqual((run.state, run.totals["updated"]), (Run.STOPPED, 0))
        self.assertEqual(sum_after_passes(trip)["waiting"], 1)

    def test_nothing_to_write_starts_nothing(self) -> None:
        trip, path = self.out("J", "notes")
        self.back(path)
        trip.refresh_from_db()
        with self.assertRaises(PlainError) as caught:
            start_run(trip, "ada", trip.plan)
        self.assertIn("nothing to write", str(caught.exception))


class Standings(OnTheRegister):
    def line(self, trip: Trip) -> dict[str, str]:
        trip.refresh_from_db()
        return {station.name: station.says for station in Standing(trip).stations()}

    def test_a_trip_says_where_it_stands_at_every_station(self) -> None:
        trip, path = self.out("K", "daily_rate", "notes")
        standing = Standing(trip)
        self.assertEqual((standing.here, standing.asks()), ("file", False))
        self.assertIn("rows out, not back yet", self.line(trip)["file"])
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "4O")))
        line = self.line(trip)
        self.assertEqual((line["keys"], line["review"]), ("Record ID", "1 row needs you"))
        self.assertEqual(
            (line["columns"], line["apply"], line["outcome"]), ("4 of 5 carried", "nothing written yet", "—")
        )
        standing = Standing(trip)
        self.assertEqual((standing.here, standing.needs()["kind"], standing.asks()), ("review", "rejected", True))

    def test_windows_follow_filters_and_tell_reasons(self) -> None:
        path = self.text("harbour,berth_no,notes\nTERNISLAND,A-001,a\nTERNISLAND,A-O02,b\nTERNISLAND,A-003,=c\n")
        trip = Trip.objects.get(pk=self.back(path).result["trip"])
        planned = load(trip)
        self.assertEqual(plan_window(planned, Wanted(), 1, 1)["rows"][0]["row"], 3)
        rejected = plan_window(planned, Wanted(state="rejected"), 0, 10)
        self.assertEqual((rejected["total"], rejected["rows"][0]["row"]), (1, 3))
        self.assertIn("A-002", rejected["rows"][0]["reason"])
        self.assertEqual(plan_window(planned, Wanted(text="=C"), 0, 10)["rows"][0]["row"], 4)
        self.assertEqual(plan_window(planned, Wanted(column="notes"), 0, 10)["total"], 3)
        self.assertEqual(plan_window(planned, Wanted(state="held"), 0, 10)["rows"], [])
        self.assertEqual([(one["state"], one["count"]) for one in reasons(trip)], [("rejected", 1)])
        self.assertEqual(states(trip)["state"].to_list(), ["update", "rejected", "update"])

    def test_the_table_on_the_terminal_shows_old_and_new(self) -> None:
        path = self.text("harbour,berth_no,daily_rate\nTERNISLAND,B-001,77.5\nTERNISLAND,B-002,x\n")
        trip = Trip.objects.get(pk=self.back(path).result["trip"])
        planned = load(trip)
        table = plan_table(planned, pl.read_parquet(absolute(trip.plan)), ["daily_rate"])
        cells = [str(cell) for cell in table.columns[4].cells]
        self.assertTrue(cells[0].endswith("→ 77.50"), cells)
        self.assertEqual(cells[1], "x")
        self.assertEqual(sum_line(1204, {"update": 1204, "same": 0}), "1,204 rows read = 1,204 update")

    def test_a_key_that_has_to_be_said_is_asked_for(self) -> None:
        job = self.back(self.text("daily_rate,notes\n5,x\n"))
        self.assertIn("--key with harbour + berth_no or ring_no", job.error)
        with self.assertRaises(KeyError_):
            load(Trip.objects.get(pk=job.trip_id))

    def test_default_fields_begin_with_identifier_and_key(self) -> None:
        berth = describe(self.practice).type("Berth")
        fields = default_fields(berth)
        self.assertEqual(fields[:3], ["id", "harbour", "berth_no"])
        self.assertNotIn("balance_due", fields)

    def test_what_was_done_is_in_the_journal(self) -> None:
        before = Entry.objects.count()
        _, path = self.out("A", "ring_no")
        self.back(path)
        kinds = list(Entry.objects.order_by("id").values_list("what", flat=True))[before:]
        self.assertEqual(kinds, ["sent out", "brought in"])

    def test_an_application_that_stops_answering_is_remembered_as_such(self) -> None:
        from vexo.applications import ApplicationError

        lost = Application.objects.create(name="lost", label="Lost", stage="practice", address="http://127.0.0.1:9/")
        with self.assertRaises(ApplicationError):
            describe(lost)
        lost.refresh_from_db()
        self.assertIn("does not answer", lost.trouble)
        with client_of(self.practice) as client:
            self.assertIsNone(client.link(describe(self.practice).type("Berth"), "1"))
