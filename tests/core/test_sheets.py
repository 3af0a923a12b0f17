from __future__ import annotations

import csv
import signal
import unittest
import zipfile
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any
from unittest.mock import patch

import openpyxl
import polars as pl
from hypothesis import example, given
from hypothesis import strategies as st

from tests.core.examples import BERTH, CATALOGUE, read_here, records
from tests.support import temporary_folder
from vexo.core.columns.carried_values import Reading, cell_texts
from vexo.core.columns.marks import read_marks
from vexo.core.columns.matches import ColumnMatch
from vexo.core.records import IDENTIFIER, VERSION
from vexo.core.sheets import SheetError, SheetProfile, Stamp, read_sheet
from vexo.core.sheets.readers import sandbox
from vexo.core.sheets.readers.ods import read_ods
from vexo.core.sheets.readers.text import read_text
from vexo.core.sheets.readers.xlsx import read_xlsx
from vexo.core.sheets.shape import shape_cells
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.ods import write_ods
from vexo.core.sheets.writers.outgoing import OutgoingColumn, outgoing_columns
from vexo.core.sheets.writers.xlsx import write_xlsx

FOLDER = temporary_folder(lasting=True)
NAMES = ["code", "rate", "services", "name", "until", "open"]
STAMP = Stamp(7, 1, "abc", "harbour-live", "live", "Berth", tuple((n, BERTH.field(n).label) for n in NAMES))
TEXTS = st.text(alphabet="aZ09éß=+-@'\"[]&<>;,\t\n \u00a0_x0041", max_size=12)


def outgoing(table: pl.DataFrame, names: list[str]) -> list[OutgoingColumn]:
    return outgoing_columns([BERTH.field(name) for name in names], table, BERTH, CATALOGUE)


def read(path: Path) -> tuple[pl.DataFrame, SheetProfile]:
    cells = path.with_suffix(path.suffix + ".parquet")
    profile = read_here(path, cells)
    return pl.read_parquet(cells).drop("row_id"), profile


def file_of(name: str, content: bytes) -> Path:
    path = FOLDER / name
    path.write_bytes(content)
    return path


