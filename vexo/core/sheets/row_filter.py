"""Only some rows of a sheet: a condition on its own columns, and rows that are left out one by one.

A condition is written like one on records (OData ``$filter``). Columns are named by their header, with ``_`` for what a
name cannot hold.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from typing import Any

import polars as pl

from ..conditions import Condition, read_condition
from ..conditions.to_expression import to_expression
from ..records import Catalogue, Field, Kind, Promises, RecordType
from ..values import bare
from .shape import column_letters
from .sheet import ROW_ID, Column
from .totals import as_numbers

_TAKEN = {"and", "or", "not", "in", "eq", "ne", "gt", "ge", "lt", "le", "null", "true", "false", "any", "tolower"}
_TAKEN |= {"contains", "startswith", "endswith"}
_DAY = r"^\d{4}-\d{2}-\d{2}$"
_NUMBER = r"^[+-]?\d[\d., \x{a0}]*$"


def safe_names(columns: Sequence[Column]) -> dict[str, str]:
    """Column → the name by which a condition calls it; each is there once."""
    names: dict[str, str] = {}
    used: set[str] = set()
    for at, column in enumerate(columns):
        plain = unicodedata.normalize("NFKD", column.header).encode("ascii", "ignore").decode()
        name = re.sub(r"\W+", "_", plain).strip("_") or f"column_{column_letters(at + 1)}"
        if name[0].isdigit() or name in _TAKEN:
            name = f"_{name}"
        wanted, nth = name, 1
        while name in used:
            nth += 1
            name = f"{wanted}_{nth}"
        used.add(name)
        names[column.name] = name
    return names


def _typed(texts: pl.Series, as_number: bool) -> tuple[Kind, pl.Series]:
    """A column as numbers, days or texts, whichever it holds.

    Args:
        as_number: it is compared with a number: cells that are none do not meet that.
    """
    numbers = as_numbers(texts)
    if numbers is None and as_number:
        cells = bare(texts)
        odd = ~cells.str.contains(_NUMBER).fill_null(value=False)
        numbers = as_numbers(cells.set(odd, None)) if not odd.all() else None
    if numbers is not None:
        return Kind.DECIMAL, numbers
    cells = bare(texts)
    filled = cells.drop_nulls()
    if len(filled) and filled.str.contains(_DAY).all():
        return Kind.DATE, cells.str.to_date("%Y-%m-%d", strict=False)
    return Kind.TEXT, cells


def as_records(cells: pl.DataFrame, columns: Sequence[Column], text: str) -> tuple[RecordType, pl.DataFrame]:
    """A sheet as if it were records: its columns as fields, and its rows with those columns that a condition names. The
    others are not looked at: to find out what they hold takes as long as planning a long sheet."""
    words = set(re.findall(r"\w+", text))
    fields, values = [], [cells[ROW_ID]]
    for column, name in safe_names(columns).items():
        header = next(c.header for c in columns if c.name == column) or name
        if name not in words:
            fields.append(Field(name, header, Kind.TEXT))
            continue
        compared = rf"\b{re.escape(name)}\s+(?:eq|ne|gt|ge|lt|le|in)\s+\(?\s*[-+]?\d+(?:\.\d+)?(?![-\d])"
        kind, series = _typed(cells[column], re.search(compared, text) is not None)
        fields.append(Field(name, header, kind, scale=_scale(series)))
        values.append(series.alias(name))
    return RecordType("Sheet", "row", "rows", "", fields[0].name if fields else "", tuple(fields)), pl.DataFrame(values)


def _scale(series: pl.Series) -> int | None:
    return series.dtype.scale if isinstance(series.dtype, pl.Decimal) else None


def read_choice(text: str, cells: pl.DataFrame, columns: Sequence[Column]) -> Condition | None:
    """A condition on a sheet's columns. Raises ConditionError, naming the columns there are."""
    record_type, _ = as_records(cells, columns, text)
    return read_condition(text, record_type, Catalogue("The sheet", (record_type,), Promises()))


def excluded_rows(cells: pl.DataFrame, columns: Sequence[Column], row_filter: dict[str, Any]) -> pl.DataFrame:
    """The rows that are not carried: ``row_id`` and ``by_hand``, whether a person left them out one by one.

    Args:
        row_filter: ``condition`` and ``left_out`` (numbers of rows), where they were said.

    Raises:
        ConditionError
    """
    text, left_out = str(row_filter.get("condition", "")), list(row_filter.get("left_out", []))
    if not text.strip() and not left_out:
        return pl.DataFrame(schema={ROW_ID: pl.UInt32, "by_hand": pl.Boolean})
    rows = cells.select(ROW_ID, pl.col(ROW_ID).is_in(left_out).alias("by_hand"))
    if not text.strip():
        return rows.filter("by_hand")
    record_type, values = as_records(cells, columns, text)
    condition = read_condition(text, record_type, Catalogue("The sheet", (record_type,), Promises()))
    assert condition is not None
    holds = values.select(to_expression(condition)).to_series()
    return rows.filter(pl.col("by_hand") | ~holds)
