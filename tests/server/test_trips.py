from __future__ import annotations

from decimal import Decimal
from typing import Any

from tests.server.services import WHERE, ServiceCase
from tests.support import register, template

template()

from vexo.applications import ApplicationError  # noqa: E402
from vexo.cli.tables import plan_table  # noqa: E402
from vexo.cli.terminal import sum_line  # noqa: E402
from vexo.core.documents import default_fields  # noqa: E402
from vexo.core.keys.record_keys import RecordKeyError  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.applications.models import Application  # noqa: E402
from vexo.server.applications.services import describe  # noqa: E402
from vexo.server.errors import PlainError, Stale  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.rows.windows import Source, Wanted, plan_window, states  # noqa: E402
from vexo.server.trips.facts.rows import Window  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.status import TripStatus  # noqa: E402


class Recognising(ServiceCase):
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
        self.assertEqual((job.error, job.trip_id), ("", trip.pk))
        self.assertTrue(trip.sheets.last().recognised)
        self.assertEqual(set(self.terms(trip)), {"same"})
        remarks = trip.sheets.last().mappings.get(header="My remarks")
        self.assertEqual((remarks.field, remarks.carried), ("", False))

    def test_a_sheet_of_the_other_set_is_a_trip_of_its_own_without_a_kept_copy(self) -> None:
        trip, path = self.out("B", "notes", application=self.live)
        job = self.back(path, self.practice)
        self.assertNotEqual(job.trip_id, trip.pk)
        self.assertFalse(self.trip_of(job).sheets.last().recognised)

    def test_a_corrected_version_takes_the_place_of_the_first(self) -> None:
        trip, path = self.out("C", "notes")
        first = self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "one"))
        second = self.edited(path, lambda sheet: setattr(sheet.cell(3, 4), "value", "two"))
        self.back(first)
        self.assertEqual(self.terms(trip)["update"], 1)
        self.decide(trip, "aside", [0])
        self.assertEqual(self.terms(trip)["aside"], 1)
        self.back(second)
        self.assertEqual((self.terms(trip)["update"], self.terms(trip)["aside"]), (1, 1))
        sheet = trip.sheets.filter(direction="in").last()
        self.assertEqual((sheet.known_rows["identifier"], sheet.first_row), (sheet.rows, sheet.rows))

    def test_the_file_that_came_in_is_kept_as_it_was(self) -> None:
        trip, path = self.out("D", "notes")
        self.back(path)
        from vexo.server.data_folder import absolute

        kept = absolute(trip.sheets.last().path)
        self.assertEqual((kept.read_bytes(), kept.name.isdecimal()), (path.read_bytes(), True))

    def test_a_total_row_and_blank_rows_are_counted_apart(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,A-001,x\n,,\nTERNISLAND,A-002,y\nTotal,,2\n")
        summary = self.newest(trip).summary
        self.assertEqual((summary["rows"], summary["blank_rows"], summary["total_rows"]), (2, 1, 1))


class Passes(ServiceCase):
    def test_refused_rows_go_again_in_a_second_pass_and_the_sum_stays_whole(self) -> None:
        where = WHERE.format("E") + " and status eq 'free' and daily_rate ne null"
        lonely, dearer = register().get("Berths", **{"$filter": where})["value"][:2]
        trip, path = self.out("E", "daily_rate", "status", "holder")

        def change(sheet: Any) -> None:
            for row in range(2, sheet.max_row + 1):
                if sheet.cell(row, 3).value == lonely["berth_no"]:
                    sheet.cell(row, 5).value = "let"
                if sheet.cell(row, 3).value == dearer["berth_no"]:
                    sheet.cell(row, 4).value = float(dearer["daily_rate"]) + 1.25

        self.back(self.edited(path, change))
        first = self.apply(trip)
        self.assertEqual((first.totals["updated"], first.totals["refused"]), (1, 1))
        with self.assertRaises(Stale):
            self.start(trip)
        holder = register().get("Holders", **{"$top": "1"})["value"][0]["id"]
        register().change(f"Berths({lonely['id']})", holder=holder)
        self.plan(trip)
        self.assertEqual(self.terms(trip)["update"], 1)
        second = self.apply(trip)
        self.assertEqual(second.totals["updated"], 1)
        self.assertEqual((second.sums["updated"], second.sums["refused"], second.sums["waiting"]), (2, 0, 0))
        self.assertEqual(sum(second.sums.values()), trip.sheets.last().rows)
        self.assertEqual(second.report["as_sent"], 1)

    def test_a_pass_begun_twice_is_sent_once(self) -> None:
        trip, path = self.out("G", "notes")
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "once")))
        first = self.start(trip)
        self.assertEqual(self.start(trip).pk, first.pk)
        self.assertEqual(trip.passes.count(), 1)
        self.assertEqual(run_inline(first).error, "")
        self.assertEqual(self.last_pass(trip).totals["updated"], 1)

    def test_a_stopped_pass_leaves_its_rows_unsent_and_they_can_go_later(self) -> None:
        trip, path = self.out("H", "notes")
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "stopped")))
        job = self.start(trip)
        Job.objects.filter(pk=job.pk).update(wanted="stop")
        self.assertEqual(run_inline(job).state, Job.STOPPED)
        one = self.last_pass(trip)
        self.assertEqual((one.state, one.totals["updated"], one.sums["waiting"]), ("stopped", 0, 1))
        self.plan(trip)
        self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_nothing_to_write_starts_nothing(self) -> None:
        trip, path = self.out("J", "notes")
        self.back(path)
        with self.assertRaises(PlainError) as caught:
            self.start(trip)
        self.assertIn("nothing to write", str(caught.exception))

    def test_all_or_nothing_writes_none_where_one_is_refused(self) -> None:
        lines = ["holder_no,last_name,email", "0970001,Plover,ap@example.org", "0970002,Curlew,no address"]
        trip = self.bring("\n".join(lines), record_type="Holder", operation="upsert", key=["holder_no"])
        one = self.apply(trip, atomic=True)
        self.assertEqual((one.totals["created"], one.totals["refused"]), (0, 2))
        self.assertEqual(self.holders("09700"), [])
        self.assertEqual({reason["code"] for reason in one.reasons}, {"refused", "undone-with-group"})
        with self.assertRaises(PlainError) as caught:
            self.plan(trip)
            Application.objects.filter(pk=self.practice.pk).update(catalogue=self._few())
            self.start(trip, atomic=True)
        self.assertIn("at most 1 rows", str(caught.exception))
        describe(self.practice)

    def _few(self) -> dict[str, Any]:
        known = self.practice.catalogue
        return {**known, "promises": {**known["promises"], "atomic_batch": 1}, "version": "few"}

    def test_deletes_keep_the_whole_record_count_what_points_to_it_and_are_read_back(self) -> None:
        lines = ["holder_no,last_name", "0971001,Plover", "0971002,Curlew"]
        trip = self.bring("\n".join(lines), record_type="Holder", operation="upsert", key=["holder_no"])
        self.apply(trip)
        made = self.holders("09710")
        register().change(f"Berths({register().berth('TERNISLAND', 'A-001')['id']})", holder=made[0]["id"])
        gone = self.bring("holder_no\n0971001\n0971002\n", record_type="Holder", operation="delete", key=["holder_no"])
        plan = self.newest(gone)
        self.assertEqual(plan.summary["pointed"], {"Berths, Holder": 1})
        whole = artifacts.read(plan.deleted_path)
        self.assertEqual(sorted(whole["last_name"]), ["Curlew", "Plover"])
        self.assertIn("phone", whole.columns)
        one = self.apply(gone)
        self.assertEqual((one.totals["deleted"], one.totals["refused"]), (1, 1))
        self.assertEqual((one.report["deleted"], one.report["gone"]), (1, 1))
        self.assertEqual(one.report["type"]["others"], 0)
        self.assertEqual(one.reasons[0]["arguments"][0], "Other records point to it: 1 (berth).")

    def test_totals_agree_and_others_doing_is_told_apart(self) -> None:
        trip, path = self.out("C", "daily_rate", "notes")
        at = {"row": 0}

        def change(sheet: Any) -> None:
            for row in range(2, sheet.max_row + 1):
                if sheet.cell(row, 4).value:
                    sheet.cell(row, 4).value = float(sheet.cell(row, 4).value) + 1.25
                    at["row"] = row
                    return

        self.back(self.edited(path, change))
        body = {"harbour": "TERNISLAND", "berth_no": "C-901", "length_m": 8}
        with register().client() as client:
            client.post("Berths", json=body).raise_for_status()
        one = self.apply(trip)
        sums = one.report["totals"]["daily_rate"]
        self.assertEqual(sums["planned"], sums["after"])
        self.assertEqual(Decimal(sums["after"]) - Decimal(sums["before"]), Decimal("1.25"))
        self.assertEqual((one.report["type"]["others"], one.report["selection"]["others"]), (1, 1))

    def test_what_the_application_does_by_itself_is_listed_apart(self) -> None:
        register().behave(warnings=True)
        trip = self.bring(
            "holder_no,last_name\n0972001,Plover\n", record_type="Holder", operation="upsert", key=["holder_no"]
        )
        one = self.apply(trip)
        self.assertEqual((one.report["as_sent"], one.report["warnings"]), (1, 1))
        self.assertEqual(one.report["set"]["Open contracts"], 1)
        self.assertEqual(one.report["differences"], [])


