"""Awkward sheets are read as what they are, through the command that people use."""

from __future__ import annotations

import itertools
import json
import unittest
import zipfile
from datetime import date, datetime
from pathlib import Path
from typing import Any
from unittest.mock import patch

import xlwt
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import read_here
from tests.corpus.books import BARE, BOOKS, Book, bare, made, package
from tests.corpus.documents import DOCUMENTS, EMPTY, HEAD, document, row, table, text
from tests.corpus.texts import CASES
from tests.support import temporary_folder
from vexo.core.sheets import Choices, SheetError, read_sheet
from vexo.core.sheets.readers import sandbox
from vexo.core.sheets.readers.encodings import decode
from vexo.core.sheets.readers.text import read_text
from vexo.core.sheets.readers.xlsx_cells import read_cells
from vexo.core.sheets.readers.xlsx_plain import read_plain_cells
from vexo.core.sheets.shape import reshape, shape_cells

FOLDER = temporary_folder(lasting=True)
SHARES = st.one_of(st.just(1000), st.integers(0, 1000))
PLAIN = {"format": "csv", "encoding": "utf-8", "delimiter": ",", "worksheet": "", "header_row": 1}
BOOK = {"format": "xlsx", "encoding": "", "delimiter": "", "worksheet": "Sheet", "header_row": 1}


SHEET_XML = (
    '<?xml version="1.0" encoding="UTF-8"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">'
    '<sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>a &amp; b</t></is></c><c r="B1"><v>2.5</v></c></row>'
    '<row r="2" spans="1:2"><c r="A2" s="1" t="s"><v>0</v></c><c r="B2" s="2"/><c r="C2"><f>A1+1</f></c></row>'
    "</sheetData></worksheet>"
)
PIECES = (
    *(
        "<!-- x -->",
        "<![CDATA[<c r=]]>",
        " ",
        "\n",
        "\r\n",
        "&#128;",
        "&#13;",
        "&lt;c ",
        "&amp;",
        "\u00a0",
        "9",
        "<v/>",
        "<v>7</v>",
    ),
    *(
        '<c r="D4"><v>1</v></c>',
        '<row r="9">',
        "</row>",
        ' t="str"',
        ' s="3"',
        "<f>1</f>",
        "<is><t> x</t></is>",
        "<r><t>y</t></r>",
    ),
    *("<x:c xmlns:x='u' r='Z9'><v>3</v></x:c>", "<rPh><t>z</t></rPh>", "<extLst><c/></extLst>", "_x000A_", "\ufffd"),
)


def read(path: Path, choices: dict[str, Any]) -> dict[str, Any]:
    """What ``vexo read --json`` prints; the file is read in this process."""
    from vexo.cli.main import main

    options = [part for name, value in choices.items() for part in (f"--{name}", str(value))]
    with patch("vexo.core.sheets.read_sheet", read_here):
        done = CliRunner().invoke(main, ["read", str(path), "--json", *options])
    return dict(json.loads(done.stdout))


