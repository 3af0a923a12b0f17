"""Cells → XLSX: XlsxWriter makes the workbook around an empty sheet, XML built column by column fills it."""

from __future__ import annotations

import json
import re
import zipfile
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import polars as pl
import xlsxwriter

from ...records import Kind
from ...wording import thousands
from ..shape import column_letters
from ..sheet import STAMP_PROPERTY, Stamp
from .outgoing import MOST_ROWS, Head, OutgoingColumn, in_pieces

_HEADER = {"bold": True, "bg_color": "#EFECE3", "bottom": 2, "border_color": "#B9B2A1", "valign": "top"}
_FOR_READING = {"bg_color": "#EFECE3", "font_color": "#51626B", "italic": True}
_ROWS_TO_FILL = 1000
"""Rows of an empty sheet that have the lists of their choices."""
_LONGEST_PROPERTY = 250
"""Characters of a property of a workbook: spreadsheets cut longer ones at 255."""
_DATE_BEGIN = pl.date(1899, 12, 30)
_FORBIDDEN = r"[\x00-\x08\x0b\x0c\x0e-\x1f]|_x[0-9A-Fa-f]{4}_|\r"


def _style(head: Head) -> dict[str, Any]:
    style: dict[str, Any] = dict(_FOR_READING) if head.reading else {}
    if head.field.kind == Kind.DATE:
        style["num_format"] = "yyyy-mm-dd"
    elif head.field.kind == Kind.DECIMAL and head.as_number:
        # Where the application names no number of decimals each cell shows those that it has.
        if head.field.scale is not None:
            style["num_format"] = "0." + "0" * head.field.scale if head.field.scale else "0"
    elif not head.field.is_number:
        style["num_format"] = "@"
    return style


@dataclass(frozen=True)
class Beside:
    """A second worksheet of plain text, its first row the header; ``first``: it is the one that is seen."""

    lines: Sequence[Sequence[str]]
    title: str = "Help"
    first: bool = False


def _make_workbook(
    heads: Sequence[Head], path: Path, title: str, rows: int, stamp: Stamp | None, beside: Beside | None
) -> None:
    book = xlsxwriter.Workbook(str(path), {"strings_to_formulas": False, "strings_to_urls": False})
    sheet = book.add_worksheet(re.sub(r"[\[\]:*?/\\']", " ", title)[:31])
    header = book.add_format(_HEADER)
    sheet.set_row(0, 20, header)
    keys = 0
    while keys < len(heads) and heads[keys].is_key:
        keys += 1
    sheet.freeze_panes(1, keys)
    for at, head in enumerate(heads):
        sheet.set_column(at, at, head.width, book.add_format(_style(head)))
        if head.note:
            sheet.write_comment(0, at, head.note, {"x_scale": 2, "y_scale": 1.2})
        if head.choices and len(",".join(head.choices)) < 255:
            rule = {"validate": "list", "source": head.choices, "error_type": "warning", "ignore_blank": True}
            sheet.data_validation(1, at, rows or _ROWS_TO_FILL, at, rule)
    if beside is not None:
        _write_beside(book, header, beside)
    if stamp:
        text = json.dumps(stamp.to_json())
        for at in range(0, len(text), _LONGEST_PROPERTY):
            book.set_custom_property(f"{STAMP_PROPERTY}{at // _LONGEST_PROPERTY}", text[at : at + _LONGEST_PROPERTY])
    book.close()


def _write_beside(book: Any, header: Any, beside: Beside) -> None:
    page = book.add_worksheet(beside.title)
    wrapped = book.add_format({"text_wrap": True, "valign": "top", "num_format": "@"})
    page.set_column(0, len(beside.lines[0]) - 1, 28)
    page.freeze_panes(1, 1)
    if beside.first:
        page.activate()
    for row, texts in enumerate(beside.lines):
        for at, text in enumerate(texts):
            page.write_string(row, at, text, wrapped if row else header)


def _escaped(text: pl.Expr) -> pl.Expr:
    plain = text.str.replace_all("&", "&amp;", literal=True)
    return plain.str.replace_all("<", "&lt;", literal=True).str.replace_all(">", "&gt;", literal=True)


def encode_forbidden(cells: pl.Series) -> pl.Series:
    """Characters that XML cannot hold, as ``_xHHHH_``."""
    if not cells.str.contains(_FORBIDDEN).any():
        return cells
    texts = [
        None if t is None else re.sub(_FORBIDDEN, lambda m: "".join(f"_x{ord(m[0][0]):04X}_" + m[0][1:]), t)
        for t in cells.to_list()
    ]
    return pl.Series(texts, dtype=pl.String)


