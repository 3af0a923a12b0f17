"""Receipts as evidence: all passes of a sheet together and each alone, deletes with all that the record held, and by
whom and when."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from typing import Any

import openpyxl
from django.test import Client

from tests.server.services import view_of
from tests.server.test_editing import EditCase
from tests.server.test_lanes import LaneCase
from tests.support import template, temporary_folder

template()

from vexo.server.passes.receipts import write_receipt  # noqa: E402


class Receipts(LaneCase, EditCase):
    def read(self, trip: Any, number: int | None = None) -> list[dict[str, str]]:
        path = temporary_folder() / "receipt.csv"
        write_receipt(view_of(trip), path, number)
        return list(csv.DictReader(io.StringIO(path.read_text(encoding="utf-8-sig"))))

    def two_passes(self) -> Any:
        """Of three rows one is refused at first, put right and sent again with another that is edited once more."""
        self.make(("01", "One"), ("02", "Two"), ("03", "Three"))
        self.mails = [f"{name}{self.begin}@example.org" for name in "ab"]
        lines = [("01", "Uno", self.mails[0]), ("02", "Due", "nobody.example"), ("03", "Three", "")]
        trip = self.trip(self.sheet(*lines, header="holder_no,last_name,email"))
        self.assertEqual(self.apply(trip).totals["refused"], 1)
        self.edit(trip, "cell", 3, "email", text=self.mails[1])
        self.edit(trip, "cell", 2, "last_name", text="Eins")
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        return trip

    def changes(self, rows: list[dict[str, str]], label: str) -> list[tuple[str, str]]:
        return [(row[f"{label}, before"], row[f"{label}, now"]) for row in rows]

    def test_all_passes_together_and_each_alone(self) -> None:
        trip = self.two_passes()
        both = self.read(trip)
        self.assertEqual([row["What became of it"] for row in both], ["updated", "updated", "same"])
        self.assertEqual([row["Pass"] for row in both], ["2", "2", ""])
        self.assertEqual(self.changes(both, "Last name"), [("One", "Eins"), ("Two", "Due"), ("", "")])
        self.assertEqual(self.changes(both, "E-mail"), [("", self.mails[0]), ("", self.mails[1]), ("", "")])
        first = self.read(trip, 1)
        self.assertEqual([row["What became of it"] for row in first], ["updated", "refused", "same"])
        self.assertEqual(self.changes(first, "Last name"), [("One", "Uno"), ("", ""), ("", "")])
        second = self.read(trip, 2)
        self.assertEqual(self.changes(second, "Last name"), [("Uno", "Eins"), ("Two", "Due"), ("", "")])

    def test_deleted_records_with_all_that_they_held(self) -> None:
        self.make(("11", "Gone"))
        trip = self.trip(f"holder_no\n{self.begin}11\n", "delete")
        self.assertEqual(self.apply(trip).totals["deleted"], 1)
        [row] = self.read(trip)
        self.assertEqual((row["What became of it"], row["Last name, before"], row["Pass"]), ("deleted", "Gone", "1"))

    def test_a_workbook_says_by_whom_and_when_and_still_continues_its_trip(self) -> None:
        trip = self.two_passes()
        path = temporary_folder() / "receipt.xlsx"
        write_receipt(view_of(trip), path)
        book = openpyxl.load_workbook(path)
        self.assertEqual(book.sheetnames, ["Receipt", "About"])
        about = " ".join(str(cell.value) for row in book["About"].iter_rows() for cell in row if cell.value)
        for words in ("PRACTICE", "Ada Quillfeather", "Pass 1", "Pass 2", "1 updated, 1 refused", "UTC", trip.title):
            self.assertIn(words, about)
        edited = self.edited(path, lambda sheet: setattr(sheet.cell(4, 2), "value", "Tre"))
        job = self.back(edited, record_type="Holder")
        self.assertEqual((job.error, job.trip_id), ("", trip.pk))
        self.assertEqual(self.terms(trip)["update"], 1)

    def test_one_pass_by_api_and_command_and_none_that_there_is_not(self) -> None:
        trip = self.two_passes()
        client = Client()
        client.force_login(self.person)
        address = f"/api/trips/{trip.pk}/files/receipt.csv"
        alone, both = client.get(f"{address}?pass=1").content, client.get(address).content
        self.assertIn(b"Uno", alone)
        self.assertNotEqual(alone, both)
        for odd in ("9", "x", "0"):
            self.assertEqual(client.get(f"{address}?pass={odd}").status_code, 422, odd)
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/files/not-in.csv?pass=1").status_code, 422)
        target = Path(temporary_folder()) / "one.csv"
        told = self.vexo.run("--as", "ada", "outcome", str(trip.pk), "--receipt", str(target), "--pass", "1")
        self.assertEqual((told.returncode, target.read_bytes()), (0, alone), told.stderr)