class Corpus(unittest.TestCase):
    def held(self, told: dict[str, Any], plain: dict[str, Any], case: Any) -> None:
        rows, findings = told.pop("rows"), told.pop("findings")
        self.assertEqual(told, {**plain, **case.found, "columns": case.columns})
        self.assertEqual({line["row"]: line["cells"] for line in rows}, case.rows)
        self.assertEqual([(f["kind"], f["row"], f["column"]) for f in findings], case.findings)
        for finding in findings:
            self.assertRegex(finding["text"], r"\.$")

    def test_texts(self) -> None:
        for at, case in enumerate(CASES):
            with self.subTest(case.trait):
                path = FOLDER / f"text-{at}.csv"
                path.write_bytes(case.content)
                self.held(read(path, case.choices), PLAIN, case)

    def test_old_code_pages_are_told_from_windows_by_their_words(self) -> None:
        texts = (
            "Name;Ort\nM\u00fcller;Gr\u00f6\u00dfe\nB\u00e4rbel;K\u00f6ln\n",
            "a,b\nM\u00fcller,1\n",
            "nom;ville\nH\u00e9l\u00e8ne;Besan\u00e7on\nZo\u00e9;S\u00e8te\n",
            "n;p\nJo\u00eblle;Co\u00f6peratie\nRen\u00e9;Zee\u00ebn\n",
            "navn;by\nS\u00f8ren;\u00c5rhus\n\u00c5se;\u00c6r\u00f8\n",
            "a;b\nPe\u00f1a;Logro\u00f1o\nMu\u00f1oz;Coru\u00f1a\n",
            "a;b\n\u0141\u00f3d\u017a;Krak\u00f3w\nGda\u0144sk;Wroc\u0142aw\n\u017b\u00f3\u0142\u0107;\u015al\u0105sk\n",
            "\u0430;\u0431\n\u0418\u0432\u0430\u043d\u043e\u0432;\u041c\u043e\u0441\u043a\u0432\u0430\n",
            "a;b\nO\u2019Brien;10 \u20ac\nd\u2019\u00c9t\u00e9;5 \u00b0C\n",
        )
        pages = ("cp1252", "cp850", "cp437", "cp1250", "cp852", "cp1251", "iso8859_15")
        for words, page in itertools.product(texts, pages):
            content = words.encode(page, errors="replace")
            if content.decode(page) == words:
                with self.subTest(words[:20], page=page):
                    self.assertEqual(decode(content, "x").text, words)

    def test_another_header_is_found_without_the_file(self) -> None:
        for at, case in enumerate(case for case in CASES if len(case.content) < 10_000):
            path = FOLDER / f"again-{at}.csv"
            path.write_bytes(case.content)
            raw, found = read_text(path)
            shaped = shape_cells(raw, **found)
            for header in (0, *[first for first, _ in shaped.profile.first_rows[:3]]):
                with self.subTest(case.trait, header=header):
                    again, anew = (
                        reshape(shaped, Choices(header=header)),
                        shape_cells(raw, Choices(header=header), **found),
                    )
                    self.assertEqual(again.cells.rows(), anew.cells.rows())
                    self.assertEqual(again.profile, anew.profile)

    def test_books(self) -> None:
        for at, case in enumerate(BOOKS):
            with self.subTest(case.trait):
                told = read(made(FOLDER / f"book-{at}.xlsx", case), case.choices)
                self.held(told, BOOK, case)

    def test_both_ways_of_reading_a_worksheet_give_the_same(self) -> None:
        plain = 0
        for at, case in enumerate(BOOKS):
            with self.subTest(case.trait), zipfile.ZipFile(made(FOLDER / f"both-{at}.xlsx", case)) as archive:
                for part in (name for name in archive.namelist() if name.startswith("xl/worksheets/sheet")):
                    quick = read_plain_cells(archive, part)
                    if quick is not None:
                        plain += 1
                        self.assertTrue(quick.equals(read_cells(archive.open(part))), part)
        self.assertGreater(plain, len(BOOKS) * 2 // 3)

    @given(st.lists(st.tuples(st.integers(0, 400), st.sampled_from(PIECES)), min_size=1, max_size=3))
    def test_a_worksheet_written_otherwise_is_never_read_otherwise(self, changes: list[tuple[int, str]]) -> None:
        content = SHEET_XML
        for at, piece in changes:
            begin, end = content.index("<sheetData>") + 11, content.rindex("</sheetData>")
            place = begin + at % (end - begin)
            content = content[:place] + piece + content[place:]
        path = FOLDER / "otherwise.zip"
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("sheet.xml", content)
        with zipfile.ZipFile(path) as archive:
            try:
                exact = read_cells(archive.open("sheet.xml"))
            except SheetError:
                return
            quick = read_plain_cells(archive, "sheet.xml")
            self.assertTrue(quick is None or quick.equals(exact), content)

    def test_documents(self) -> None:
        for at, case in enumerate(DOCUMENTS):
            with self.subTest(case.trait):
                told = read(document(FOLDER / f"document-{at}.ods", case.content), case.choices)
                self.held(told, {**BOOK, "format": "ods", "worksheet": "One"}, case)

    def test_old_workbooks(self) -> None:
        book = xlwt.Workbook()
        book.add_sheet("Empty")
        sheet = book.add_sheet("Berths")
        day = xlwt.easyxf(num_format_str="YYYY-MM-DD")
        for at, name in enumerate(["berth", "rate", "until", "ok"]):
            sheet.write(2, at, name)
        for at, (berth, rate, until) in enumerate(
            [("0042", 12345678901234.56, date(2026, 5, 6)), ("A-2", 1 / 3, datetime(2026, 5, 6, 7, 8, 9))]
        ):
            for column, value in enumerate([berth, rate]):
                sheet.write(at + 4, column, value)
            sheet.write(at + 4, 2, until, day)
        sheet.write(4, 3, True)
        book.save(str(FOLDER / "old.xls"))
        told = read(FOLDER / "old.xls", {})
        self.assertEqual((told["format"], told["worksheet"], told["header_row"]), ("xls", "Berths", 3))
        rows = {
            5: ["0042", "12345678901234.56", "2026-05-06", "TRUE"],
            6: ["A-2", "0.3333333333333333", "2026-05-06T07:08:09", None],
        }
        self.assertEqual({line["row"]: line["cells"] for line in told["rows"]}, rows)
        self.assertEqual([finding["kind"] for finding in told["findings"]], ["xls"])
        self.assertIn("no worksheet", read(FOLDER / "old.xls", {"worksheet": "None"})["error"])

    def test_what_no_library_writes(self) -> None:
        for at, (trait, *_, cells) in enumerate(BARE):
            with self.subTest(trait):
                told = read(bare(FOLDER / f"bare-{at}.xlsx", at), {})
                self.assertEqual(told["rows"][0]["cells"], cells[: len(told["columns"])])
                kinds = [finding["kind"] for finding in told["findings"]]
                self.assertEqual(kinds, ["formulas"] if "formula" in trait else [])

    def test_a_worksheet_by_choice_and_one_that_is_not_there(self) -> None:
        path = made(FOLDER / "choice.xlsx", next(book for book in BOOKS if book.trait == "a hidden first worksheet"))
        self.assertEqual(read(path, {"worksheet": "Seen"})["worksheet"], "Seen")
        self.assertIn("has no worksheet 'None'. It has 'Seen'", read(path, {"worksheet": "None"})["error"])

    def test_a_row_that_is_blank_is_no_header_and_an_encoding_that_is_none_is_said(self) -> None:
        path = FOLDER / "chosen.csv"
        path.write_bytes(b"berth,rate\n,\nA-1,2\n")
        self.assertIn("Row 2 has no filled cell", read(path, {"header": 2})["error"])
        self.assertIn("is not an encoding", read(path, {"encoding": "klingon"})["error"])
        self.assertIn("one character", read(path, {"delimiter": "ab"})["error"])


class Hostile(unittest.TestCase):
    """Nothing crashes the reader, eats memory or takes long; each file that cannot be read is a sentence."""

    def refused(self, path: Path) -> str:
        with self.assertRaises(SheetError) as caught:
            read_here(path, FOLDER / "cells.parquet", path.name)
        return str(caught.exception)

    def test_bombs(self) -> None:
        head = b'<row r="1"><c r="A1" t="str"><v>a</v></c></row>'
        sheet = b'<worksheet xmlns="MAIN"><sheetData>' + head + b"%s</sheetData></worksheet>"
        far = b'<row r="1048576"><c r="XFD1048576" t="str"><v>b</v></c></row>'
        self.assertEqual(read_here(package(FOLDER / "far.xlsx", sheet % far), FOLDER / "c.parquet").rows, 1)
        beyond = b'<row r="2000000"><c r="A2000000"><v>1</v></c></row>'
        self.assertIn("no sheet has so many", self.refused(package(FOLDER / "beyond.xlsx", sheet % beyond)))
        entity = b'<!DOCTYPE worksheet [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>' + sheet % b""
        self.assertIn("entities of its own", self.refused(package(FOLDER / "entity.xlsx", entity)))
        token = sheet % (b'<row r="2" spans="' + b"1" * 5_000_000 + b'"/>')
        self.assertIn("one piece of over a megabyte", self.refused(package(FOLDER / "token.xlsx", token)))
        missing = b'<row r="2"><c r="A2" t="s"><v>7</v></c></row>'
        repeated = table(HEAD, row(text(b"x"), text(b"y"), repeated=1_048_000), row(EMPTY % 9))
        wide = b'<table:table-cell table:number-columns-repeated="16000" office:value-type="string"><text:p>x</text:p>'
        bomb = table(HEAD, row(wide + b"</table:table-cell>", repeated=1_000_000))
        self.assertEqual(read_here(document(FOLDER / "long.ods", repeated), FOLDER / "c.parquet").rows, 1_048_000)
        self.assertIn("most of them repeated", self.refused(document(FOLDER / "bomb.ods", bomb)))
        self.assertIn("a text that is not there", self.refused(package(FOLDER / "missing.xlsx", sheet % missing)))

    def test_a_bomb_takes_its_child_and_nothing_else(self) -> None:
        path = FOLDER / "huge.xlsx"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("xl/worksheets/sheet1.xml", bytes(20 * 1024 * 1024))
        with patch.object(sandbox, "_LARGEST", 10 * 1024 * 1024), self.assertRaises(SheetError) as caught:
            read_sheet(path, FOLDER / "cells.parquet", choices=Choices())
        self.assertIn("would unpack to", str(caught.exception))

    def test_a_machine_without_memory_is_told_from_a_file_that_asks_too_much(self) -> None:
        path = FOLDER / "plain-sheet.csv"
        path.write_text("berth,rate\nA-1,2\n")

        def killed_from_outside(reader: Any, question: dict[str, Any]) -> str:
            reader._process.kill()
            return str(reader._process.stdout.readline())

        with patch.object(sandbox._Reader, "ask", killed_from_outside), self.assertRaises(SheetError) as caught:
            read_sheet(path, FOLDER / "cells.parquet")
        self.assertIn("had no memory left for it", str(caught.exception))
        with self.assertRaises(SheetError) as caught:
            read_sheet(path, FOLDER / "cells.parquet", memory=200 * 1024 * 1024)
        self.assertIn("needs more memory than a sheet may take", str(caught.exception))
        self.assertEqual(read_sheet(path, FOLDER / "cells.parquet").rows, 1)

    @given(st.data())
    def test_cut_and_twisted_files_are_read_or_refused_in_a_sentence(self, data: st.DataObject) -> None:
        """Places are drawn as shares: a workbook is never twice the same to the byte."""
        case = data.draw(st.sampled_from([*BOOKS, *CASES, *DOCUMENTS]))
        kept, changes = data.draw(SHARES), data.draw(st.lists(st.tuples(SHARES, st.integers(0, 255)), max_size=6))
        if isinstance(case, Book):
            whole = made(FOLDER / "whole.xlsx", case).read_bytes()
        elif case in DOCUMENTS:
            whole = document(FOLDER / "whole.ods", case.content).read_bytes()
        else:
            whole = case.content[:4000]
        twisted = bytearray(whole[: 1 + len(whole) * kept // 1000])
        for share, byte in changes:
            twisted[min(len(twisted) - 1, len(twisted) * share // 1000)] = byte
        path = FOLDER / "twisted.bin"
        path.write_bytes(bytes(twisted))
        try:
            read_here(path, FOLDER / "cells.parquet", "twisted.bin")
        except SheetError as error:
            self.assertRegex(str(error), r"[.!]$")
