"""XLSX → raw cells: stored values as exact text.

Source: ECMA-376 part 1, SpreadsheetML.
"""

from __future__ import annotations

import re
import zipfile
from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

import polars as pl

from ...values import on_unique
from ...wording import thousands
from ..findings import Finding, each_row
from ..shape import column_letters
from ..sheet import AS_FOUND, ROW, Choices, SheetError
from .cell_values import MINUS_ZERO, ODD, ZEROS, day_of, has_table, passed_over, shortest, spread
from .workbook_facts import Facts, counted, told
from .xlsx_cells import SCHEMA, UNCALCULATED, column_number, read_cells, read_strings
from .xlsx_package import Styles, read_stamp, read_styles, worksheets
from .xlsx_plain import read_plain_cells

_LARGEST = 512 * 1024 * 1024
"""Bytes of shared texts, unpacked."""
_HIDDEN_ROW = re.compile(rb'<(?:\w+:)?row\b(?=[^>]*\bhidden="(?:1|true)")[^>]*?\br="(\d{1,7})"')
_HIDDEN_COLUMNS = re.compile(
    rb'<(?:\w+:)?col\b(?=[^>]*\bhidden="(?:1|true)")(?=[^>]*?\bmin="(\d{1,5})")(?=[^>]*?\bmax="(\d{1,5})")'
)
_MERGED = re.compile(rb'<(?:\w+:)?mergeCell\b[^>]*?\bref="([A-Z0-9:]+)"')
_FORMULA = re.compile(rb'<(?:\w+:)?c\b[^>]*?\br="([A-Z]{1,3})\d+"[^>]*>\s*<(?:\w+:)?f\b')


def _unescape(texts: pl.Series) -> pl.Series:
    """The ``_x000A_`` form that spreadsheets use for characters XML cannot hold."""
    touched = texts.str.contains("_x[0-9A-Fa-f]{4}_").fill_null(value=False)
    if not touched.any():
        return texts

    def plain(text: str) -> str:
        return re.sub(r"_x([0-9A-Fa-f]{4})_", lambda m: chr(int(m[1], 16)), text)

    plain_texts = on_unique(texts.set(~touched, None), plain)
    return pl.select(pl.when(touched).then(plain_texts).otherwise(texts)).to_series()


def _texts(cells: pl.DataFrame, strings: list[str], styles: Styles, from_1904: bool) -> pl.DataFrame:
    """Each cell's stored value as text, and its zero-padded form where its format has one."""
    value, kind, style = cells["value"], cells["kind"], cells["style"]
    number = value.set((kind != "n").fill_null(value=True), None).str.strip_chars()
    odd = number.str.contains(ODD).fill_null(value=False)
    day = style.is_in(styles.dates) & number.is_not_null() if styles.dates else pl.repeat(False, len(cells), eager=True)
    table = pl.DataFrame(
        {
            "kind": kind,
            "value": value,
            "text": _unescape(value.set(kind.is_in(["n", "s", "b"]), None)),
            "day": day,
            "iso": on_unique(number.set(~day, None), lambda text: day_of(text, from_1904)),
            "odd": odd,
            "shortest": on_unique(number.set(~odd, None), shortest),
            "looked": _looked_up(value.set((kind != "s").fill_null(value=True), None), strings),
        }
    )
    text = (
        pl.when(pl.col("kind") == "s")
        .then(pl.col("looked"))
        .when(pl.col("kind") == "b")
        .then(pl.when(pl.col("value").is_in(["1", "true"])).then(pl.lit("TRUE")).otherwise(pl.lit("FALSE")))
        .when(pl.col("day"))
        .then(pl.col("iso"))
        .when(pl.col("odd"))
        .then(pl.col("shortest"))
        .when(pl.col("kind") == "n")
        .then(pl.col("value").str.strip_chars().str.replace(MINUS_ZERO, "0").str.replace(ZEROS, "${1}${2}"))
        .otherwise(pl.col("text"))
    )
    out = cells.select("column", ROW).with_columns(table.select(text.alias("text"))["text"])
    if not styles.padding:
        return out.with_columns(pl.lit(None, dtype=pl.String).alias("shown"))
    width = style.replace_strict(styles.padding, default=None, return_dtype=pl.Int64)
    padded = (width.is_not_null() & number.str.contains(r"^\d+$")).fill_null(value=False)
    sized = pl.DataFrame({"v": number, "w": width}).select(pl.col("v").str.zfill(pl.col("w")))["v"]
    return out.with_columns(sized.set(~padded, None).alias("shown"))


def _looked_up(places: pl.Series, strings: list[str]) -> pl.Series:
    """Shared strings by their place. Raises SheetError where there is none at a place."""
    at = places.str.strip_chars().cast(pl.UInt32, strict=False)
    wrong = places.is_not_null() & (at.is_null() | (at >= len(strings)))
    if wrong.any():
        raise SheetError("The workbook is damaged: a cell names a text that is not there. Save it anew.")
    shared = _unescape(pl.Series("strings", strings, dtype=pl.String))
    if not len(shared):
        return at.cast(pl.String)
    return shared.gather(at)


