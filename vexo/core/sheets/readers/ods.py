"""ODS → raw cells: stored values as exact text, by expat.

Source: OASIS OpenDocument 1.3, part 3: table, office and text.
"""

from __future__ import annotations

import json
import re
import zipfile
from collections import Counter
from pathlib import Path
from typing import IO, Any

import polars as pl

from ...values import on_unique
from ...wording import thousands
from ..shape import column_letters
from ..sheet import AS_FOUND, ROW, STAMP_PROPERTY, Choices, SheetError, Stamp
from .cell_values import MINUS_ZERO, ODD, ZEROS, has_table_at, passed_over, shortest, spread
from .workbook_facts import SHOWN, Facts, told
from .xml_events import SEPARATOR, feed, local, new_parser

MIMETYPE = b"application/vnd.oasis.opendocument.spreadsheet"
_OFFICE = "urn:oasis:names:tc:opendocument:xmlns:office:1.0" + SEPARATOR
_TABLE = "urn:oasis:names:tc:opendocument:xmlns:table:1.0" + SEPARATOR
_TEXT = "urn:oasis:names:tc:opendocument:xmlns:text:1.0" + SEPARATOR
_CALC = "urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0" + SEPARATOR
_MOST_CELLS = 20_000_000
"""Cells that are read: what the reader's memory holds of this format."""
_LAST_ROW, _LAST_COLUMN = 1_048_576, 16_384
_NUMBERS = ("float", "percentage", "currency")
_ASIDE = {f"{_OFFICE}annotation", f"{_TABLE}tracked-changes", f"{_TABLE}shapes", f"{_TEXT}ruby-text", f"{_TEXT}note"}
_SCHEMA = {"column": pl.UInt16, ROW: pl.UInt32, "kind": pl.String, "text": pl.String, "shown": pl.String}


def _times(said: str | None, most: int) -> int:
    """How often a row or cell is repeated."""
    return min(int(said), most) if said and said.isdecimal() and len(said) < 10 else 1


def _clock(said: str) -> str:
    """A time of day or a length of time, from ISO 8601's form for lengths."""
    match = re.fullmatch(r"PT(\d+)H(\d+)M(\d+)(?:[.,](\d+))?S", said)
    if not match:
        return said
    part = (match[4] or "").rstrip("0")
    return f"{int(match[1]):02}:{int(match[2]):02}:{int(match[3]):02}" + (f".{part}" if part else "")


def _moment(said: str) -> str:
    """A day or a moment, without a fraction of a second of zero."""
    return re.sub(r"(?:T00:00:00)?(?:\.0+)?$", "", said) if "T" in said else said


_Lists = tuple[list[int], list[int], list[str], list[str], list[str | None]]
"""Cells by columns of ``_SCHEMA``."""


