"""Sheets that come home changed by other programs, in part, from elsewhere, or a second time."""

from __future__ import annotations

import csv
import io
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase, no_type_is_small
from tests.support import register, template

template()

from tests.core.examples import read_here  # noqa: E402
from vexo.core.keys.record_keys import RecordKeyError  # noqa: E402
from vexo.core.sheets import Choices  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.applications.services import describe  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.ingest.bring_in import bring_in_otherwise  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.passes.receipts import write_receipt, write_rejects  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.trips.models import Sheet, Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.uploads.models import Upload  # noqa: E402
from vexo.server.uploads.receive import take_file  # noqa: E402
from vexo.server.uploads.upload_cells import place_of  # noqa: E402
from vexo.server.uploads.waiting import read_again, read_otherwise, start_recognising  # noqa: E402

HEADER = "harbour,berth_no,daily_rate,notes"


def lines_of(path: Any) -> list[list[str]]:
    return list(csv.reader(io.StringIO(path.read_text(encoding="utf-8-sig"))))


def written(lines: list[list[str]], delimiter: str = ",") -> str:
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter).writerows(lines)
    return out.getvalue()


class LargeTypes(ServiceCase):
    def vessels(self, text: str) -> list[dict[str, Any]]:
        return list(register().get("Vessels", **{"$filter": f"contains(name,'{text}')"})["value"])

    def test_a_key_that_only_composing_or_trimming_makes_equal_is_found_in_a_large_type(self) -> None:
        with register().client() as client:
            for registration in ("E\u0301TOILE-1", "ETOILE-2"):
                body = {"registration": registration, "name": "Large types"}
                client.post("Vessels", json=body).raise_for_status()
        rows = "\u00c9TOILE-1,Found one\nETOILE-2\u00a0,Found two\nETOILE-3,New three\n"
        for limit, verdicts in ((2_000_000, ["update", "update", "create"]), (5, ["create", "update", "create"])):
            with (
                self.subTest(limit),
                no_type_is_small(),
                patch("vexo.server.planning.application_records.MOST_KEYS", limit),
            ):
                trip = self.bring(f"registration,name\n{rows}", record_type="Vessel", operation="upsert")
                self.assertEqual(self.verdicts(trip), verdicts)
                self.assertEqual(self.newest(trip).summary["keys_not_read"] > 0, limit == 5)
                said = self.vexo.run("--as", "ada", "review", str(trip.pk)).stdout
                self.assertEqual("are too many to read all their keys: one that" in " ".join(said.split()), limit == 5)


class AsSent(ServiceCase):
    def test_there_is_nothing_to_say_of_any_type_in_any_format(self) -> None:
        from vexo.core.documents import default_fields
        from vexo.server.sendout.send_out import new_trip

        only = {"Reading": "meter eq 'M0001'"}
        for record_type in describe(self.practice).types:
            fields = default_fields(record_type)
            for format_ in ("xlsx", "ods", "csv", "tsv"):
                with self.subTest(record_type.name, format=format_):
                    where = only.get(record_type.name, "")
                    trip = new_trip(self.practice, record_type.name, "ada", fields, where, record_type.name)
                    job = run_inline(enqueue("send out", "ada", PartView.of(trip), run_here=True, format=format_))
                    self.assertEqual(job.error, "")
                    profile = read_here(absolute(job.result["file"]), self.vexo.files / "cells.parquet")
                    self.assertEqual((profile.findings, profile.rows), ((), job.result["rows"]))
                    self.assertTrue(profile.rows or record_type.name == "Reading")


