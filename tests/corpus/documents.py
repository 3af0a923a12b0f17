"""ODS documents, written as bare XML."""

from __future__ import annotations

import zipfile
from pathlib import Path

from tests.corpus.texts import Case

_OPEN = (
    b'<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"'
    b' xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
    b' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'
    b' xmlns:draw="urn:oasis:names:tc:opendocument:xmlns:drawing:1.0"'
    b' xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0">'
    b"<office:body><office:spreadsheet>"
)
_CLOSE = b"</office:spreadsheet></office:body></office:document-content>"


def text(words: bytes) -> bytes:
    return b'<table:table-cell office:value-type="string"><text:p>%s</text:p></table:table-cell>' % words


def number(stored: bytes, written: bytes = b"", kind: bytes = b"float") -> bytes:
    told = b'<table:table-cell office:value-type="%s" office:value="%s"><text:p>%s</text:p></table:table-cell>'
    return told % (kind, stored, written or stored)


def valued(kind: bytes, stored: bytes) -> bytes:
    name = {b"date": b"date-value", b"time": b"time-value", b"boolean": b"boolean-value"}[kind]
    told = b'<table:table-cell office:value-type="%s" office:%s="%s"><text:p>as shown</text:p></table:table-cell>'
    return told % (kind, name, stored)


def row(*cells: bytes, repeated: int = 1) -> bytes:
    times = b' table:number-rows-repeated="%d"' % repeated if repeated > 1 else b""
    return b"<table:table-row%s>%s</table:table-row>" % (times, b"".join(cells))


def table(*rows: bytes, name: bytes = b"One") -> bytes:
    return b'<table:table table:name="%s">%s</table:table>' % (name, b"".join(rows))


def hidden_and_merged() -> bytes:
    columns = (
        b'<table:table-column/><table:table-column table:visibility="collapse" table:number-columns-repeated="9"/>'
    )
    first = number(b"1.25", b"1.3").replace(b"<table:table-cell", b'<table:table-cell table:formula="of:=1+.25"')
    spans = text(b"A-1").replace(b"<table:table-cell", b'<table:table-cell table:number-rows-spanned="2"')
    hidden = row(text(b"A-2"), number(b"2")).replace(b"<table:table-row", b'<table:table-row table:visibility="filter"')
    return table(columns + HEAD, row(spans, first), hidden, row(text(b"A-3"), number(b"3")))


HEAD = row(text(b"berth"), text(b"value"))
EMPTY = b'<table:table-cell table:number-columns-repeated="%d"/>'
COLUMNS = ["berth", "value"]
NOTE = b"<office:annotation><text:p>a note</text:p></office:annotation>"
DOCUMENTS = [
    Case(
        "a note before the table, and a stored -0",
        table(row(text(b"Dear all,")), row(text(b"see below")), name=b"Note")
        + table(HEAD, row(text(b"A-1"), number(b"-0"))),
        COLUMNS,
        {2: ["A-1", "0"]},
        [("worksheet", None, None)],
    ),
    Case(
        "a note and nothing else",
        table(row(text(b"Dear all,")), row(text(b"see below"))) + table(row(text(b"x")), name=b"Two"),
        ["Dear all,"],
        {2: ["see below"]},
    ),
    Case("plain", table(HEAD, row(text(b"A-1"), number(b"2.5"))), COLUMNS, {2: ["A-1", "2.5"]}),
    Case(
        "a number shown with zeros",
        table(HEAD, row(text(b"A-1"), number(b"418", b"0000418"))),
        COLUMNS,
        {2: ["A-1", "0000418"]},
    ),
    Case(
        "per cent and money",
        table(
            HEAD,
            row(text(b"A-1"), number(b"0.25", b"25%", b"percentage")),
            row(text(b"A-2"), number(b"1234.5", b"1.234,50", b"currency")),
        ),
        COLUMNS,
        {2: ["A-1", "0.25"], 3: ["A-2", "1234.5"]},
        [("percent", None, "B"), ("currency", None, "B")],
    ),
    Case(
        "hidden, merged, calculated, rounded",
        hidden_and_merged(),
        COLUMNS,
        {2: ["A-1", "1.25"], 3: ["A-2", "2"], 4: ["A-3", "3"]},
        [
            ("hidden-rows", 3, None),
            ("hidden-columns", None, "B"),
            ("merged", 2, None),
            ("formulas", None, "B"),
            ("rounded", None, "B"),
        ],
    ),
    Case(
        "numbers in powers of ten", table(HEAD, row(text(b"A-1"), number(b"1E-07"))), COLUMNS, {2: ["A-1", "0.0000001"]}
    ),
    Case(
        "days, moments, times, yes",
        table(
            HEAD,
            row(text(b"A-1"), valued(b"date", b"2026-05-06")),
            row(text(b"A-2"), valued(b"date", b"2026-05-06T07:08:09.000000000")),
            row(text(b"A-3"), valued(b"time", b"PT07H30M00S")),
            row(text(b"A-4"), valued(b"boolean", b"true")),
        ),
        COLUMNS,
        {2: ["A-1", "2026-05-06"], 3: ["A-2", "2026-05-06T07:08:09"], 4: ["A-3", "07:30:00"], 5: ["A-4", "TRUE"]},
    ),
    Case(
        "spaces, tabs and paragraphs",
        table(
            HEAD,
            row(
                text(b"A-1"),
                b'<table:table-cell office:value-type="string"><text:p>a<text:s text:c="3"/>b<text:tab/>c</text:p><text:p>d</text:p></table:table-cell>',
            ),
        ),
        COLUMNS,
        {2: ["A-1", "a   b\tc\nd"]},
    ),
    Case(
        "notes beside the cells",
        table(
            HEAD,
            row(
                b'<table:table-cell office:value-type="string">' + NOTE + b"<text:p>A-1</text:p></table:table-cell>",
                text(b"x"),
            ),
        ),
        COLUMNS,
        {2: ["A-1", "x"]},
    ),
    Case(
        "cells and rows repeated",
        table(HEAD, row(EMPTY % 1, text(b"x"), repeated=2), row(EMPTY % 1024, repeated=1_048_570)),
        COLUMNS,
        {2: [None, "x"], 3: [None, "x"]},
    ),
    Case(
        "an error",
        table(
            HEAD,
            row(
                text(b"A-1"),
                b'<table:table-cell office:value-type="string" office:string-value="" calcext:value-type="error"><text:p>#N/A</text:p></table:table-cell>',
            ),
        ),
        COLUMNS,
        {2: ["A-1", "#N/A"]},
    ),
    Case(
        "an empty first table",
        table(name=b"Empty") + table(HEAD, row(text(b"A-1"), text(b"x"))),
        COLUMNS,
        {2: ["A-1", "x"]},
    ),
    Case(
        "changes that are kept aside",
        b'<table:tracked-changes><table:deletion><table:table-cell office:value-type="string"><text:p>gone</text:p></table:table-cell></table:deletion></table:tracked-changes>'
        + table(HEAD, row(text(b"A-1"), text(b"x"))),
        COLUMNS,
        {2: ["A-1", "x"]},
    ),
]


def document(path: Path, tables: bytes) -> Path:
    """An ODS file around some tables."""
    with zipfile.ZipFile(path, "w") as book:
        book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        book.writestr("content.xml", _OPEN + tables + _CLOSE)
    return path