def _strings(archive: zipfile.ZipFile) -> list[str]:
    part = next((name for name in archive.namelist() if name.endswith("sharedStrings.xml")), None)
    if part is None:
        return []
    with archive.open(part) as stream:
        return read_strings(stream)


def _cells(archive: zipfile.ZipFile, part: str) -> pl.DataFrame:
    """The cells of a worksheet, the quick way where it is written plainly."""
    plain = read_plain_cells(archive, part)
    if plain is not None:
        return plain
    with archive.open(part) as stream:
        return read_cells(stream)


def _seen(archive: zipfile.ZipFile, part: str, cells: pl.DataFrame, styles: Styles, from_1904: bool) -> Facts:
    """What is to be known of a worksheet beyond its cells."""
    if archive.getinfo(part).file_size > _LARGEST or cells.is_empty():
        return Facts(from_1904=from_1904 and bool(len(cells)))
    data = archive.read(part)
    rows, columns = set(cells[ROW].unique().to_list()), set(cells["column"].unique().to_list())
    hidden_rows, hidden_columns = [], []
    if b"hidden=" in data:
        hidden_rows = [int(n) for n in _HIDDEN_ROW.findall(data) if int(n) in rows]
        for first, last in _HIDDEN_COLUMNS.findall(data):
            hidden_columns += [n for n in range(int(first), min(int(last), 16_384) + 1) if n in columns]
    merged = [place.decode() for place in _MERGED.findall(data)] if b"mergeCell" in data else []
    formulas = [column_number(letters.decode()) for letters in _FORMULA.findall(data)] if b"<f" in data else []
    number, value, style = cells["kind"] == "n", cells["value"], cells["style"]
    places = value.str.extract(r"\.(\d*[1-9])", 1).str.len_chars()
    shown = style.replace_strict(styles.decimals, default=None, return_dtype=pl.Int64) if styles.decimals else None
    counts = {
        "formulas": Counter(formulas) - Counter(counted(cells["column"], cells["kind"] == UNCALCULATED)),
        "percent": counted(cells["column"], number & style.is_in(styles.percent)),
        "currency": counted(cells["column"], number & style.is_in(styles.currency)),
    }
    if shown is not None:
        odd = value.str.contains(ODD).fill_null(value=False)
        counts["rounded"] = counted(cells["column"], (number & ~odd & (places > shown)).fill_null(value=False))
    return Facts(sorted(hidden_rows), sorted(set(hidden_columns)), merged, from_1904, counts)


def _uncalculated(cells: pl.DataFrame) -> tuple[Finding, ...]:
    """Formulas that were saved without their values."""
    alone = cells.filter(pl.col("kind") == UNCALCULATED).select(ROW, "column", "value").rows()
    says = (
        f"Row {thousands(row)}, column {column_letters(column)}: the formula {text[:40]} was saved without its value. "
        "Open the file in a spreadsheet and save it anew."
        for row, column, text in alone
    )
    findings = each_row("formula", [row for row, _, _ in alone], says)
    places = [column_letters(column) for _, column, _ in alone]
    return tuple(replace(one, column=place) for one, place in zip(findings, places, strict=False))


def read_xlsx(path: Path, name: str = "The file", choices: Choices = AS_FOUND) -> tuple[pl.DataFrame, dict[str, Any]]:
    """The raw cells of the first visible sheet that has any, or of the one that was chosen, and what was found.

    Raises:
        SheetError: where it is not a workbook, or one that spreadsheets do not write.
    """
    with zipfile.ZipFile(path) as archive:
        if "[Content_Types].xml" not in archive.namelist():
            raise SheetError(f"{name} is an archive, but no workbook. Save the sheet as XLSX or CSV.")
        sheets, from_1904 = worksheets(archive)
        if choices.worksheet:
            if choices.worksheet not in dict(sheets):
                words = ", ".join(repr(sheet) for sheet, _ in sheets)
                raise SheetError(f"{name} has no worksheet {choices.worksheet!r}. It has {words}.")
            sheets = sorted(sheets, key=lambda one: one[0] != choices.worksheet)
        styles, strings, stamp = read_styles(archive), _strings(archive), read_stamp(archive)
        first: tuple[str, str, pl.DataFrame, pl.DataFrame] | None = None
        notes: list[str] = []
        for worksheet, part in sheets:
            cells = _cells(archive, part)
            raw = spread(_texts(cells, strings, styles, from_1904))
            if choices.worksheet or has_table(raw, stamp is not None):
                break
            if len(raw):
                first = first or (worksheet, part, cells, raw)
                notes.append(worksheet)
        else:
            nothing = pl.DataFrame({ROW: pl.Series([], dtype=pl.UInt32)})
            worksheet, part, cells, raw = first or (*sheets[0], pl.DataFrame(schema=SCHEMA), nothing)
            notes = []
        facts = _seen(archive, part, cells, styles, from_1904)
    others = tuple(other for other, _ in sheets if other != worksheet)
    return raw, {
        "format": "xlsx",
        "sheet": worksheet,
        "other_sheets": others,
        "stamp": stamp,
        "findings": (*passed_over(worksheet, notes), *_uncalculated(cells), *told(facts)),
    }