class RoundTrip(unittest.TestCase):
    table = records(
        NAMES,
        ("1", "v", "0020418", "0.10", "water; power", "=1+1", "2026-01-02", "yes"),
        ("2", "v", "007", "12345678901234.56", None, "[x] & <y>\n'q'", "1850-06-01", "no"),
        ("3", "v", "B-01", None, "wifi", "\x01 é ", None, None),
    )

    def test_all_formats_give_back_what_went_out(self) -> None:
        columns = outgoing(self.table, NAMES)
        write_xlsx(columns, FOLDER / "out.xlsx", "Berths", STAMP)
        write_csv(columns, FOLDER / "out.csv")
        table = self.table.with_columns(pl.col("name").str.replace("\x01", ""))
        write_ods(outgoing(table, NAMES), FOLDER / "out.ods", "Berths", STAMP)
        for name in ("out.xlsx", "out.csv", "out.ods"):
            with self.subTest(name):
                cells, profile = read(FOLDER / name)
                self.assertEqual([c.header for c in profile.columns], [BERTH.field(n).label for n in NAMES])
                self.assertEqual(cells["row"].to_list(), [2, 3, 4])
                self.assertEqual(cells["c0"].to_list(), ["0020418", "007", "B-01"])
                self.assertEqual(cells["c1"].to_list(), ["0.10", "12345678901234.56", None])
                self.assertEqual(cells["c4"].to_list(), ["2026-01-02", "1850-06-01", None])

    def test_another_library_reads_what_is_meant(self) -> None:
        write_xlsx(outgoing(self.table.head(1), NAMES), FOLDER / "other.xlsx", "Berths", STAMP)
        book = openpyxl.load_workbook(FOLDER / "other.xlsx")
        sheet = book.active
        self.assertEqual([cell.value for cell in sheet[2]][:4], ["0020418", 0.1, "water; power", "=1+1"])
        self.assertEqual(sheet["E2"].value.date(), date(2026, 1, 2))
        self.assertEqual(sheet["D2"].data_type, "s")
        self.assertEqual(sheet.freeze_panes, "B2")
        self.assertIn("[clear]", sheet["B1"].comment.text)

    def test_another_library_writes_and_the_stamp_stays(self) -> None:
        write_xlsx(outgoing(self.table, NAMES), FOLDER / "edited.xlsx", "Berths", STAMP)
        book = openpyxl.load_workbook(FOLDER / "edited.xlsx")
        book.active["B2"], book.active["B4"], book.active["E4"] = 0.1, 12345678901234.56, date(2026, 5, 6)
        book.save(FOLDER / "edited.xlsx")
        cells, profile = read(FOLDER / "edited.xlsx")
        self.assertEqual(profile.stamp, STAMP)
        self.assertEqual(cells["c1"].to_list(), ["0.1", "12345678901234.56", "12345678901234.56"])
        self.assertEqual(cells["c4"][2], "2026-05-06")

    @given(st.lists(TEXTS, min_size=1, max_size=5))
    @example(["\t\n\t0", "\t\n\t"])
    def test_any_text_comes_back_from_all_formats(self, texts: list[str]) -> None:
        table = pl.DataFrame(
            {IDENTIFIER: [str(n) for n in range(len(texts))], VERSION: ["v"] * len(texts), "code": ["k"] * len(texts)}
        ).with_columns(pl.Series("name", texts, dtype=pl.String).replace("", None))
        columns = outgoing(table, ["code", "name"])
        write_xlsx(columns, FOLDER / "any.xlsx", "x")
        write_csv(columns, FOLDER / "any.csv")
        write_ods(columns, FOLDER / "any.ods", "x")
        readers = ((read_xlsx, "any.xlsx", False), (read_text, "any.csv", True), (read_ods, "any.ods", False))
        for reader, path, prefixed in readers:
            raw, found = reader(FOLDER / path)
            cells = shape_cells(raw, **found).cells
            if "c1" not in cells.columns:
                self.assertEqual(set(table["name"].to_list()), {None})
                continue
            match = ColumnMatch("c1", "Name", BERTH.field("name"), "label")
            texts_ = cell_texts(cells, match, Reading(marks=True, prefixed=prefixed))
            marked = read_marks(BERTH.field("name"), texts_, on=True)
            self.assertEqual(marked.texts.to_list(), table["name"].to_list())
            self.assertEqual(marked.problems.null_count(), len(texts_))

    def test_an_ods_sheet_has_its_stamp_and_says_what_it_cannot_hold(self) -> None:
        table = self.table.with_columns(pl.col("name").str.replace("\x01", ""))
        write_ods(outgoing(table, NAMES), FOLDER / "stamped.ods", "Berths: all/", STAMP)
        _, profile = read(FOLDER / "stamped.ods")
        self.assertEqual((profile.stamp, profile.findings, profile.sheet), (STAMP, (), "Berths  all "))
        with zipfile.ZipFile(FOLDER / "stamped.ods") as book:
            first = book.infolist()[0]
            self.assertEqual((first.filename, first.compress_type), ("mimetype", zipfile.ZIP_STORED))
            settings_ = book.read("settings.xml").decode()
        self.assertIn('"HorizontalSplitPosition" config:type="int">1<', settings_)
        with self.assertRaisesRegex(ValueError, "Name holds a character that no ODS file can hold"):
            write_ods(outgoing(self.table, NAMES), FOLDER / "cannot.ods", "Berths")

    def test_a_code_shown_with_zeros_keeps_them(self) -> None:
        book = openpyxl.Workbook()
        book.active.append(["Code"])
        book.active.append([418])
        book.active["A2"].number_format = "0000000"
        book.save(FOLDER / "zeros.xlsx")
        cells, _ = read(FOLDER / "zeros.xlsx")
        match = ColumnMatch("c0", "Code", BERTH.field("code"), "label")
        self.assertEqual(cell_texts(cells, match, Reading()).to_list(), ["0000418"])