class Elsewhere(ServiceCase):
    """10.3 and 10.6: from live on practice, or from nobody knows where."""

    def test_a_live_sheet_on_practice_is_matched_by_keys_and_says_so(self) -> None:
        _, path = self.out("F", "daily_rate", application=self.live)
        changed = self.edited(path, lambda sheet: setattr(sheet.cell(2, 4), "value", 12.25))
        job = self.back(changed)
        trip = self.trip_of(job)
        sheet = trip.sheets.last()
        self.assertEqual((sheet.recognised, sheet.origin["how"], sheet.origin["stage"]), (False, "elsewhere", "live"))
        self.assertEqual(self.newest(trip).key, ["harbour", "berth_no"])
        self.assertFalse(self.table(trip)["has_base.daily_rate"].any())
        trip.key = ["id"]
        with self.assertRaisesRegex(RecordKeyError, "its record IDs are not those of"):
            PlanContext.of_now(PartView.of(trip))

    def test_identifiers_of_a_stranger_count_only_where_a_person_says_so(self) -> None:
        known = register().get("Berths", **{"$top": "2"})["value"]
        content = f"id,daily_rate\n{known[0]['id']},11.25\n"
        job = self.back(self.text(content))
        trip = self.trip_of(job)
        self.assertEqual((job.error, trip.plans.count()), ("", 0))
        said = self.bring(content, key=["id"])
        self.assertEqual(self.verdicts(said), ["update"])
        other = f"{known[1]['id']},{known[0]['harbour']},{known[0]['berth_no']},11.50"
        by_key = self.bring(f"id,harbour,berth_no,daily_rate\n{other}\n")
        self.assertEqual((self.newest(by_key).key, self.verdicts(by_key)), (["harbour", "berth_no"], ["update"]))

    def test_a_sheet_of_another_type_or_trip_is_never_taken_on_one(self) -> None:
        berths, _ = self.out("F", "daily_rate")
        other, sheet = self.out("G", "daily_rate")
        refused = self.back(sheet, trip=str(berths.pk))
        self.assertIn(f"went out on trip {other.pk}", refused.error)
        holders = self.bring("holder_no,last_name\n0000001,x\n", record_type="Holder")
        self.assertIn("is about Holder, not Berth", self.back(sheet, trip=str(holders.pk)).error)
        self.assertIn("holds Berth records", self.back(sheet, trip=str(holders.pk), record_type="Holder").error)

    def test_a_guarding_apostrophe_is_asked_about_and_never_carried_unseen(self) -> None:
        content = f"{HEADER}\nTERNISLAND,C-001,,'=sum\nTERNISLAND,C-002,,'plain\n"
        refused = self.back(self.text(content), trip="new")
        self.assertIn("Say whether it is taken off or kept", refused.error)
        self.assertEqual(refused.code, "prefix")
        for prefix, told in (("off", "=sum"), ("keep", "'=sum")):
            trip = self.bring(content, choices=Choices(prefix=prefix))
            self.assertEqual(self.table(trip)["proposed.notes"].to_list(), [told, "'plain"])
        job = run_inline(start_recognising(take_file(self.text(content.replace("plain", "-x")), "ada"), self.person))
        kinds = [(f["kind"], f["row"], f["column"]) for f in job.result["noticed"]]
        self.assertEqual(kinds, [("prefix", 2, "notes")])

    def test_marks_in_a_sheet_from_elsewhere_are_text_until_a_person_says_otherwise(self) -> None:
        content = f"{HEADER}\nTERNISLAND,C-001,5,[clear]\n"
        self.assertEqual(self.table(self.bring(content))["proposed.notes"].to_list(), ["[clear]"])
        marked = self.bring(content, choices=Choices(marks=True))
        self.assertEqual(self.table(marked)["proposed.notes"].to_list(), [None])
        run_inline(bring_in_otherwise(PartView.of(marked), self.person, Choices(), run_here=True))
        self.assertEqual(self.table(marked)["proposed.notes"].to_list(), ["[clear]"])
        job = run_inline(start_recognising(take_file(self.text(f"{content},"), "ada"), self.person))
        self.assertEqual([f["kind"] for f in job.result["noticed"]], ["marks"])


