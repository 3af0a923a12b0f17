"""Cells that are plainly values of their field: typed at once, without a look at marks, spaces and slips."""

from __future__ import annotations

import polars as pl

from ..records import Field, Kind
from ..values import dtype

KINDS = (Kind.TEXT, Kind.DECIMAL, Kind.WHOLE, Kind.DATE)
_FIRST = "!"
"""The first character after the blank: what sorts before it begins with a blank or a control."""
_DAY = len("2026-11-27")


def plain_values(field: Field, texts: pl.Series) -> tuple[pl.Series, pl.Series | None]:
    """The values of a column as far as its cells are plainly such, exactly as a careful reading gives them; null where
    they are not. And which filled cells are not plain, or None where all are.

    Args:
        field: of one of ``KINDS``.
    """
    cells = texts.replace("", None)
    match field.kind:
        case Kind.DECIMAL:
            values = cells.cast(dtype(field), strict=False)
            scale = field.scale if field.scale is not None else 10
            limit = pl.lit("1" + "0" * min((field.precision or 38) - scale, 37 - scale)).cast(pl.Decimal(38, scale))
            within = values.to_frame("v").select(pl.col("v").abs() < limit)["v"]
            decimals = f"(\\.[0-9]{{1,{scale}}})?" if scale else ""
            good = cells.str.contains(f"^-?[0-9]+{decimals}$") & within
        case Kind.WHOLE:
            values = cells.cast(pl.Int64, strict=False)
            good = values.is_between(-(10**18), 10**18, closed="none")
        case Kind.DATE:
            values = cells.str.to_date("%Y-%m-%d", strict=False)
            good = values.is_not_null() & (cells.str.len_bytes() == _DAY) & (cells >= "0") & (cells < ":")
        case _:
            values, good = cells, _plain_text(field, cells)
    good = good.fill_null(value=False)
    others = ~good & cells.is_not_null()
    if not others.any():
        return values, None
    return values.set(others, None) if field.kind != Kind.DECIMAL else values.zip_with(good, values.clear(1)), others


def _plain_text(field: Field, cells: pl.Series) -> pl.Series:
    bytes_ = cells.str.len_bytes()
    good = (cells >= _FIRST) & (bytes_ == cells.str.len_chars()) & ~cells.str.contains("\r", literal=True)
    return good & (bytes_ <= field.max_length) if field.max_length is not None else good