def _cell_xml(name: str, head: Head, letter: str, style: str) -> pl.Expr:
    place = f'<c r="{letter}' + pl.col("row") + f'" s="{style}"'
    if head.as_number:
        filled = place + "><v>" + pl.col(name) + "</v></c>"
    elif head.field.kind == Kind.DATE:
        days = (pl.col(name).str.to_date("%Y-%m-%d") - _DATE_BEGIN).dt.total_days()
        early = pl.col(name) < "1900-03-01"
        text = place + ' t="inlineStr"><is><t>' + pl.col(name) + "</t></is></c>"
        filled = pl.when(early).then(text).otherwise(place + "><v>" + days.cast(pl.String) + "</v></c>")
    else:
        filled = place + ' t="inlineStr"><is><t xml:space="preserve">' + _escaped(pl.col(name)) + "</t></is></c>"
    return filled.fill_null("").alias(f"x{name}")


def _first_row(heads: Sequence[Head], style: str) -> str:
    cells = "".join(
        f'<c r="{column_letters(at + 1)}1" s="{style}" t="inlineStr"><is><t xml:space="preserve">'
        + head.header.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        + "</t></is></c>"
        for at, head in enumerate(heads)
    )
    return f'<row r="1" s="{style}" customFormat="1" ht="20" customHeight="1">{cells}</row>'


def _rows(heads: Sequence[Head], styles: Sequence[str], piece: pl.DataFrame, start: int) -> str:
    """The XML of some rows, the first of which is row ``start``."""
    frame = pl.DataFrame([encode_forbidden(piece[f"c{at}"]).alias(f"c{at}") for at in range(len(heads))])
    frame = frame.with_columns(pl.int_range(start, start + len(piece)).cast(pl.String).alias("row"))
    cells = [_cell_xml(f"c{at}", head, column_letters(at + 1), styles[at]) for at, head in enumerate(heads)]
    rows = frame.with_columns(cells).select(
        pl.concat_str(
            [
                pl.lit('<row r="'),
                pl.col("row"),
                pl.lit('">'),
                *[pl.col(f"xc{at}") for at in range(len(heads))],
                pl.lit("</row>"),
            ]
        ).str.join("")
    )
    return str(rows.item() or "") if len(piece) else ""


def fill_xlsx(
    heads: Sequence[Head],
    pieces: Iterable[pl.DataFrame],
    rows: int,
    path: Path,
    title: str,
    stamp: Stamp | None = None,
    beside: Beside | None = None,
) -> None:
    """Write the sheet piece by piece: header and keys frozen, drop-downs, notes, real numbers and dates, the stamp.

    Args:
        rows: how many rows the pieces have together.
        beside: a second worksheet.

    Raises:
        ValueError: where a worksheet cannot hold so many rows.
    """
    if rows > MOST_ROWS:
        raise ValueError(
            f"A worksheet holds {thousands(MOST_ROWS)} records, these are {thousands(rows)}. Send them out as CSV."
        )
    bare_book = path.with_suffix(".bare")
    try:
        _make_workbook(heads, bare_book, title, rows, stamp, beside)
        with (
            zipfile.ZipFile(bare_book) as source,
            zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as out,
        ):
            for entry in source.infolist():
                content = source.read(entry)
                if entry.filename != "xl/worksheets/sheet1.xml":
                    out.writestr(entry.filename, content)
                    continue
                with out.open(entry.filename, "w", force_zip64=True) as part:
                    _fill(part, content.decode(), heads, pieces, rows)
    finally:
        bare_book.unlink(missing_ok=True)


def _fill(part: IO[bytes], xml: str, heads: Sequence[Head], pieces: Iterable[pl.DataFrame], rows: int) -> None:
    """The worksheet that XlsxWriter made, with all rows in it."""
    styles = {int(m[1]): m[2] for m in re.finditer(r'<col min="(\d+)" max="\d+" width="[\d.]+" style="(\d+)"', xml)}
    header = re.search(r'<row r="1"[^>]* s="(\d+)"', xml)
    numbers = [styles.get(at + 1, "0") for at in range(len(heads))]
    before, _, rest = xml.partition("<sheetData")
    after = rest.removeprefix("/>") if rest[0] == "/" else rest.partition("</sheetData>")[2]
    size = f'<dimension ref="A1:{column_letters(len(heads))}{rows + 1}"/>'
    before = re.sub(r'<dimension ref="[^"]*"/>', size, before)
    part.write(f"{before}<sheetData>{_first_row(heads, header[1] if header else '0')}".encode())
    start = 2
    for piece in pieces:
        part.write(_rows(heads, numbers, piece, start).encode())
        start += len(piece)
    part.write(f"</sheetData>{after}".encode())


def write_xlsx(
    columns: Sequence[OutgoingColumn],
    path: Path,
    title: str,
    stamp: Stamp | None = None,
    beside: Beside | None = None,
) -> None:
    """Write columns that are there as a whole, and a second worksheet.

    Raises:
        ValueError: where a worksheet cannot hold so many rows.
    """
    heads = [column.head for column in columns]
    fill_xlsx(heads, in_pieces(columns), len(columns[0].cells), path, title, stamp, beside)