class _Sheets:
    """Collects the cells of the worksheet that is wanted: the one that was chosen, or the first that has any."""

    def __init__(self, wanted: str, stamped: bool) -> None:
        self.wanted, self.name, self.stamped = wanted, "", stamped
        self.names: list[str] = []
        self.lists: _Lists = ([], [], [], [], [])
        self.taking, self.aside = False, 0
        self.notes: list[str] = []
        self.first: tuple[str, _Lists, Facts, dict[str, Counter[int]]] | None = None
        self.row, self.repeat = 0, 1
        self.line: list[tuple[int, int, str, str, str | None]] = []
        self.column, self.attributes = 0, dict[str, str]()
        self.pieces: list[str] = []
        self.paragraphs = 0
        self.facts = Facts(hidden_rows=[], hidden_columns=[], merged=[])
        self.counts: dict[str, Counter[int]] = {kind: Counter() for kind in SHOWN}
        self.places = 0
        self.hidden = False
        self.parser = new_parser()
        self.parser.StartElementHandler, self.parser.EndElementHandler = self.start, self.end

    def start(self, name: str, attributes: dict[str, str]) -> None:
        if self.aside or name in _ASIDE or name.startswith("urn:oasis:names:tc:opendocument:xmlns:drawing"):
            self.aside += 1
            self.parser.CharacterDataHandler = None
        elif name == f"{_TABLE}table":
            sheet_name = attributes.get(f"{_TABLE}name", "")
            self.names.append(sheet_name)
            self.taking = sheet_name == self.wanted if self.wanted else self.next_worksheet()
            self.name = sheet_name if self.taking else self.name
            self.row = self.places = 0
        elif not self.taking:
            return
        elif name == f"{_TABLE}table-column":
            times = _times(attributes.get(f"{_TABLE}number-columns-repeated"), _LAST_COLUMN)
            if attributes.get(f"{_TABLE}visibility") in ("collapse", "filter"):
                self.facts.hidden_columns = [
                    *self.facts.hidden_columns,
                    *range(self.places + 1, self.places + 1 + times),
                ]
            self.places += times
        elif name == f"{_TABLE}table-row":
            self.hidden = attributes.get(f"{_TABLE}visibility") in ("collapse", "filter")
            self.repeat = _times(attributes.get(f"{_TABLE}number-rows-repeated"), _LAST_ROW)
            self.line, self.column = [], 0
        elif name in (f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"):
            self.attributes, self.paragraphs = attributes, 0
            self.pieces = []
        elif name == f"{_TEXT}p":
            if self.paragraphs:
                self.pieces.append("\n")
            self.paragraphs += 1
            self.parser.CharacterDataHandler = self.pieces.append
        elif name == f"{_TEXT}s":
            self.pieces.append(" " * _times(attributes.get(f"{_TEXT}c"), 32_767))
        elif name in (f"{_TEXT}tab", f"{_TEXT}line-break"):
            self.pieces.append("\t" if name.endswith("tab") else "\n")

    def next_worksheet(self) -> bool:
        """Whether another worksheet is looked through: the one before held no table."""
        columns, rows = self.lists[:2]
        if has_table_at(columns, rows, self.stamped):
            return False
        if columns:
            self.notes.append(self.name)
            self.first = self.first or (self.name, self.lists, self.facts, self.counts)
            self.lists = ([], [], [], [], [])
            self.facts = Facts(hidden_rows=[], hidden_columns=[], merged=[])
            self.counts = {kind: Counter() for kind in SHOWN}
        return True

    def settle(self) -> None:
        """At the end of the file: where no worksheet holds a table, the first that holds anything."""
        if self.first is not None and not has_table_at(*self.lists[:2], self.stamped):
            self.name, self.lists, self.facts, self.counts = self.first
            self.notes = []

    def end(self, name: str) -> None:
        if self.aside:
            self.aside -= 1
            if not self.aside and self.paragraphs and self.taking:
                self.parser.CharacterDataHandler = self.pieces.append
        elif name == f"{_TEXT}p":
            self.parser.CharacterDataHandler = None
        elif not self.taking:
            return
        elif name in (f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"):
            self.cell()
        elif name == f"{_TABLE}table-row":
            self.flush()
        elif name == f"{_TABLE}table":
            self.taking = False

    def cell(self) -> None:
        attributes = self.attributes
        times = _times(attributes.get(f"{_TABLE}number-columns-repeated"), _LAST_COLUMN)
        kind, text, shown = self.value("".join(self.pieces))
        if text:
            if self.column + times > _LAST_COLUMN:
                raise SheetError("The sheet has more columns than any sheet has. Save it anew.")
            self.line.append((self.column + 1, times, kind, text, shown))
            self.notice(kind, text, "".join(self.pieces))
        self.column += times
        self.paragraphs = 0

    def notice(self, kind: str, stored: str, written: str) -> None:
        """Count what is to be known of a cell beyond its value."""
        attributes, column = self.attributes, self.column + 1
        value_type = attributes.get(f"{_OFFICE}value-type", "")
        if attributes.get(f"{_TABLE}formula"):
            self.counts["formulas"][column] += 1
        if value_type == "percentage":
            self.counts["percent"][column] += 1
        elif value_type == "currency":
            self.counts["currency"][column] += 1
        elif kind == "n" and "." in stored and "E" not in stored.upper():
            shown = re.fullmatch(r"-?[\d., ]*?\d(?:[.,](\d+))?", written)
            if shown and len(shown[1] or "") < len(stored.partition(".")[2].rstrip("0")) < 15:
                self.counts["rounded"][column] += 1
        wide, high = (_times(attributes.get(f"{_TABLE}number-{n}-spanned"), _LAST_ROW) for n in ("columns", "rows"))
        if wide > 1 or high > 1:
            row = self.row + 1
            place = f"{column_letters(column)}{row}:{column_letters(column + wide - 1)}{row + high - 1}"
            self.facts.merged = [*self.facts.merged, place]

    def value(self, written: str) -> tuple[str, str, str | None]:
        """A cell's kind, its stored value, and how it is shown where that has zeros in front."""
        attributes = self.attributes
        kind = attributes.get(f"{_OFFICE}value-type", "")
        if attributes.get(f"{_CALC}value-type") == "error":
            return "error", written, None
        if kind in _NUMBERS:
            stored = attributes.get(f"{_OFFICE}value", written)
            padded = written if re.fullmatch(r"0\d+", written) and written.lstrip("0") == stored.lstrip("0") else None
            return "n", stored, padded
        if kind == "date":
            return kind, _moment(attributes.get(f"{_OFFICE}date-value", written)), None
        if kind == "time":
            return kind, _clock(attributes.get(f"{_OFFICE}time-value", written)), None
        if kind == "boolean":
            return kind, "TRUE" if attributes.get(f"{_OFFICE}boolean-value") == "true" else "FALSE", None
        return "string", attributes.get(f"{_OFFICE}string-value") or written, None

    def flush(self) -> None:
        cells = sum(times for _, times, *_ in self.line) * self.repeat
        if len(self.lists[0]) + cells > _MOST_CELLS:
            raise SheetError(
                f"The sheet would have over {thousands(_MOST_CELLS)} cells, most of them repeated. "
                "Delete what is repeated below the records, or divide the sheet."
            )
        if self.line and self.row + self.repeat > _LAST_ROW:
            raise SheetError(
                f"The sheet has a row {thousands(self.row + self.repeat)}, and no sheet has so many. Save it anew."
            )
        if self.hidden and self.line:
            self.facts.hidden_rows = [*self.facts.hidden_rows, *range(self.row + 1, self.row + 1 + self.repeat)]
        columns, rows, kinds, texts, shown_as = self.lists
        for row in range(self.row + 1, self.row + 1 + (self.repeat if self.line else 0)):
            for column, times, kind, text, shown in self.line:
                columns.extend(range(column, column + times))
                rows.extend([row] * times)
                kinds.extend([kind] * times)
                texts.extend([text] * times)
                shown_as.extend([shown] * times)
        self.row += self.repeat

    def cells(self) -> pl.DataFrame:
        return pl.DataFrame(dict(zip(_SCHEMA, self.lists, strict=True)), schema=_SCHEMA)


def _stamp(stream: IO[bytes]) -> Stamp | None:
    """What a sheet carries to be recognised by, among the document's own properties."""
    parts: dict[int, list[str]] = {}
    parser = new_parser()

    def start(name: str, attributes: dict[str, str]) -> None:
        style_name = next((value for key, value in attributes.items() if local(key) == "name"), "")
        number = style_name.removeprefix(STAMP_PROPERTY)
        if local(name) == "user-defined" and style_name != number and number.isdecimal():
            parser.CharacterDataHandler = parts.setdefault(int(number), []).append

    def end(name: str) -> None:
        parser.CharacterDataHandler = None

    parser.StartElementHandler, parser.EndElementHandler = start, end
    feed(parser, stream)
    try:
        return Stamp.from_json(json.loads("".join("".join(parts[at]) for at in sorted(parts)))) if parts else None
    except (ValueError, KeyError, TypeError):
        return None


def read_ods(path: Path, name: str = "The file", choices: Choices = AS_FOUND) -> tuple[pl.DataFrame, dict[str, Any]]:
    """The raw cells of the first worksheet that has any, or of the one that was chosen, and what was found.

    Raises:
        SheetError: where it is not a sheet, or one that spreadsheets do not write.
    """
    with zipfile.ZipFile(path) as archive:
        stamp = None
        if "meta.xml" in archive.namelist():
            with archive.open("meta.xml") as stream:
                stamp = _stamp(stream)
        sheets = _Sheets(choices.worksheet, stamp is not None)
        with archive.open("content.xml") as stream:
            feed(sheets.parser, stream, lambda: sheets.pieces)
        sheets.settle()
    if choices.worksheet and choices.worksheet not in sheets.names:
        words = ", ".join(repr(sheet) for sheet in sheets.names)
        raise SheetError(f"{name} has no worksheet {choices.worksheet!r}. It has {words}.")
    cells = sheets.cells()
    number = cells["text"].set((cells["kind"] != "n").fill_null(value=True), None)
    odd = number.str.contains(ODD).fill_null(value=False)
    plain = on_unique(number.set(~odd, None), shortest)
    plain = plain.fill_null(number.str.replace(MINUS_ZERO, "0").str.replace(ZEROS, "${1}${2}"))
    raw = spread(cells.with_columns(plain.fill_null(cells["text"]).alias("text")))
    worksheet = sheets.name if len(raw) or choices.worksheet else (sheets.names[0] if sheets.names else "")
    others = tuple(other for other in sheets.names if other != worksheet)
    used = set(cells["column"].unique().to_list())
    facts = sheets.facts
    facts.hidden_columns = [number for number in facts.hidden_columns if number in used]
    facts.counts = sheets.counts
    findings = (*passed_over(worksheet, sheets.notes), *told(facts)) if len(raw) else ()
    return raw, {"format": "ods", "sheet": worksheet, "other_sheets": others, "stamp": stamp, "findings": findings}
