"""What goes out, opened by a spreadsheet program of the machine: the same values, drop-downs and header.

Without a screen that program drops what a view holds, so that rows stay frozen is only looked up in the files.
"""

from __future__ import annotations

import csv
import io
import shutil
import subprocess
import unittest
from pathlib import Path

import openpyxl

from tests.core.test_round_trip import CATALOGUE, FIELDS, TYPE, table, write
from tests.support import temporary_folder
from vexo.core.sheets.writers.outgoing import cells_of

OFFICE = shutil.which("soffice")
AS_SHOWN = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,true"
ROWS = [
    {"note": "0020418", "code": "=1+1", "rate": "12.50", "day": "2026-01-02", "open": "true", "one": "a; b"},
    {"note": "4021000000000016", "code": "-5", "rate": "-0.10", "day": "1899-12-31", "many": ["a; b", "c\\d"]},
    {"note": 'say "hi", אב 🚤 é', "code": "two\nlines", "nights": "9007199254740993", "day": "1900-03-01"},
    {"note": "03/04/2026", "code": "1E5", "rate": "999999999999.25", "seen": "2026-11-16T09:30:00Z", "one": "plain"},
    {"note": "TRUE", "code": "  padded  ", "deep": "0.000000000001", "computed": "1.2500", "open": "false"},
]


@unittest.skipUnless(OFFICE, "no spreadsheet program is installed")
class InASpreadsheet(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = temporary_folder()
        cls.names = [field.name for field in FIELDS]
        cls.records = table(ROWS)
        for ending in ("xlsx", "ods"):
            write(cls.records, cls.folder / f"out-{ending}.{ending}", cls.names)

    def converted(self, kind: str, *paths: Path) -> list[Path]:
        to = temporary_folder()
        profile = f"-env:UserInstallation=file://{self.folder}/profile"
        command = [str(OFFICE), profile, "--headless", "--convert-to", kind, "--outdir", str(to), *map(str, paths)]
        subprocess.run(command, check=True, capture_output=True, timeout=240)
        return [to / f"{path.stem}.{kind.partition(':')[0]}" for path in paths]

    def test_the_values_are_the_same(self) -> None:
        cells = cells_of(list(FIELDS), self.records, TYPE, CATALOGUE)
        wanted = [[text or "" for text in row] for row in cells.iter_rows()]
        paths = [self.folder / f"out-{ending}.{ending}" for ending in ("xlsx", "ods")]
        for path in self.converted(AS_SHOWN, *paths):
            head, *rows = list(csv.reader(io.StringIO(path.read_text(encoding="utf-8"), newline="")))
            self.assertEqual(head, [field.label for field in FIELDS])
            for row, texts in zip(rows, wanted, strict=True):
                for field, shown, text in zip(FIELDS, row, texts, strict=True):
                    # A day before the calendar of spreadsheets begins is text, and is shown as such.
                    self.assertEqual(shown, text, (path.name, field.name))

    def test_drop_downs_and_the_header_stay(self) -> None:
        for ending in ("xlsx", "ods"):
            (again,) = self.converted("xlsx", self.folder / f"out-{ending}.{ending}")
            sheet = openpyxl.load_workbook(again).active
            rules = {str(rule.sqref): rule.formula1 for rule in sheet.data_validations.dataValidation}
            letter = openpyxl.utils.get_column_letter(self.names.index("one") + 1)
            told = next((formula for place, formula in rules.items() if place.startswith(letter)), "")
            self.assertIn("plain", told, (ending, rules))
            self.assertTrue(sheet.cell(1, 1).font.b)
