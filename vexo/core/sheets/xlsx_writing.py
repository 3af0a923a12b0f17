"""Cells → XLSX: XlsxWriter makes the workbook around an empty sheet, XML built column by column fills it."""

from __future__ import annotations

import json
import re
import zipfile
from pathlib import Path
from typing import Any

import polars as pl
import xlsxwriter

from ..records import Kind
from .outgoing import OutgoingColumn
from .shaping import column_letters
from .sheet import STAMP_PROPERTY, Stamp

_HEADER = {"bold": True, "bg_color": "#EFECE3", "bottom": 2, "border_color": "#B9B2A1", "valign": "top"}
_FOR_READING = {"bg_color": "#EFECE3", "font_color": "#51626B", "italic": True}
_MOST_ROWS = 1_048_575
_LONGEST_PROPERTY = 250
_DATE_BEGIN = pl.date(1899, 12, 30)
_FORBIDDEN = r"[\x00-\x08\x0b\x0c\x0e-\x1f]|_x[0-9A-Fa-f]{4}_|\r"


def _style(column: OutgoingColumn) -> dict[str, Any]:
    style: dict[str, Any] = dict(_FOR_READING) if column.field.read_only else {}
    if column.field.kind == Kind.DATE:
        style["num_format"] = "yyyy-mm-dd"
    elif column.field.kind == Kind.DECIMAL and column.as_number:
        style["num_format"] = "0." + "0" * column.field.scale if column.field.scale else "0"
    elif not column.field.is_number:
        style["num_format"] = "@"
    return style


def _width(column: OutgoingColumn) -> int:
    longest = column.cells.head(1000).str.len_chars().max()
    return max(8, min(48, max(len(column.header), int(longest) if isinstance(longest, int) else 0) + 3))


def _make_workbook(columns: list[OutgoingColumn], path: Path, title: str, rows: int, stamp: Stamp | None) -> None:
    book = xlsxwriter.Workbook(str(path), {"strings_to_formulas": False, "strings_to_urls": False})
    sheet = book.add_worksheet(re.sub(r"[\[\]:*?/\\']", " ", title)[:31])
    header = book.add_format(_HEADER)
    sheet.set_row(0, 20, header)
    keys = 0
    while keys < len(columns) and columns[keys].is_key:
        keys += 1
    sheet.freeze_panes(1, keys)
    for at, column in enumerate(columns):
        sheet.set_column(at, at, _width(column), book.add_format(_style(column)))
        if column.note:
            sheet.write_comment(0, at, column.note, {"x_scale": 2, "y_scale": 1.2})
        choices = [choice.value for choice in column.field.choices]
        if column.field.kind == Kind.CHOICE and len(",".join(choices)) < 255 and rows and not column.field.read_only:
            rule = {"validate": "list", "source": choices, "error_type": "warning", "ignore_blank": True}
            sheet.data_validation(1, at, rows, at, rule)
    if stamp:
        text = json.dumps(stamp.to_json())
        for at in range(0, len(text), _LONGEST_PROPERTY):
            book.set_custom_property(f"{STAMP_PROPERTY}{at // _LONGEST_PROPERTY}", text[at : at + _LONGEST_PROPERTY])
    book.close()


def _escaped(text: pl.Expr) -> pl.Expr:
    plain = text.str.replace_all("&", "&amp;", literal=True)
    return plain.str.replace_all("<", "&lt;", literal=True).str.replace_all(">", "&gt;", literal=True)


def _encode_forbidden(cells: pl.Series) -> pl.Series:
    """Characters that XML cannot hold, as ``_xHHHH_``."""
    if not cells.str.contains(_FORBIDDEN).any():
        return cells
    texts = [
        None if t is None else re.sub(_FORBIDDEN, lambda m: "".join(f"_x{ord(m[0][0]):04X}_" + m[0][1:]), t)
        for t in cells.to_list()
    ]
    return pl.Series(texts, dtype=pl.String)


