"""A sheet filled anew: some of its cells become others, all else stays as it was (own columns, widths, styles, order).

Source: ECMA-376 part 1, 18.3.1 (worksheets).
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from xml.parsers import expat

import polars as pl

from ...records import Field, Kind
from ..formula_guard import FORMULA_BEGIN, PREFIX
from ..readers.xlsx_package import read_styles, worksheets
from ..readers.xml_events import local, new_parser
from ..shape import column_letters
from ..sheet import ROW, SheetError, SheetProfile
from .delimited import write_rows
from .xlsx import encode_forbidden

_DAY_ZERO, _FROM_1904 = pl.date(1899, 12, 30), 1462


@dataclass(frozen=True)
class Filled:
    """One column that is filled: its place (0 for A), its field, and ``row`` with the ``text`` of each row, null for an
    empty cell. Rows that are not in it stay as they were."""

    at: int
    field: Field
    cells: pl.DataFrame


@dataclass
class _Row:
    """Where the cells of a row are in the worksheet's bytes: column → start, end and style."""

    cells: dict[int, tuple[int, int, str]] = field(default_factory=dict)
    end: int = 0
    closed: bool = False


def place_of(name: str) -> int:
    """The place of a raw column, 0 for A."""
    if name.startswith("k"):
        return int(name[1:])
    number = 0
    for letter in name:
        number = number * 26 + ord(letter) - 64
    return number - 1


def _rows_of(data: bytes, wanted: set[int]) -> dict[int, _Row]:
    """The rows that are wanted, by their numbers."""
    parser = new_parser()
    rows: dict[int, _Row] = {}
    state: dict[str, Any] = {"row": 0, "column": -1, "start": 0, "style": "", "inside": False, "begun": 0}

    def start(name: str, attributes: Mapping[str, str]) -> None:
        tag = local(name)
        if tag == "row":
            state["row"] = int(attributes.get("r", state["row"] + 1))
            state["column"], state["begun"] = -1, parser.CurrentByteIndex
            if state["row"] in wanted:
                rows[state["row"]] = _Row()
        elif tag == "c":
            letters = re.match(r"[A-Z]+", attributes.get("r", ""))
            state["column"] = place_of(letters[0]) if letters else state["column"] + 1
            state["start"], state["style"] = parser.CurrentByteIndex, attributes.get("s", "")

    def end(name: str) -> None:
        tag = local(name)
        row = rows.get(state["row"]) if tag in ("c", "row") else None
        if row is None:
            return
        here = parser.CurrentByteIndex
        if tag == "c":
            begun, opened = state["start"], data.index(b">", state["start"])
            closed = opened if data[opened - 1 : opened] == b"/" else data.index(b">", here)
            row.cells[state["column"]] = (begun, closed + 1, state["style"])
        else:
            opened = data.index(b">", state["begun"])
            row.closed = data[opened - 1 : opened] == b"/"
            row.end = opened - 1 if row.closed else here

    parser.StartElementHandler, parser.EndElementHandler = start, end
    try:
        parser.Parse(data, True)
    except (expat.ExpatError, ValueError) as error:
        raise SheetError(f"The worksheet is damaged ({error}). Open it in a spreadsheet and save it anew.") from error
    return rows


def _content(column: Filled, dates: Sequence[str], from_1904: bool, prefix: str) -> dict[int, tuple[str, str]]:
    """For each row the XML inside of a new cell: in a cell with a date's style, and in any other."""
    cells = column.cells
    texts = encode_forbidden(cells["text"])
    plain = texts.str.replace_all("&", "&amp;", literal=True).str.replace_all("<", "&lt;", literal=True)
    plain = plain.str.replace_all(">", "&gt;", literal=True)
    frame = pl.DataFrame({"text": cells["text"], "plain": plain})
    opening = f' t="inlineStr"><{prefix}is><{prefix}t xml:space="preserve">'
    text = pl.lit(opening) + pl.col("plain") + f"</{prefix}t></{prefix}is>"
    value: pl.Expr = text
    if column.field.is_number:
        digits = pl.col("text").str.replace_all(r"[-.]", "").str.strip_chars_start("0").str.len_chars()
        number = pl.lit(f"><{prefix}v>") + pl.col("text") + f"</{prefix}v>"
        text = value = pl.when(digits > 15).then(text).otherwise(number)
    elif column.field.kind == Kind.DATE and dates:
        days = (pl.col("text").str.to_date("%Y-%m-%d") - _DAY_ZERO).dt.total_days() - (_FROM_1904 if from_1904 else 0)
        first = "1904-01-01" if from_1904 else "1900-03-01"
        number = pl.lit(f"><{prefix}v>") + days.cast(pl.String) + f"</{prefix}v>"
        value = pl.when(pl.col("text") >= first).then(number).otherwise(text)
    contents = frame.select(value.fill_null("").alias("dated"), text.fill_null("").alias("other"))
    return dict(zip(cells[ROW].to_list(), contents.iter_rows(), strict=True))


