"""XLS → raw cells. The old binary format is read by fastexcel, which does not give everything that is stored."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import fastexcel
import polars as pl

from ...values import on_unique
from ..findings import Finding
from ..sheet import AS_FOUND, ROW, Choices, SheetError
from .cell_values import MINUS_ZERO, ODD, WHOLE, has_table, passed_over, shortest

SIGNATURE = b"\xd0\xcf\x11\xe0"
LOSES = (
    "Of an XLS file errors and number formats cannot be read: codes that are shown with zeros in front come without "
    "them. Save it as XLSX to keep them."
)
_DAY = r"^(\d{4}-\d\d-\d\d) 00:00:00$"
_MOMENT = r"^(\d{4}-\d\d-\d\d) (\d\d:\d\d:\d\d(?:\.\d+)?)$"
_ROUNDED = r"^-?\d+\.\d{9,}$"


def _exact(texts: pl.Series, floats: pl.Series) -> pl.Series:
    """Texts of cells with numbers to all their figures: fastexcel writes nine decimals, or more than were stored."""
    rounded = texts.str.contains(_ROUNDED).fill_null(value=False) & floats.is_not_null()
    odd = texts.str.contains(ODD).fill_null(value=False) & ~rounded & texts.str.contains(r"^-?[\d.]+(?:[eE][-+]?\d+)?$")
    if not (rounded | odd).any():
        return texts
    shortened = floats.set(~rounded, None).map_elements(lambda number: shortest(repr(number)), return_dtype=pl.String)
    return pl.select(pl.coalesce(shortened, on_unique(texts.set(~odd, None), shortest), texts)).to_series()


def _column(texts: pl.Series, floats: pl.Series) -> pl.Series:
    merged_texts = (
        _exact(texts, floats)
        .str.replace(MINUS_ZERO, "0")
        .str.replace(WHOLE, "${1}")
        .str.replace(_DAY, "${1}")
        .str.replace(_MOMENT, "${1}T${2}")
    )
    return merged_texts.replace({"true": "TRUE", "false": "FALSE", "": None})


def read_xls(path: Path, name: str = "The file", choices: Choices = AS_FOUND) -> tuple[pl.DataFrame, dict[str, Any]]:
    """The raw cells of the first worksheet that has any, or of the one that was chosen, and what was found.

    Raises:
        SheetError: where it is not one, or is protected by a password.
    """
    try:
        book = fastexcel.read_excel(path.read_bytes())
    except (fastexcel.FastExcelError, ValueError) as error:
        raise SheetError(
            f"{name} cannot be read as XLS; it may be protected by a password. Save it as XLSX or CSV."
        ) from error
    names = list(book.sheet_names)
    if choices.worksheet and choices.worksheet not in names:
        words = ", ".join(repr(sheet) for sheet in names)
        raise SheetError(f"{name} has no worksheet {choices.worksheet!r}. It has {words}.")
    raw, worksheet, notes = pl.DataFrame(), "", list[str]()
    first: tuple[str, pl.DataFrame] | None = None
    for worksheet in [choices.worksheet] if choices.worksheet else names:
        try:
            texts, floats = (
                book.load_sheet(
                    worksheet, header_row=None, skip_rows=0, dtypes=kind, dtype_coercion="coerce"
                ).to_polars()
                for kind in ("string", "float")
            )
        except fastexcel.FastExcelError:
            continue
        columns = {f"k{at}": _column(texts[c], floats[c]) for at, c in enumerate(texts.columns)}
        raw = pl.DataFrame(columns).with_row_index(ROW, offset=1)
        if choices.worksheet or has_table(raw):
            break
        if len(raw):
            first = first or (worksheet, raw)
            notes.append(worksheet)
    else:
        worksheet, raw = first or (worksheet, raw)
        notes = []
    others = tuple(other for other in names if other != worksheet)
    return raw, {
        "format": "xls",
        "sheet": worksheet,
        "other_sheets": others,
        "findings": (*passed_over(worksheet, notes), Finding("xls", LOSES)),
    }
