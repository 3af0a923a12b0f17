"""Workbooks, made with other libraries than the reader's own."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from datetime import date, datetime, time
from pathlib import Path
from typing import Any, NamedTuple

import openpyxl
from openpyxl.cell.rich_text import CellRichText, TextBlock
from openpyxl.cell.text import InlineFont
from openpyxl.utils.datetime import CALENDAR_MAC_1904


class Book(NamedTuple):
    """How a workbook is made, and what is read from it."""

    trait: str
    make: Callable[[Any], None]
    columns: list[str]
    rows: dict[int, list[str | None]]
    findings: list[tuple[str, int | None, str | None]] = []
    found: dict[str, Any] = {}
    choices: dict[str, Any] = {}


def lines(*rows: list[Any]) -> Callable[[Any], None]:
    def make(book: Any) -> None:
        for row in rows:
            book.active.append(row)

    return make


def formatted(value: Any, number_format: str) -> Callable[[Any], None]:
    def make(book: Any) -> None:
        book.active.append(["code", "value"])
        book.active.append(["A-1", value])
        book.active["B2"].number_format = number_format

    return make


def several(book: Any) -> None:
    book.active.title = "Read me"
    book.create_sheet("Berths").append(["berth"])
    book["Berths"].append(["A-1"])


def hidden(book: Any) -> None:
    book.active.append(["not", "this"])
    book.active.sheet_state = "hidden"
    sheet = book.create_sheet("Seen")
    sheet.append(["berth"])
    sheet.append(["A-1"])


def far(book: Any) -> None:
    book.active["C5"], book.active["D5"] = "berth", "rate"
    book.active["C7"], book.active["D7"] = "A-1", 2


def rich(book: Any) -> None:
    book.active.append(["berth", "note"])
    book.active.append(["A-1", CellRichText("plain ", TextBlock(InlineFont(b=True), "bold"), " again")])


def counting_from_1904(book: Any) -> None:
    book.epoch = CALENDAR_MAC_1904
    book.active.append(["berth", "until"])
    book.active.append(["A-1", date(2026, 5, 6)])


def hidden_parts(book: Any) -> None:
    lines(["berth", "rate", "note"], ["A-1", 1, "x"], ["A-2", 2, "y"], ["A-3", 3, "z"])(book)
    book.active.row_dimensions[3].hidden = True
    book.active.row_dimensions[9].hidden = True
    book.active.column_dimensions["B"].hidden = True
    book.active.column_dimensions["F"].hidden = True


def merged(book: Any) -> None:
    lines(["berth", "value"], ["A-1", 5], [None, 6])(book)
    book.active.merge_cells("A2:A3")


def errors(book: Any) -> None:
    book.active.append(["berth", "rate"])
    book.active.append(["A-1", "#N/A"])
    book.active["B2"].data_type = "e"


def noted(*more: str) -> Any:
    """A note in the first worksheets, and the table in the last."""

    def fill(book: Any) -> None:
        for title in ("Read me", *more):
            note = book.create_sheet(title)
            note.append(["Dear all,"])
            note.append(["fill in the berths on the next sheet."])
        lines(HEAD, ["A-1", -0.0], ["A-2", 5])(book)
        table = book.active
        book.move_sheet(table, len(more) + 1)
        table.title = "Berths"

    return fill


HEAD = ["berth", "value"]
BOOKS = [
    Book("plain", lines(["berth", "rate"], ["A-1", 2.5]), ["berth", "rate"], {2: ["A-1", "2.5"]}),
    Book("whole numbers stored as such", lines(HEAD, ["A-1", 20418.0]), HEAD, {2: ["A-1", "20418"]}),
    Book("a third", lines(HEAD, ["A-1", 1 / 3]), HEAD, {2: ["A-1", "0.3333333333333333"]}),
    Book("fifteen figures and two", lines(HEAD, ["A-1", 12345678901234.56]), HEAD, {2: ["A-1", "12345678901234.56"]}),
    Book("very small numbers", lines(HEAD, ["A-1", 1e-7]), HEAD, {2: ["A-1", "0.0000001"]}),
    Book("yes and no", lines(HEAD, ["A-1", True], ["A-2", False]), HEAD, {2: ["A-1", "TRUE"], 3: ["A-2", "FALSE"]}),
    Book("days", lines(HEAD, ["A-1", date(2026, 5, 6)]), HEAD, {2: ["A-1", "2026-05-06"]}),
    Book("moments", lines(HEAD, ["A-1", datetime(2026, 5, 6, 7, 8, 9)]), HEAD, {2: ["A-1", "2026-05-06T07:08:09"]}),
    Book("times of day", lines(HEAD, ["A-1", time(7, 30)]), HEAD, {2: ["A-1", "07:30:00"]}),
    Book(
        "days counted from 1904",
        counting_from_1904,
        ["berth", "until"],
        {2: ["A-1", "2026-05-06"]},
        [("date-system", None, None)],
    ),
    Book(
        "hidden rows and columns",
        hidden_parts,
        ["berth", "rate", "note"],
        {2: ["A-1", "1", "x"], 3: ["A-2", "2", "y"], 4: ["A-3", "3", "z"]},
        [("hidden-rows", 3, None), ("hidden-columns", None, "B")],
    ),
    Book("merged cells", merged, HEAD, {2: ["A-1", "5"], 3: [None, "6"]}, [("merged", 2, None)]),
    Book(
        "numbers shown shorter than they are",
        formatted(12.345, "0.00"),
        ["code", "value"],
        {2: ["A-1", "12.345"]},
        [("rounded", None, "B")],
    ),
    Book("numbers shown longer", formatted(12.3, "0.00"), ["code", "value"], {2: ["A-1", "12.3"]}),
    Book(
        "a formula saved without its value",
        lines(HEAD, ["A-1", "=1+1"], ["A-2", 5]),
        HEAD,
        {2: ["A-1", "=1+1"], 3: ["A-2", "5"]},
        findings=[("formula", 2, "B")],
    ),
    Book("errors", errors, ["berth", "rate"], {2: ["A-1", "#N/A"]}),
    Book("a code shown with zeros", formatted(418, "0000000"), ["code", "value"], {2: ["A-1", "0000418"]}),
    Book("per cent", formatted(0.25, "0%"), ["code", "value"], {2: ["A-1", "0.25"]}, [("percent", None, "B")]),
    Book(
        "currency",
        formatted(1234.5, '"€" #,##0.00'),
        ["code", "value"],
        {2: ["A-1", "1234.5"]},
        [("currency", None, "B")],
    ),
    Book("a format with its place", formatted(1234.5, "[$-409]#,##0.00"), ["code", "value"], {2: ["A-1", "1234.5"]}),
    Book("rich text", rich, ["berth", "note"], {2: ["A-1", "plain bold again"]}),
    Book(
        "line ends and odd characters",
        lines(HEAD, ["A-1", "two\nlines & <more>"]),
        HEAD,
        {2: ["A-1", "two\nlines & <more>"]},
    ),
    Book("a table far from the corner", far, ["berth", "rate"], {7: ["A-1", "2"]}, found={"header_row": 5}),
    Book("an empty first worksheet", several, ["berth"], {2: ["A-1"]}, found={"worksheet": "Berths"}),
    Book(
        "a note before the table, and a stored -0",
        noted(),
        HEAD,
        {2: ["A-1", "0"], 3: ["A-2", "5"]},
        [("worksheet", None, None)],
        {"worksheet": "Berths"},
    ),
    Book(
        "a note by choice",
        noted("More"),
        ["Dear all,"],
        {2: ["fill in the berths on the next sheet."]},
        found={"worksheet": "More"},
        choices={"worksheet": "More"},
    ),
    Book(
        "nothing but a list",
        lines(["berth"], ["A-1"], ["A-2"]),
        ["berth"],
        {2: ["A-1"], 3: ["A-2"]},
    ),
    Book("a hidden first worksheet", hidden, ["berth"], {2: ["A-1"]}, found={"worksheet": "Seen"}),
    Book(
        "a total that does not say so",
        lines(["berth", "rate", "name"], ["A-1", 1.5, "x"], ["A-2", 2, "y"], ["A-3", 3, "z"], [None, 6.5, None]),
        ["berth", "rate", "name"],
        {2: ["A-1", "1.5", "x"], 3: ["A-2", "2", "y"], 4: ["A-3", "3", "z"]},
        [("total-row", 5, None)],
    ),
    Book(
        "titles and a total",
        lines(["Berths of the north"], [], ["berth", "rate", "name"], ["A-1", 2, "x"], ["A-2", 3, "y"], ["Total", 5]),
        ["berth", "rate", "name"],
        {4: ["A-1", "2", "x"], 5: ["A-2", "3", "y"]},
        [("title-rows", 1, None), ("total-row", 6, None)],
        {"header_row": 3},
    ),
]

_TYPES = (
    b'<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    b'<Default Extension="xml" ContentType="application/xml"/></Types>'
)
_OFFICE = b"http://schemas.openxmlformats.org/officeDocument/2006/relationships"


def package(path: Path, sheet: bytes, strings: bytes | None = None, strict: bool = False) -> Path:
    """A workbook from its bare XML: what no library would write, but the standard allows."""
    main = (
        b"http://purl.oclc.org/ooxml/spreadsheetml/main"
        if strict
        else b"http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    )
    links = b'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="%s" Target="%s"/></Relationships>'
    with zipfile.ZipFile(path, "w") as book:
        book.writestr("[Content_Types].xml", _TYPES)
        book.writestr("_rels/.rels", links % (_OFFICE + b"/officeDocument", b"xl/workbook.xml"))
        book.writestr("xl/_rels/workbook.xml.rels", links % (_OFFICE + b"/worksheet", b"worksheets/one.xml"))
        told = (
            b'<workbook xmlns="%s" xmlns:r="%s"><sheets><sheet name="One" sheetId="1" r:id="r1"/></sheets></workbook>'
        )
        book.writestr("xl/workbook.xml", told % (main, _OFFICE))
        book.writestr("xl/worksheets/one.xml", sheet.replace(b"MAIN", main))
        if strings is not None:
            book.writestr("xl/sharedStrings.xml", strings.replace(b"MAIN", main))
    return path


_HEAD = b'<row r="1"><c r="A1" t="inlineStr"><is><t>berth</t></is></c><c r="B1" t="inlineStr"><is><t>note</t></is></c></row>'
_SHEET = b'<worksheet xmlns="MAIN"><sheetData>' + _HEAD + b"%s</sheetData></worksheet>"
BARE: list[tuple[str, bytes, bytes | None, bool, list[str | None]]] = [
    (
        "comments in the XML",
        b'<row r="2"><!-- <c r="A9"> --><c r="A2"><v>1<!-- 5 -->2</v></c></row>',
        None,
        False,
        ["12", None],
    ),
    (
        "text as it is, unparsed",
        b'<row r="2"><c r="A2" t="str"><v><![CDATA[a<b]]></v></c></row>',
        None,
        False,
        ["a<b", None],
    ),
    (
        "a sign in its number",
        b'<row r="2"><c r="A2" t="str"><v>&#65;&amp;&#x42;</v></c></row>',
        None,
        False,
        ["A&B", None],
    ),
    (
        "numbers stored with zeros at their end",
        b'<row r="2"><c r="A2"><v>34.50</v></c><c r="B2"><v>20418.0</v></c></row>',
        None,
        False,
        ["34.5", "20418"],
    ),
    ("cells that do not say their place", b"<row><c><v>7</v></c><c><v>8</v></c></row>", None, False, ["7", "8"]),
    (
        "reading aids beside the text",
        b'<row r="2"><c r="B2" t="inlineStr"><is><r><t>ab</t></r><rPh><t>no</t></rPh></is></c></row>',
        None,
        False,
        [None, "ab"],
    ),
    ("strict names", b'<row r="2"><c r="A2"><v>3</v></c></row>', None, True, ["3", None]),
    ("a whole number with a point", b'<row r="2"><c r="A2"><v>20418.0</v></c></row>', None, False, ["20418", None]),
    (
        "shared texts",
        b'<row r="2"><c r="A2" t="s"><v>1</v></c></row>',
        b'<sst xmlns="MAIN"><si><t>x</t></si><si><t> y </t></si></sst>',
        False,
        [" y ", None],
    ),
    ("a formula with its value", b'<row r="2"><c r="A2"><f>1+1</f><v>2</v></c></row>', None, False, ["2", None]),
    (
        "escaped characters, once",
        b'<row r="2"><c r="A2" t="str"><v>a_x000A_b_x005F_x000A_</v></c></row>',
        None,
        False,
        ["a\nb_x000A_", None],
    ),
]


def bare(path: Path, at: int) -> Path:
    """One of the workbooks that no library writes."""
    _, row, strings, strict, _ = BARE[at]
    return package(path, _SHEET % row, strings, strict)


def made(path: Path, book: Book) -> Path:
    """A workbook by openpyxl."""
    own = openpyxl.Workbook()
    book.make(own)
    own.save(path)
    return path