def _spliced(
    data: bytes, columns: Sequence[Filled], dates: Sequence[str], from_1904: bool, formulas: bool
) -> tuple[bytes, list[str]]:
    """The worksheet with the new cells, and the places of the formulas in them: filled only where ``formulas`` says
    so."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        raise SheetError("The workbook is written in UTF-16, which no spreadsheet does. Save it anew.")
    opened = re.search(rb"<(\w+:)?sheetData", data)
    prefix = opened[1].decode() if opened and opened[1] else ""
    contents = {column.at: _content(column, dates, from_1904, prefix) for column in columns}
    numbers = {row for column_cells in contents.values() for row in column_cells}
    rows = _rows_of(data, numbers)
    parts, done, calculated = [], 0, []
    for number, row in sorted(rows.items()):
        added: list[tuple[int, int, str]] = []
        for at, column_cells in contents.items():
            if number not in column_cells:
                continue
            dated, other = column_cells[number]
            start, end, style = row.cells.get(at, (0, 0, ""))
            inner = dated if style in dates else other
            styled = f' s="{style}"' if style else ""
            name = f"{column_letters(at + 1)}{number}"
            place = f'<{prefix}c r="{name}"{styled}'
            cell = f"{place}{inner}</{prefix}c>" if inner else f"{place}/>" if style else ""
            if not end:
                after = [begin for other_at, (begin, _, _) in row.cells.items() if other_at > at]
                start = end = min(after, default=row.end)
            if re.search(rb"<(?:\w+:)?f[\s/>]", data[start:end]):
                calculated.append(name)
                if not formulas:
                    continue
            added.append((start, end, cell))
        text = ""
        for start, end, cell in sorted(added, key=lambda one: one[0]):
            if row.closed:
                text += cell
                continue
            parts += [data[done:start], cell.encode()]
            done = max(end, start)
        if row.closed and text:
            parts += [data[done : row.end], f">{text}</{prefix}row>".encode()]
            done = row.end + 2
    return b"".join([*parts, data[done:]]), calculated


def refill_xlsx(
    source: Path, target: Path, worksheet: str, columns: Sequence[Filled], *, formulas: bool = False
) -> list[str]:
    """Write the workbook with some cells of a worksheet filled anew.

    Args:
        formulas: cells that hold a formula are filled too; else they stay.

    Returns:
        the places of the cells among them that hold a formula.

    Raises:
        SheetError
    """
    with zipfile.ZipFile(source) as archive:
        sheets, from_1904 = worksheets(archive)
        part = dict(sheets).get(worksheet, sheets[0][1])
        sheet_xml, calculated = _spliced(archive.read(part), columns, read_styles(archive).dates, from_1904, formulas)
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as out:
            for entry in archive.infolist():
                content = archive.read(entry) if entry.filename != part else sheet_xml
                if calculated and formulas:
                    # The list of formulas would name cells that have none any more.
                    if entry.filename.endswith("calcChain.xml"):
                        continue
                    if entry.filename == "[Content_Types].xml" or entry.filename.endswith(".rels"):
                        content = re.sub(rb"<(?:Override|Relationship)\b[^>]*calcChain[^>]*/>", b"", content)
                out.writestr(entry.filename, content)
    return calculated


def refill_text(raw: pl.DataFrame, target: Path, profile: SheetProfile, columns: Sequence[Filled]) -> None:
    """Write delimited text with some cells filled anew.

    Args:
        raw: all rows of the file that hold anything, with ``row`` and its columns by place.

    Raises:
        SheetError: where the file's encoding has no sign for a value.
    """
    raw = raw.with_columns(pl.col(ROW).cast(pl.UInt32))
    last = max(raw[ROW].to_list(), default=0)
    table = pl.DataFrame({ROW: pl.int_range(1, last + 1, dtype=pl.UInt32, eager=True)})
    table = table.join(raw, on=ROW, how="left", maintain_order="left")
    places = {place_of(name): name for name in raw.columns if name != ROW}
    for column in columns:
        name = places[column.at]
        text = pl.col("text")
        if column.field.kind in (Kind.TEXT, Kind.CHOICE, Kind.CHOICES, Kind.REFERENCE):
            text = text.str.replace(FORMULA_BEGIN, PREFIX + "$0")
        new = column.cells.select(pl.col(ROW).cast(pl.UInt32), text, pl.lit(value=True).alias("filled"))
        table = table.join(new, on=ROW, how="left", maintain_order="left")
        table = table.with_columns(pl.when(pl.col("filled")).then("text").otherwise(name).alias(name)).drop(
            "text", "filled"
        )
    width = max(places) + 1
    ordered = table.select(
        [pl.col(places[at]) if at in places else pl.lit(None, pl.String).alias(f"none{at}") for at in range(width)]
    )
    try:
        write_rows(ordered, target, profile.delimiter or ",", profile.encoding or "utf-8")
    except (UnicodeEncodeError, LookupError) as error:
        raise SheetError(
            f"The file is written in {profile.encoding}, which has no sign for a value that the application holds. "
            "Save it as UTF-8, or as XLSX."
        ) from error