class Versions(ServiceCase):
    """10.4, 10.5 and 10.7: the same again, rows alone, and a corrected version."""

    def setUp(self) -> None:
        super().setUp()
        Trip.objects.all().delete()

    def test_the_same_file_again_is_no_second_version(self) -> None:
        content = f"{HEADER}\nTERNISLAND,C-003,7.25,once\n"
        trip = self.bring(content)
        again = self.back(self.text(content, "other name.csv"))
        self.assertEqual((again.result["trip"], again.result["unchanged"]), (trip.pk, True))
        self.assertEqual(trip.sheets.filter(direction=Sheet.IN).count(), 1)
        self.assertNotEqual(self.bring(content).pk, trip.pk)

    def test_a_corrected_version_says_what_differs_and_keeps_what_was_decided(self) -> None:
        row = "TERNISLAND,C-00{},{},{}"
        first = [row.format(4, "x1", "a"), row.format(5, "8.25", "b"), row.format(6, "8.75", "c")]
        trip = self.bring("\n".join([HEADER.replace("notes", "words"), *first]))
        run_inline(self.remap(trip, {"words": "notes"}))
        self.decide(trip, "aside", [2])
        second = [row.format(4, "9.25", "a"), row.format(6, "8.75", "c"), row.format(7, "1.25", "d")]
        again = self.bring("\n".join([HEADER.replace("notes", "words"), *second]), trip=str(trip.pk))
        sheet = again.sheets.last()
        differs = sheet.differs
        self.assertEqual(
            {name: differs[name] for name in ("cells", "rows", "new_rows", "left_out")},
            {"cells": 1, "rows": 1, "new_rows": 1, "left_out": 1},
        )
        changed = {"row": 2, "header": "daily_rate", "before": "x1", "after": "9.25"}
        self.assertEqual(differs["first"], [changed])
        self.assertEqual(self.verdicts(again), ["update", "aside", "update"])
        self.assertEqual(sheet.mappings.get(header="words").field, "notes")

    def remap(self, trip: Any, said: dict[str, str]) -> Any:
        from vexo.server.mapping.columns import Changes, change

        return change(PartView.of(trip), self.person, Changes(columns=said), run_here=True)

    def refused(self, operation: str = "update") -> Any:
        """A trip of three rows, one in, one refused, one rejected."""
        free_ones = {"$filter": "harbour eq 'TERNISLAND' and status eq 'free'", "$top": "2"}
        free = [berth["berth_no"] for berth in register().get("Berths", **free_ones)["value"]]
        rows = [f"TERNISLAND,{free[0]},let,'kept", f"TERNISLAND,{free[1]},closed,-5 deg", "TERNISLAND,C-010,lett,x"]
        content = "\n".join(["harbour,berth_no,status,notes", *rows])
        trip = self.bring(content, operation=operation, choices=Choices(prefix="keep"))
        self.apply(trip)
        return trip

    def test_rows_not_in_continue_their_trip_in_every_format(self) -> None:
        for ending, way in (("xlsx", "stamp"), ("csv", "rows"), ("tsv", "rows")):
            with self.subTest(ending):
                Trip.objects.all().delete()
                trip = self.refused()
                path = self.vexo.files / f"left-{trip.pk}.{ending}"
                write_rejects(PartView.of(trip), path)
                if ending == "xlsx":
                    fixed = self.edited(path, lambda sheet: setattr(sheet.cell(2, 3), "value", "closed"))
                else:
                    delimiter = "\t" if ending == "tsv" else ","
                    lines = list(csv.reader(io.StringIO(path.read_text(encoding="utf-8-sig")), delimiter=delimiter))
                    lines[1][2] = "closed"
                    fixed = self.text(written(lines, ";"), "from elsewhere.csv")
                found = run_inline(start_recognising(take_file(fixed, "ada"), self.person)).result
                self.assertEqual((found["trip"], found["how"]), (trip.pk, way))
                job = self.back(fixed)
                self.assertEqual((job.error, job.trip_id), ("", trip.pk))
                trip.refresh_from_db()
                sheet = trip.sheets.last()
                self.assertEqual((sheet.rows, sheet.differs["cells"], sheet.differs["laid_over"]), (3, 1, 2))
                cells = artifacts.read(sheet.cells)
                self.assertEqual(cells["c3"].to_list(), ["'kept", "-5 deg", "x"])
                self.assertEqual(self.terms(trip), {"update": 1, "same": 1, "rejected": 1})
                self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_a_receipt_continues_its_trip_too(self) -> None:
        trip = self.refused()
        path = self.vexo.files / "receipt.csv"
        write_receipt(PartView.of(trip), path)
        lines = lines_of(path)
        lines[1][lines[0].index("status")] = "closed"
        self.back(self.text(written(lines), "receipt.csv"))
        self.assertEqual(self.terms(trip), {"update": 1, "same": 1, "rejected": 1})

    def test_rows_that_say_no_row_are_refused_by_name(self) -> None:
        trip = self.refused()
        path = self.vexo.files / "odd.csv"
        write_rejects(PartView.of(trip), path)
        lines = lines_of(path)
        at = lines[0].index("Row")
        for said in ("", "99", lines[2][at]):
            odd = [list(line) for line in lines]
            odd[1][at] = said
            job = self.back(self.text(written(odd)), trip=str(trip.pk))
            self.assertRegex(job.error, "Row [23] of the file says")
        self.assertEqual(trip.sheets.filter(direction=Sheet.IN).count(), 1)

    def test_rows_of_live_are_not_laid_over_practice(self) -> None:
        trip = self.refused()
        path = self.vexo.files / "left.csv"
        write_rejects(PartView.of(trip), path)
        job = self.back(path, application=self.live, choices=Choices(prefix="off"))
        made = self.trip_of(job)
        self.assertNotEqual(made.pk, trip.pk)
        self.assertEqual(made.sheets.last().origin["stage"], "practice")

    def test_a_sheet_is_read_otherwise_at_any_time(self) -> None:
        lines = ["list of berths;;", "harbour;berth_no;notes", "TERNISLAND;C-011;first", "TERNISLAND;C-012;Zo\u00eb"]
        path = self.text("")
        path.write_bytes("\n".join(lines).encode("cp1252"))
        upload = take_file(path, "ada")
        run_inline(start_recognising(upload, self.person))
        with patch("vexo.server.uploads.upload_cells.read_sheet") as reads:
            run_inline(read_otherwise(upload, self.person, Choices(header=1)))
        reads.assert_not_called()
        upload.refresh_from_db()
        self.assertEqual((upload.profile.rows, upload.profile.header_row), (3, 1))
        run_inline(read_otherwise(upload, self.person, Choices(encoding="cp1251")))
        upload = Upload.objects.get(pk=upload.pk)
        trip = self.trip_of(self.back_again(upload))
        self.assertEqual(self.table(trip)["proposed.notes"].to_list(), ["first", "Zo\u043b"])
        run_inline(bring_in_otherwise(PartView.of(trip), self.person, Choices(encoding="cp1252"), run_here=True))
        trip.refresh_from_db()
        self.assertEqual(self.table(trip)["proposed.notes"].to_list(), ["first", "Zo\u00eb"])
        self.assertEqual(trip.sheets.last().differs["cells"], 1)

    def back_again(self, upload: Upload) -> Any:
        from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in

        return run_inline(
            start_bringing_in(self.practice, "Berth", upload, self.person, ImportRequest(trip="new"), run_here=True)
        )

    def test_rows_that_lost_their_row_column_are_refused_and_the_trip_stands(self) -> None:
        trip = self.refused()
        path = self.vexo.files / "lost.xlsx"
        write_rejects(PartView.of(trip), path)
        fixed = self.edited(path, lambda sheet: sheet.delete_cols(5))
        self.assertIn("its column 'Row'", self.back(fixed).error)
        self.assertEqual(trip.sheets.filter(direction=Sheet.IN).count(), 1)

    def test_a_choice_by_which_a_file_cannot_be_read_changes_nothing(self) -> None:
        upload = take_file(self.text(f"{HEADER}\nTERNISLAND,C-013,5,x\n"), "ada")
        run_inline(start_recognising(upload, self.person))
        for choices in (Choices(header=77), Choices(encoding="no such"), Choices(delimiter='"')):
            job = run_inline(read_otherwise(upload, self.person, choices))
            self.assertNotEqual(job.error, "")
            upload.refresh_from_db()
            self.assertEqual((upload.choices, upload.trouble, upload.profile.rows), ({}, "", 1))

    def test_what_was_forgotten_of_a_file_that_waits_is_read_again(self) -> None:
        upload = take_file(self.text(f"{HEADER}\nTERNISLAND,C-014,5,x\n"), "ada")
        run_inline(start_recognising(upload, self.person))
        upload.refresh_from_db()
        absolute(place_of(upload, upload.read_options)).unlink()
        read_again(upload)
        upload.refresh_from_db()
        asked = upload.recognising
        read_again(upload)
        upload.refresh_from_db()
        self.assertEqual((upload.profile, upload.recognising), (None, asked))
        run_inline(Job.objects.get(pk=upload.recognising))
        upload.refresh_from_db()
        self.assertTrue(artifacts.there(place_of(upload, upload.read_options)))