class Standings(ServiceCase):
    def line(self, trip: Trip) -> dict[str, str]:
        trip.refresh_from_db()
        return {station.name: station.says for station in TripStatus(PartView.of(trip)).stations()}

    def test_a_trip_says_where_it_stands_at_every_station(self) -> None:
        trip, path = self.out("K", "daily_rate", "notes")
        trip.refresh_from_db()
        status = TripStatus(PartView.of(trip))
        self.assertEqual((status.here, status.asks()), ("file", False))
        self.assertIn("rows out, not back yet", self.line(trip)["file"])
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", "4O")))
        line = self.line(trip)
        self.assertEqual((line["keys"], line["review"]), ("Record ID", "1 row needs you"))
        self.assertEqual(
            (line["columns"], line["apply"], line["outcome"]), ("4 of 5 carried", "nothing written yet", "—")
        )
        status = TripStatus(PartView.of(trip))
        self.assertEqual((status.here, status.needs().kind, status.asks()), ("review", "rejected", True))

    def test_lists_do_not_read_what_passes_read_back(self) -> None:
        from django.db import connection
        from django.test import Client
        from django.test.utils import CaptureQueriesContext

        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,A-009,read back\n")
        one = self.apply(trip)
        self.assertNotIn("report", trip.status["passes"][-1])
        self.assertEqual(trip.reports[str(one.number)]["as_sent"], 1)
        client = Client()
        client.force_login(self.person)
        with CaptureQueriesContext(connection) as asked:
            answer = client.get("/api/trips")
        self.assertIn(trip.pk, [listed["id"] for listed in answer.json()])
        self.assertNotIn('"reports"', " ".join(query["sql"] for query in asked))

    def test_windows_follow_filters_and_tell_reasons(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,A-001,a\nTERNISLAND,A-O02,b\nTERNISLAND,A-003,=c\n")
        plan = self.newest(trip)
        planned, source = PlanContext.of_plan(plan), Source(plan.path, plan.sheet.cells)

        def window(offset: int = 0, limit: int = 10, **wanted: str) -> Window:
            return plan_window(planned, source, Wanted(**wanted), (offset, limit))

        self.assertEqual(window(1, 1).rows[0].row, 3)
        rejected = window(state="rejected")
        self.assertEqual((rejected.total, rejected.rows[0].row), (1, 3))
        self.assertIn("A-002", str(rejected.rows[0].reason))
        self.assertEqual(window(code="not-found").total, 1)
        self.assertEqual(window(text="=C").rows[0].row, 4)
        self.assertEqual(window(column="notes").total, 2)
        with self.assertRaisesRegex(PlainError, "no field 'no such'"):
            window(column="no such")
        self.assertEqual(window(state="held").rows, [])
        self.assertEqual(
            [(r["state"], r["code"], r["count"]) for r in plan.summary["reasons"]], [("rejected", "not-found", 1)]
        )
        self.assertEqual(states(plan.path, "")["state"].to_list(), ["update", "rejected", "update"])

    def test_the_table_on_the_terminal_shows_old_and_new(self) -> None:
        trip = self.bring("harbour,berth_no,daily_rate\nTERNISLAND,B-001,77.5\nTERNISLAND,B-002,x\n")
        table = plan_table(PlanContext.of_plan(self.newest(trip)), self.table(trip), ["daily_rate"])
        cells = [str(cell) for cell in table.columns[4].cells]
        self.assertTrue(cells[0].endswith("→ 77.50"), cells)
        self.assertEqual(cells[1], "x")
        self.assertEqual(sum_line(1204, {"update": 1204, "same": 0}), "1,204 rows read = 1,204 update")

    def test_a_key_that_has_to_be_said_is_asked_for_and_the_sheet_stays(self) -> None:
        job = self.back(self.text("daily_rate,notes\n5,x\n"))
        self.assertEqual((job.kind, job.error), ("bring in", ""))
        trip = self.trip_of(job)
        self.assertEqual(self.line(trip)["keys"], "choose how rows find records")
        with self.assertRaisesRegex(RecordKeyError, "by harbour . berth_no or ring_no"):
            PlanContext.of_now(PartView.of(trip))

    def test_default_fields_begin_with_identifier_and_key(self) -> None:
        berth = describe(self.practice).type("Berth")
        fields = default_fields(berth)
        self.assertEqual(fields[:3], ["id", "harbour", "berth_no"])
        self.assertNotIn("balance_due", fields)

    def test_what_was_done_is_in_the_journal(self) -> None:
        before = Entry.objects.count()
        trip, path = self.out("A", "ring_no", "notes")
        self.back(self.edited(path, lambda sheet: setattr(sheet.cell(2, 5), "value", "journal")))
        self.decide(trip, "aside", [1])
        self.apply(trip)
        kinds = list(Entry.objects.order_by("id").values_list("what", flat=True))[before:]
        self.assertEqual(kinds, ["sent out", "brought in", "planned", "decided", "planned", "applying", "applied"])

    def test_an_application_that_stops_answering_is_remembered_as_such(self) -> None:
        lost = Application.objects.create(name="lost", label="Lost", stage="practice", address="http://127.0.0.1:9/")
        self.addCleanup(lost.delete)
        with self.assertRaises(ApplicationError):
            describe(lost)
        lost.refresh_from_db()
        self.assertIn("does not answer", lost.trouble)