class Findings(unittest.TestCase):
    def test_encoding_delimiter_blank_rows_and_total(self) -> None:
        text = "Ring;Länge\r\n7;1,5\r\n;\r\n8;2\r\n\r\nTotal;3,5\r\n"
        cells, profile = read(file_of("found.csv", text.encode("cp1252")))
        self.assertEqual(profile.delimiter, ";")
        self.assertEqual([c.header for c in profile.columns], ["Ring", "Länge"])
        self.assertEqual((profile.rows, profile.blank_rows, profile.total_rows), (2, 2, (6,)))
        self.assertEqual(cells["row"].to_list(), [2, 4])

    def test_quoted_cells_keep_delimiters_and_line_ends(self) -> None:
        cells, _ = read(file_of("quoted.csv", b'a,b\n"x, ""y""\nz",1\nlast,2\n'))
        self.assertEqual(cells.rows(), [(2, 'x, "y"\nz', "1"), (3, "last", "2")])

    def test_errors_booleans_and_times_as_stored(self) -> None:
        book = openpyxl.Workbook()
        sheet: Any = book.active
        sheet.append(["a", "b", "c", "d"])
        sheet.append(["#N/A", True, 1 / 3, 1e-7])
        sheet["A2"].data_type = "e"
        book.save(FOLDER / "kinds.xlsx")
        cells, _ = read(FOLDER / "kinds.xlsx")
        self.assertEqual(cells.row(0), (2, "#N/A", "TRUE", "0.3333333333333333", "0.0000001"))

    def test_cells_without_a_place_and_prefixed_names(self) -> None:
        book = openpyxl.Workbook()
        book.active.append(["a", "b"])
        book.active.append([1, "two"])
        book.save(FOLDER / "plain.xlsx")
        for name, old, new in (("bare", ' r="A2"', ""), ("prefix", "<", "<")):
            with zipfile.ZipFile(FOLDER / "plain.xlsx") as source, zipfile.ZipFile(FOLDER / f"{name}.xlsx", "w") as out:
                for entry in source.namelist():
                    text = source.read(entry)
                    if entry.endswith("sheet1.xml"):
                        xml = text.decode().replace(old, new)
                        if name == "prefix":
                            xml = xml.replace("<", "<x:").replace("<x:/", "</x:").replace('xmlns="', 'xmlns:x="')
                        text = xml.encode()
                    out.writestr(entry, text)
            with self.subTest(name):
                self.assertEqual(read(FOLDER / f"{name}.xlsx")[0].rows(), [(2, "1", "two")])


