"""The plan as a document: every row in it, old and new as they would be written, and that nothing was."""

from __future__ import annotations

import csv
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import openpyxl
from django.test import Client

from tests.server.services import view_of
from tests.server.test_lanes import LaneCase
from tests.support import register, template, temporary_folder

template()

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.rows.document import write_document  # noqa: E402


class Texts(HTMLParser):
    """The texts of a page's cells, and whether anything in it would run."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.cells: list[str] = []
        self.tags: set[str] = set()
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: Any) -> None:
        self.tags.add(tag)
        if tag == "td":
            self.cells.append("")

    def handle_data(self, data: str) -> None:
        if self.cells:
            self.cells[-1] += data


class Documents(LaneCase):
    wanted = 0.0

    def written(self, trip: Any, ending: str) -> Path:
        path = temporary_folder() / f"plan{ending}"
        write_document(view_of(trip), path, "ada")
        return path

    def lines(self, trip: Any) -> list[dict[str, str]]:
        with self.written(trip, ".csv").open(encoding="utf-8-sig", newline="") as file:
            return list(csv.DictReader(file))

    def given(self) -> Any:
        self.make(("01", "One"), ("02", "Two"), ("03", "Three"))
        rows = [("01", "=Uno", ""), ("02", "Two", ""), ("03", "<b>Drei</b>", ""), ("", "x", "")]
        return self.trip(self.sheet(*rows))

    def test_each_row_stands_in_it_with_old_and_new(self) -> None:
        trip = self.given()
        before = register().effects()
        lines = self.lines(trip)
        self.assertEqual([line["Verdict"] for line in lines], self.verdicts(trip))
        self.assertEqual([line["Row"] for line in lines], ["2", "3", "4", "5"])
        old_new = [(line["Last name, now"], line["Last name, new"]) for line in lines[:3]]
        self.assertEqual(old_new, [("One", "'=Uno"), ("", ""), ("Three", "<b>Drei</b>")])
        self.assertEqual(lines[0]["Holder no."], f"{self.begin}01")
        self.assertIn("key is blank", lines[3]["Why"])
        self.assertEqual(register().effects(), before)

    def test_a_renamed_record_shows_its_old_key_and_no_header_stands_twice(self) -> None:
        for said in ({}, {"key": ["id"]}):
            with self.subTest(said):
                trip, path = self.out("E", "harbour", "berth_no", format_="csv")
                header, first, *rest = path.read_text(encoding="utf-8-sig").splitlines()
                renamed = self.bring("\n".join([header, first.replace("E-001", "E-901"), *rest]), trip=trip.pk, **said)
                if self.verdicts(renamed)[0] == "held":
                    self.decide(renamed, "file", code="key-edited")
                self.assertEqual(self.verdicts(renamed)[0], "update")
                with self.written(renamed, ".csv").open(encoding="utf-8-sig", newline="") as file:
                    headers, line, *_ = csv.reader(file)
                self.assertEqual(len(headers), len(set(headers)))
                told = dict(zip(headers, line, strict=True))
                self.assertEqual((told["Berth no., now"], told["Berth no., new"]), ("E-001", "E-901"))

    def test_a_workbook_says_what_it_does_first_and_its_numbers_are_numbers(self) -> None:
        trip, path = self.out("K", "daily_rate", "notes")

        def edit(sheet: Any) -> None:
            headers = [cell.value for cell in sheet[1]]
            rate = sheet.cell(2, headers.index("Daily rate") + 1)
            self.wanted = rate.value = float(rate.value or 30) + 1.5
            sheet.cell(3, headers.index("Notes") + 1).value = "[clear]"

        self.assertEqual(self.back(self.edited(path, edit), trip=str(trip.pk)).error, "")
        book = openpyxl.load_workbook(self.written(trip, ".xlsx"))
        self.assertEqual((book.active.title, book.sheetnames), ("What it does", ["Rows", "What it does"]))
        texts = [cell.value for line in book.active.iter_rows() for cell in line if cell.value]
        self.assertTrue(any("nothing was written" in text for text in texts))
        self.assertIn("About", texts)
        rows = book["Rows"]
        headers = [cell.value for cell in rows[1]]
        new = rows.cell(2, headers.index("Daily rate, new") + 1).value
        self.assertEqual(new, self.wanted)
        self.assertEqual(rows.max_row - 1, len(self.table(trip)))

    def test_a_page_holds_what_cells_say_as_text(self) -> None:
        trip = self.given()
        page = self.written(trip, ".html").read_text()
        texts = Texts(page)
        self.assertIn("<b>Drei</b>", texts.cells)
        self.assertFalse(texts.tags & {"b", "script", "img"})
        self.assertIn("nothing was written", page)
        self.assertIn("1 row that stays the same is not listed.", page)

    def test_what_is_open_decided_and_sent_is_said(self) -> None:
        trip = self.given()
        self.decide(trip, "aside", [3])
        page = self.written(trip, ".html").read_text()
        self.assertIn("Decided", page)
        self.apply(trip)
        self.assertIn("Pass 1 has sent it since", self.written(trip, ".html").read_text())

    def test_by_api_and_command(self) -> None:
        trip = self.given()
        client = Client()
        client.force_login(self.person)
        for ending, kind in (("xlsx", "spreadsheetml"), ("csv", "text/csv"), ("tsv", "tab"), ("html", "text/html")):
            answer = client.get(f"/api/trips/{trip.pk}/document.{ending}")
            self.assertEqual(answer.status_code, 200, ending)
            self.assertIn(kind, answer["Content-Type"])
            self.assertIn(f"trip-{trip.pk}-plan-{self.newest(trip).number}.{ending}", answer["Content-Disposition"])
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/document.pdf").status_code, 404)
        target = temporary_folder() / "plan.csv"
        done = self.vexo.run("--as", "ada", "review", str(trip.pk), "-o", str(target))
        self.assertEqual(done.returncode, 1, "a row is rejected")
        self.assertIn("Nothing was written to the application", done.stdout)
        self.assertEqual(target.read_bytes(), client.get(f"/api/trips/{trip.pk}/document.csv").content)
        self.assertIn("Unknown format", self.vexo.fails("--as", "ada", "review", str(trip.pk), "-o", "plan.doc"))
        self.assertIn("no folder", self.vexo.fails("--as", "ada", "review", str(trip.pk), "-o", "/nowhere/plan.csv"))
        with self.assertRaises(PlainError):
            write_document(view_of(self.out("J", "notes")[0]), target, "ada")
