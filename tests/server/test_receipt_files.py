"""Receipts as evidence: all passes of a sheet together and each alone, deletes with all that the record held, and by
whom and when."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any
from unittest.mock import patch

import openpyxl
from django.test import Client

from tests.server.services import view_of
from tests.server.test_editing import EditCase
from tests.server.test_lanes import LaneCase
from tests.support import register, template, temporary_folder

template()

from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.passes import reading_back  # noqa: E402
from vexo.server.passes.receipts import write_receipt  # noqa: E402
from vexo.server.trips.status import TripStatus  # noqa: E402


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

    def test_the_records_that_were_written_are_a_list_for_the_next_trip(self) -> None:
        trip = self.two_passes()
        path = temporary_folder() / "touched.csv"
        told = self.vexo.run("--as", "ada", "outcome", str(trip.pk), "--touched", str(path))
        self.assertTrue(path.exists(), told.stderr)
        header, *ids = path.read_text(encoding="utf-8-sig").splitlines()
        written = sorted(str(one["id"]) for one in self.holders(self.begin) if one["last_name"] != "Three")
        self.assertEqual((header, sorted(ids)), ("Record ID", written))
        out = temporary_folder() / "again.csv"
        told = self.vexo.run(
            "--as", "ada", "send-out", "harbour-practice", "Holder", "--keys", str(path), "-o", str(out)
        )
        self.assertEqual(told.returncode, 0, told.stderr)
        self.assertEqual(len(out.read_text(encoding="utf-8-sig").splitlines()), 3)

    def test_as_lines_of_data_and_as_a_page(self) -> None:
        trip = self.two_passes()
        path = temporary_folder() / "receipt.jsonl"
        told = self.vexo.run("--as", "ada", "outcome", str(trip.pk), "--receipt", str(path))
        self.assertTrue(path.exists(), told.stderr)
        about, *lines = [json.loads(line) for line in path.read_text().splitlines()]
        passes = about["receipt"]["passes"]
        self.assertEqual([(one["number"], one["totals"]["updated"]) for one in passes], [(1, 1), (2, 2)])
        self.assertEqual([(one["row"], one["state"], one["pass"]) for one in lines],
                         [(2, "updated", 2), (3, "updated", 2), (4, "same", None)])  # fmt: skip
        self.assertEqual(lines[0]["sheet"]["last_name"], "Eins")
        changes = {one["field"]: (one["before"], one["now"]) for one in lines[1]["changes"]}
        self.assertEqual(changes, {"last_name": ("Two", "Due"), "email": (None, self.mails[1])})
        self.assertEqual(lines[2]["changes"], [])
        client = Client()
        client.force_login(self.person)
        page = client.get(f"/api/trips/{trip.pk}/files/receipt.html")
        text = page.content.decode()
        self.assertIn("text/html", page["Content-Type"])
        for words in ("confirmed by", "Eins", "What became of it", "1 row that stays the same"):
            self.assertIn(words, text)
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/files/not-in.html").status_code, 404)
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/files/receipt.jsonl").status_code, 200)

    def test_lines_of_a_sheet_with_the_same_header_twice_and_with_none(self) -> None:
        self.make(("01", "One"))
        trip = self.trip(f"holder_no,last_name,x,x,,\n{self.begin}01,Uno,1,2,3,4\n")
        for item in TripStatus(view_of(trip)).open:
            if item.stops and item.options:
                wanted = Changes(columns=dict(item.options[-1].columns))
                run_inline(change(view_of(trip), self.person, wanted, run_here=True))
                trip.refresh_from_db()
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        path = temporary_folder() / "receipt.jsonl"
        write_receipt(view_of(trip), path)
        line = json.loads(path.read_text().splitlines()[1])
        self.assertEqual(list(line["sheet"].values())[2:], ["1", "2", "3", "4"])

    def test_lines_hold_the_records_that_the_sheet_does_not_have(self) -> None:
        made = self.bring(
            "harbour,berth_no,length_m,notes\nTERNISLAND,C-9911,9.5,to go\n",
            operation="create",
            key=["harbour", "berth_no"],
        )
        self.assertEqual(self.apply(made).totals["created"], 1)
        before = register().berth("TERNISLAND", "C-9911")
        trip, path = self.out("C", "notes")
        self.back(self.edited(path, lambda sheet: sheet.delete_rows(sheet.max_row)), operation="make-same")
        for guard in self.newest(trip).summary["guards"]:
            if guard["asks"]:
                self.decide(trip, "go on", code=guard["code"], field=guard["field"])
        self.assertEqual(self.apply(trip).absent["deleted"], 1)
        target = temporary_folder() / "receipt.jsonl"
        write_receipt(view_of(trip), target)
        last = json.loads(target.read_text().splitlines()[-1])
        self.assertEqual((last["row"], last["state"], last["record_id"]), (None, "deleted", str(before["id"])))
        held = {one["field"]: one["before"] for one in last["changes"]}
        self.assertEqual((held["notes"], held["berth_no"]), ("to go", "C-9911"))


class ReadBack(LaneCase, EditCase):
    """What is not as sent is named: by row, field and both values, wherever reading back is told of."""

    def meddled(self) -> Any:
        """Of four rows one is changed by somebody and one deleted before they are read back."""
        self.make(*((f"{at:02}", f"Name {at}") for at in range(1, 5)))
        lines = [(f"{at:02}", f"New {at}", "") for at in range(1, 5)]
        trip = self.trip(self.sheet(*lines, header="holder_no,last_name,first_name"))
        read = reading_back._records

        def meddle(*arguments: Any, **more: Any) -> Any:
            self.theirs("02", last_name="Theirs")
            with register().client() as client:
                client.delete(f"Holders({self.of('03')['id']})").raise_for_status()
            return read(*arguments, **more)

        with patch.object(reading_back, "_records", meddle):
            self.assertEqual(self.apply(trip).totals["updated"], 4)
        return trip

    def test_each_way_names_them(self) -> None:
        trip = self.meddled()
        told = ["2 of 4 records are as sent", "1 value is not as sent", "1 record is not there"]
        by_row = {"3": "Last name is Theirs, not New 2 as sent", "4": "its record is not there"}
        outcome = self.vexo.run("--as", "ada", "outcome", str(trip.pk)).stdout
        for words in (*(f"Read back: {one}." for one in told), *(f"row {row}: {one}" for row, one in by_row.items())):
            self.assertIn(words, outcome)
        folder = temporary_folder()
        for ending in ("csv", "xlsx", "jsonl", "html"):
            write_receipt(view_of(trip), folder / f"receipt.{ending}")
        rows = list(csv.DictReader(io.StringIO((folder / "receipt.csv").read_text(encoding="utf-8-sig"))))
        self.assertEqual({row["Row"]: row["Read back"] for row in rows if row["Read back"]}, by_row)
        about, *lines = [json.loads(line) for line in (folder / "receipt.jsonl").read_text().splitlines()]
        self.assertEqual(about["receipt"]["passes"][0]["read_back"], told)
        self.assertEqual({str(one["row"]): one["read_back"] for one in lines if one["read_back"]}, by_row)
        book = openpyxl.load_workbook(folder / "receipt.xlsx")
        texts = {str(cell) for sheet in book for row in sheet.iter_rows(values_only=True) for cell in row}
        page = (folder / "receipt.html").read_text()
        for words in (*by_row.values(), *(f"read back: {one}" for one in told)):
            self.assertIn(words, texts)
            self.assertIn(words, page)
        trip.refresh_from_db()
        self.assertEqual(TripStatus(view_of(trip)).needs().says, "all in, 2 not as sent")
        self.assertIn("ended: 4 updated, 2 not as sent", Entry.objects.filter(what="applied", trip=trip.pk)[0].message)
        report = self.last_pass(trip).report
        self.assertEqual(report["counts"], {"lost": 1, "differences": 1, "by_itself": 0})

    def test_a_masked_field_is_not_told_of_and_a_receipt_that_comes_back_asks_nothing_of_the_column(self) -> None:
        trip = self.meddled()
        path = temporary_folder() / "receipt.csv"
        write_receipt(view_of(trip), path, masked=frozenset({"last_name"}))
        text = path.read_text(encoding="utf-8-sig")
        self.assertIn("its record is not there", text)
        self.assertNotIn("Theirs", text)
        write_receipt(view_of(trip), path)
        again = self.back(path, record_type="Holder")
        self.assertEqual(again.error, "")
        headers = {match["header"] for match in self.trip_of(again).status["columns"] if match["open"]}
        self.assertNotIn("Read back", headers)

    def test_of_very_many_the_first_are_named_and_all_are_counted(self) -> None:
        with patch.object(reading_back, "_MOST_LISTED", 0):
            trip = self.meddled()
        report = self.last_pass(trip).report
        self.assertEqual((report["differences"], report["lost"]), ([], []))
        outcome = self.vexo.run("--as", "ada", "outcome", str(trip.pk)).stdout
        self.assertIn("Read back: 1 value is not as sent; the first 0 are named.", outcome)

    def test_of_several_passes_each_is_said_by_its_number(self) -> None:
        trip = self.meddled()
        self.edit(trip, "cell", 5, "last_name", text="Again")
        self.apply(trip)
        rows = Receipts.read(self, trip)  # type: ignore[arg-type]
        self.assertEqual(
            [row["Read back"] for row in rows],
            ["", "pass 1: Last name is Theirs, not New 2 as sent", "pass 1: its record is not there", ""],
        )


class AnotherType(LaneCase, EditCase):
    """The receipt of new holders as the sheet by which vessels get their owners."""

    def vessels(self, count: int) -> list[dict[str, Any]]:
        return list(register().get("Vessels", **{"$top": str(count), "$orderby": "id"})["value"])

    def receipt_of_new_holders(self, ending: str = "xlsx") -> tuple[Path, list[dict[str, Any]]]:
        vessels = self.vessels(2)
        lines = [f"{self.begin}4{at},Owner{at},{one['registration']}" for at, one in enumerate(vessels)]
        text = "\n".join(["holder_no,last_name,Registration", *lines]) + "\n"
        trip = self.bring(text, record_type="Holder", operation="create", key=["holder_no"])
        run_inline(change(view_of(trip), self.person, Changes(columns={"Registration": ""}), run_here=True))
        self.assertEqual(self.apply(trip).totals["created"], 2, self.codes(trip))
        path = temporary_folder() / f"receipt.{ending}"
        write_receipt(view_of(trip), path)
        return path, vessels

    def test_the_new_identifiers_are_offered_and_its_own_columns_ask_nothing(self) -> None:
        path, vessels = self.receipt_of_new_holders()
        job = self.back(path, record_type="Vessel", trip="new", key=["registration"])
        trip = self.trip_of(job)
        client = Client()
        client.force_login(self.person)
        page = client.get(f"/api/trips/{trip.pk}").json()
        asked = {item["of"]: item for item in page["open"] if item["code"] == "field"}
        self.assertEqual(set(asked), {"holder_no", "last_name", "Record ID in the application"} & set(asked))
        self.assertIn("Record ID in the application", asked)
        offered = asked["Record ID in the application"]["options"]
        self.assertEqual(offered[0]["columns"], {"Record ID in the application": "owner"})
        self.assertEqual(page["sheets"][-1]["origin"]["how"], "receipt")
        columns = dict.fromkeys(asked, "") | offered[0]["columns"]
        run_inline(change(view_of(trip), self.person, Changes(columns=columns), run_here=True))
        self.assertEqual(set(self.verdicts(trip)), {"update"}, self.codes(trip))
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        made = {one["last_name"]: one["id"] for one in self.holders(self.begin)}
        owners = {one["registration"]: one["owner"] for one in self.vessels(2)}
        wanted = {one["registration"]: made[f"Owner{at}"] for at, one in enumerate(vessels)}
        self.assertEqual(owners, wanted)

    def test_as_text_nothing_tells_whose_identifiers_they_are(self) -> None:
        path, _ = self.receipt_of_new_holders("csv")
        job = self.back(path, record_type="Vessel", trip="new", key=["registration"])
        trip = self.trip_of(job)
        run_inline(
            change(
                view_of(trip), self.person, Changes(columns={"Record ID in the application": "owner"}), run_here=True
            )
        )
        self.assertTrue(all("names-none" in row for row in self.codes(trip)), self.codes(trip))

    def test_a_receipt_of_the_other_application_names_nobody(self) -> None:
        path, _ = self.receipt_of_new_holders()
        job = self.back(path, application=self.live, record_type="Vessel", trip="new", key=["registration"])
        trip = self.trip_of(job)
        page_origin = trip.sheets.last().origin["how"]
        self.assertEqual(page_origin, "elsewhere")
        run_inline(
            change(
                view_of(trip), self.person, Changes(columns={"Record ID in the application": "owner"}), run_here=True
            )
        )
        self.assertTrue(all("names-none" in row for row in self.codes(trip)), self.codes(trip))
