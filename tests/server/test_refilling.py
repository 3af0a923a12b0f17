"""A sheet of one's own filled from the application: what names a field is filled, all else stays."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import openpyxl
from openpyxl.styles import Font, PatternFill

from tests.server.services import ServiceCase
from tests.support import register, template, temporary_folder

template()

from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.ingest.refill import start_refilling  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.uploads.receive import take_file  # noqa: E402


class Refilling(ServiceCase):
    def fill(self, path: Path, *key: str, record_type: str = "Berth") -> Any:
        upload = take_file(path, "ada")
        job = run_inline(start_refilling(self.practice, record_type, upload, self.person, key, run_here=True))
        self.assertEqual(job.error, "")
        self.result = job.result
        target = temporary_folder() / path.name
        target.write_bytes(absolute(job.result["file"]).read_bytes())
        return target

    def book(self) -> Path:
        book = openpyxl.Workbook()
        sheet = book.active
        sheet.title = "My berths"
        rows = [
            ("Berths of my own",),
            (),
            (
                "My no.",
                "Berth no.",
                "Insured until",
                "Harbour",
                "My sum",
                "Daily rate",
                "Services",
                "Holder › E-mail",
                "Mine",
            ),
            (1, "B-003", None, "EELGRASS", "=A4*2", None, "old", None, "keep & <me>"),
            (2, "X-999", None, "EELGRASS", "=A5*2", 9, "stays", None, 7.5),
            (3, "B-004", None, "EELGRASS", "=A6*2", None, None, None, None),
        ]
        for row in rows:
            sheet.append(row)
        sheet.column_dimensions["I"].width = 41.5
        sheet["I4"].font, sheet["A4"].fill = Font(bold=True), PatternFill("solid", fgColor="FFCC00")
        for row in (4, 5, 6):
            sheet.cell(row, 3).number_format = "yyyy-mm-dd"
        sheet.freeze_panes = "C4"
        other = book.create_sheet("Other")
        other["A1"] = "untouched"
        path = temporary_folder() / "my-berths.xlsx"
        book.save(path)
        return path

    def there(self, number: str) -> dict[str, Any]:
        where = f"harbour eq 'EELGRASS' and berth_no eq '{number}'"
        return dict(register().get("Berths", **{"$filter": where, "$expand": "to_holder"})["value"][0])

    def test_a_workbook_keeps_its_columns_widths_formulas_and_styles(self) -> None:
        source = self.book()
        with register().client() as client:
            client.patch(
                f"Berths({self.there('B-004')['id']})", json={"insured_until": "2027-03-01"}
            ).raise_for_status()
        path = self.fill(source)
        book = openpyxl.load_workbook(path)
        sheet = book["My berths"]
        for row, number in ((4, "B-003"), (6, "B-004")):
            berth = self.there(number)
            insured = sheet.cell(row, 3).value
            self.assertEqual(insured and insured.date().isoformat(), berth["insured_until"])
            self.assertEqual(sheet.cell(row, 6).value, float(berth["daily_rate"]))
            self.assertEqual(sheet.cell(row, 7).value or "", "; ".join(berth["services"]))
            self.assertEqual(sheet.cell(row, 8).value, (berth["to_holder"] or {}).get("email"))
        self.assertEqual([sheet.cell(5, at).value for at in (3, 6, 7)], [None, 9, "stays"])
        self.assertEqual([sheet.cell(row, 5).value for row in (4, 5, 6)], ["=A4*2", "=A5*2", "=A6*2"])
        self.assertEqual(
            (sheet["I4"].value, sheet["I4"].font.b, sheet["A4"].fill.fgColor.rgb), ("keep & <me>", True, "00FFCC00")
        )
        self.assertEqual(
            (sheet.column_dimensions["I"].width, sheet.freeze_panes, sheet["A1"].value),
            (41.5, "C4", "Berths of my own"),
        )
        self.assertEqual(book["Other"]["A1"].value, "untouched")
        self.assertEqual((self.result["missing"], self.result["not_found"]), (1, ["EELGRASS X-999"]))
        with zipfile.ZipFile(path) as archive:
            self.assertIsNone(archive.testzip())

    def test_cells_with_formulas_stay_and_are_named_unless_they_are_meant(self) -> None:
        def calculate(sheet: Any) -> None:
            sheet["F4"].value, sheet["G6"].value = "=A4*5", '=A6&"!"'

        source = self.edited(self.book(), calculate)
        rate = float(self.there("B-003")["daily_rate"])
        sheet = openpyxl.load_workbook(self.fill(source))["My berths"]
        self.assertEqual((sheet["F4"].value, sheet["G6"].value), ("=A4*5", '=A6&"!"'))
        self.assertEqual((self.result["formulas"], self.result["formula_cells"]), (2, ["F4", "G6"]))
        for more, kept in (((), 2), (("--formulas",), 0)):
            target = temporary_folder() / "again.xlsx"
            asked = ("refill", "harbour-practice", "Berth", str(source), "-o", str(target), *more)
            done = self.vexo.run("--as", "ada", *asked, "--json")
            self.assertEqual(json.loads(done.stdout)["formulas"], kept)
            self.assertEqual("2 cells keep their formulas: F4, G6" in done.stderr, bool(kept))
            self.assertEqual(openpyxl.load_workbook(target)["My berths"]["F4"].value, "=A4*5" if kept else rate)

    def test_again_and_again_and_home_with_its_edits(self) -> None:
        path = self.fill(self.book())
        berth = self.there("B-003")
        register().change(f"Berths({berth['id']})", daily_rate=77)
        again = self.fill(path)
        self.assertEqual(openpyxl.load_workbook(again)["My berths"]["F4"].value, 77)
        self.assertEqual(openpyxl.load_workbook(path)["My berths"]["F4"].value, float(berth["daily_rate"]))

        def change(sheet: Any) -> None:
            sheet["F6"].value = 41.25

        job = self.back(self.edited(again, change), trip=str(self.result["trip"]))
        self.assertEqual(job.error, "")
        trip = Trip.objects.get(pk=self.result["trip"])
        self.assertEqual(self.terms(trip)["update"], 1)
        register().change(f"Berths({berth['id']})", daily_rate=float(berth["daily_rate"]))

    def test_text_keeps_its_delimiter_encoding_titles_and_own_columns(self) -> None:
        content = 'Für mich;;\r\nBerth no.;harbour;Notes;mein Ä\r\nC-001;EELGRASS;;"a;b"\r\nC-002;EELGRASS;x;\r\n'
        source = temporary_folder() / "mine.csv"
        source.write_bytes(content.encode("cp1252"))
        berth = self.there("C-001")
        register().change(f"Berths({berth['id']})", notes='=danger; "quoted"')
        lines = self.fill(source).read_bytes().decode("cp1252").split("\r\n")
        self.assertEqual(lines[0], "Für mich;;;")
        self.assertEqual(lines[1], "Berth no.;harbour;Notes;mein Ä")
        self.assertEqual(lines[2], 'C-001;EELGRASS;"\'=danger; ""quoted""";"a;b"')
        register().change(f"Berths({berth['id']})", notes="Möwe 🚤")
        upload = take_file(source, "ada")
        job = run_inline(start_refilling(self.practice, "Berth", upload, self.person, run_here=True))
        self.assertIn("has no sign for a value", job.error)
        register().change(f"Berths({berth['id']})", notes="")

    def test_what_cannot_be_filled_says_why(self) -> None:
        for content, words in (
            ("Colour,Size\nred,5\n", "No column names records"),
            ("Berth no.,harbour\nA-001,EELGRASS\n", "nothing to fill"),
        ):
            job = run_inline(
                start_refilling(
                    self.practice, "Berth", take_file(self.text(content), "ada"), self.person, run_here=True
                )
            )
            self.assertIn(words, job.error)

    def test_on_the_command_line(self) -> None:
        target = temporary_folder() / "filled.csv"
        source = self.text("Ring no.;Record ID;Status\n;702370;\n;1;\n", "ids.csv")
        told = self.vexo.json("--as", "ada", "refill", "harbour-practice", "Berth", str(source), "-o", str(target))
        self.assertEqual((told["rows"], told["missing"], told["not_found"]), (1, 1, ["1"]))
        self.assertIn("702370", target.read_text(encoding="utf-8-sig"))