class NotSheets(unittest.TestCase):
    def test_each_is_refused_in_a_sentence(self) -> None:
        archive = FOLDER / "archive.xlsx"
        with zipfile.ZipFile(archive, "w") as out:
            out.writestr("readme.txt", "hello")
        cases = {
            file_of("none.csv", b""): "empty",
            file_of("bytes.csv", b"ab\0\0cd"): "are not text",
            file_of("paper.pdf", b"%PDF-1.7 ..."): "Save it as XLSX or CSV",
            file_of("cut.xlsx", b"PK\x03\x04 cut off"): "damaged",
            file_of("blank.csv", b" , \n , \n"): "no filled cell",
            archive: "no workbook",
            FOLDER / "missing.csv": "no file",
        }
        for path, words in cases.items():
            with self.subTest(path.name), self.assertRaises(SheetError) as caught:
                read_sheet(path, FOLDER / "cells.parquet")
            self.assertIn(words, str(caught.exception))

    def test_a_sheet_with_its_last_cell_filled_is_small(self) -> None:
        book = openpyxl.Workbook()
        book.active["A1"], book.active["XFD1048576"] = "first", "last"
        book.save(FOLDER / "far.xlsx")
        cells, profile = read(FOLDER / "far.xlsx")
        self.assertEqual((profile.rows, cells["row"].to_list()), (1, [1_048_576]))

    def test_a_reader_out_of_memory_is_a_sentence(self) -> None:
        path = file_of("large.csv", b"a,b\n" + b"12345678,abcdefgh\n" * 400_000)
        with self.assertRaises(SheetError) as caught:
            read_sheet(path, path.with_suffix(".parquet"), memory=150 * 1024 * 1024)
        self.assertIn("memory", str(caught.exception))

    def test_one_process_reads_file_after_file_until_it_is_gone_or_has_grown(self) -> None:
        path, target = file_of("one.csv", b"a\n1\n"), FOLDER / "one.parquet"
        read_sheet(path, target)
        (first,) = sandbox._readers._waiting
        read_sheet(path, target)
        self.assertEqual(sandbox._readers._waiting, [first])
        first._process.kill()
        self.assertEqual(read_sheet(path, target).rows, 1)
        (second,) = sandbox._readers._waiting
        self.assertIsNot(second, first)
        with patch.object(sandbox, "_GROWN", 1):
            self.assertEqual(read_sheet(path, target).rows, 1)
        self.assertEqual((sandbox._readers._waiting, second._process.returncode), ([], -signal.SIGKILL))

    def test_a_signal_from_outside_says_nothing_of_the_file(self) -> None:
        """All processes of a worker that is stopped are told to end, while it has time to finish what it does."""
        path, ask = file_of("told.csv", b"a\n1\n"), sandbox._Reader.ask
        for number, reads in ((signal.SIGTERM, True), (signal.SIGINT, True), (signal.SIGKILL, False)):
            told: list[sandbox._Reader] = []

            def ended(reader: sandbox._Reader, question: Any, number: int = number, told: Any = told) -> str:
                if not told:
                    told.append(reader)
                    reader._process.send_signal(number)
                    reader._process.wait(60)
                return ask(reader, question)

            sandbox._readers.end()
            with self.subTest(number), patch.object(sandbox._Reader, "ask", ended):
                if reads:
                    self.assertEqual(read_sheet(path, FOLDER / "told.parquet").rows, 1)
                else:
                    self.assertRaises(SheetError, read_sheet, path, FOLDER / "told.parquet")

    def test_a_file_that_takes_too_long_is_a_sentence_and_the_next_is_read(self) -> None:
        path, target = file_of("slow.csv", b"a,b\n" + b"12345678,abcdefgh\n" * 400_000), FOLDER / "slow.parquet"
        with patch.object(sandbox, "SECONDS", 0.01), self.assertRaises(SheetError) as caught:
            read_sheet(path, target)
        self.assertIn("took longer", str(caught.exception))
        self.assertEqual(read_sheet(file_of("next.csv", b"a\n1\n"), target).rows, 1)

    def test_at_once_each_file_has_a_process_of_its_own(self) -> None:
        paths = [file_of(f"{n}-rows.csv", b"a\n" + b"1\n" * n) for n in range(1, 9)]
        with ThreadPoolExecutor(8) as pool:
            read = list(pool.map(lambda path: read_sheet(path, path.with_suffix(".parquet")).rows, paths))
        self.assertEqual((read, len(sandbox._readers._waiting)), (list(range(1, 9)), 1))

    def test_long_numbers_leave_as_text(self) -> None:
        table = records(["code", "rate"], ("1", "v", "a", "12345678901234.56"), ("2", "v", "b", "1.00"))
        self.assertFalse(outgoing(table, ["rate"])[0].as_number)
        self.assertTrue(outgoing(table.tail(1), ["rate"])[0].as_number)
        self.assertEqual(Decimal(outgoing(table, ["rate"])[0].cells[0]), Decimal("12345678901234.56"))

    def test_formulas_are_harmless_in_text_files_only(self) -> None:
        table = records(["code", "name"], ("1", "v", "a", "=cmd()"), ("2", "v", "-5", "'x"))
        write_csv(outgoing(table, ["code", "name"]), FOLDER / "formula.csv")
        with (FOLDER / "formula.csv").open(encoding="utf-8-sig", newline="") as file:
            self.assertEqual(list(csv.reader(file))[1:], [["a", "'=cmd()"], ["'-5", "''x"]])