def _cell_xml(name: str, column: OutgoingColumn, letter: str, style: str) -> pl.Expr:
    place = f'<c r="{letter}' + pl.col("row") + f'" s="{style}"'
    if column.as_number:
        filled = place + "><v>" + pl.col(name) + "</v></c>"
    elif column.field.kind == Kind.DATE:
        days = (pl.col(name).str.to_date("%Y-%m-%d") - _DATE_BEGIN).dt.total_days()
        early = pl.col(name) < "1900-03-01"
        text = place + ' t="inlineStr"><is><t>' + pl.col(name) + "</t></is></c>"
        filled = pl.when(early).then(text).otherwise(place + "><v>" + days.cast(pl.String) + "</v></c>")
    else:
        filled = place + ' t="inlineStr"><is><t xml:space="preserve">' + _escaped(pl.col(name)) + "</t></is></c>"
    return filled.fill_null("").alias(f"x{name}")


def _sheet_data(columns: list[OutgoingColumn], styles: list[str], header_style: str) -> str:
    head = "".join(
        f'<c r="{column_letters(at + 1)}1" s="{header_style}" t="inlineStr"><is><t xml:space="preserve">'
        + column.header.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        + "</t></is></c>"
        for at, column in enumerate(columns)
    )
    rows = len(columns[0].cells)
    frame = pl.DataFrame({f"c{at}": _encode_forbidden(column.cells) for at, column in enumerate(columns)})
    frame = frame.with_columns(pl.int_range(2, rows + 2).cast(pl.String).alias("row"))
    cells = [_cell_xml(f"c{at}", column, column_letters(at + 1), styles[at]) for at, column in enumerate(columns)]
    made = frame.with_columns(cells).select(
        pl.concat_str(
            [
                pl.lit('<row r="'),
                pl.col("row"),
                pl.lit('">'),
                *[pl.col(f"xc{at}") for at in range(len(columns))],
                pl.lit("</row>"),
            ]
        ).alias("xml")
    )
    body = made["xml"].str.join("").item() if rows else ""
    first = f'<row r="1" s="{header_style}" customFormat="1" ht="20" customHeight="1">{head}</row>'
    return f"<sheetData>{first}{body}</sheetData>"


def write_xlsx(columns: list[OutgoingColumn], path: Path, title: str, stamp: Stamp | None = None) -> None:
    """Write the sheet: header and keys frozen, drop-downs for choices, notes, real numbers and dates, the stamp.

    Raises:
        ValueError: where a worksheet cannot hold so many rows.
    """
    rows = len(columns[0].cells)
    if rows > _MOST_ROWS:
        raise ValueError(f"A worksheet holds {_MOST_ROWS:,} records, these are {rows:,}. Send them out as CSV.")
    bare_book = path.with_suffix(".bare")
    _make_workbook(columns, bare_book, title, rows, stamp)
    with zipfile.ZipFile(bare_book) as source, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as out:
        for entry in source.infolist():
            content = source.read(entry)
            if entry.filename == "xl/worksheets/sheet1.xml":
                xml = content.decode()
                styles = {
                    int(m[1]): m[2]
                    for m in re.finditer(r'<col min="(\d+)" max="\d+" width="[\d.]+" style="(\d+)"', xml)
                }
                header = re.search(r'<row r="1"[^>]* s="(\d+)"', xml)
                numbers = [styles.get(at + 1, "0") for at in range(len(columns))]
                filled = _sheet_data(columns, numbers, header[1] if header else "0")
                before, _, rest = xml.partition("<sheetData")
                after = rest.removeprefix("/>") if rest[0] == "/" else rest.partition("</sheetData>")[2]
                xml = before + filled + after
                size = f'<dimension ref="A1:{column_letters(len(columns))}{rows + 1}"/>'
                xml = re.sub(r'<dimension ref="[^"]*"/>', size, xml)
                content = xml.encode()
            out.writestr(entry.filename, content)
    bare_book.unlink()
