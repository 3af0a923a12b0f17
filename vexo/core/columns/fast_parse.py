"""Cells that are plainly values of their field: typed at once, without a look at marks, spaces and slips."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..records import Field, Kind
from ..values import dtype

KINDS = (Kind.TEXT, Kind.DECIMAL, Kind.WHOLE, Kind.DATE, Kind.MOMENT, Kind.CHOICE)
_FIRST = "!"
"""The first character after the blank: what sorts before it begins with a blank or a control."""
_DAY, _MOMENT = len("2026-11-27"), len("2026-11-27T09:30:00Z")


def plain_values(field: Field, texts: pl.Series) -> tuple[pl.Series, pl.Series | None]:
    """The values of a column as far as its cells are plainly such, exactly as a careful reading gives them; null where
    they are not. And which filled cells are not plain, or None where all are.

    Args:
        field: of one of ``KINDS``.
    """
    return plain_values_of([(field, texts)])[0]


def plain_values_of(columns: Sequence[tuple[Field, pl.Series]]) -> list[tuple[pl.Series, pl.Series | None]]:
    """``plain_values`` of several columns, all as long, in one go."""
    if not columns:
        return []
    table = pl.DataFrame([texts.alias(f"cell {at}") for at, (_, texts) in enumerate(columns)]).lazy()
    table = table.with_columns(pl.all().replace("", None))
    expressions = [
        _reading(field, pl.col(f"cell {at}"), pl.col(f"value {at}")) for at, (field, _) in enumerate(columns)
    ]
    table = table.with_columns(values.alias(f"value {at}") for at, (values, _) in enumerate(expressions))
    read = table.select(
        column
        for at, (_, good) in enumerate(expressions)
        for column in (
            pl.col(f"value {at}"),
            (~good.fill_null(value=False) & pl.col(f"cell {at}").is_not_null()).alias(f"others {at}"),
        )
    ).collect()
    return [_without_others(read, at, texts.name) for at, (_, texts) in enumerate(columns)]


def _without_others(read: pl.DataFrame, at: int, name: str) -> tuple[pl.Series, pl.Series | None]:
    values, others = read[f"value {at}"].alias(name), read[f"others {at}"].alias("others")
    if not others.any():
        return values, None
    plain = read.select(pl.when(f"others {at}").then(None).otherwise(pl.col(f"value {at}")).alias(name))
    return plain.to_series(), others


def _reading(field: Field, cell: pl.Expr, value: pl.Expr) -> tuple[pl.Expr, pl.Expr]:
    """The value of a cell, and whether it is plainly one."""
    match field.kind:
        case Kind.DECIMAL:
            values = cell.cast(dtype(field), strict=False)
            scale = field.decimals
            limit = pl.lit("1" + "0" * min((field.precision or 38) - scale, 37 - scale)).cast(pl.Decimal(38, scale))
            decimals = f"(\\.[0-9]{{1,{scale}}})?" if scale else ""
            good = cell.str.contains(f"^-?[0-9]+{decimals}$") & (value.abs() < limit)
        case Kind.WHOLE:
            values = cell.cast(pl.Int64, strict=False)
            good = value.is_not_null()
        case Kind.DATE:
            values = cell.str.to_date("%Y-%m-%d", strict=False)
            good = value.is_not_null() & _begins_with_figure(cell, _DAY)
        case Kind.MOMENT:
            values = cell.str.to_datetime("%Y-%m-%dT%H:%M:%SZ", time_unit="us", time_zone="UTC", strict=False)
            good = value.is_not_null() & _begins_with_figure(cell, _MOMENT)
        case Kind.CHOICE:
            values, good = cell, cell.is_in([one.value for one in field.choices if _is_plain(one.value)])
        case _:
            values, good = cell, _plain_text(field, cell)
    return values, good


class PlainReadings:
    """What was plainly read of columns: whoever looks at the same cells next, as their values after the questions about
    them, need not read them again."""

    def __init__(self) -> None:
        self._read: dict[str, tuple[Field, pl.Series, tuple[pl.Series, pl.Series | None]]] = {}

    def keep(self, field: Field, texts: pl.Series) -> tuple[pl.Series, pl.Series | None]:
        """Read a column as ``plain_values`` does, and keep what came of it."""
        read = plain_values(field, texts)
        self._read[field.name] = field, texts, read
        return read

    def take(self, field: Field, texts: pl.Series) -> tuple[pl.Series, pl.Series | None]:
        """What was kept of a column, once, if it was read of these texts; else read now."""
        known, of_texts, read = self._read.pop(field.name, (None, texts, None))
        if read is None or known != field or not of_texts.equals(texts, null_equal=True):
            return plain_values(field, texts)
        return read


def _is_plain(text: str) -> bool:
    """Whether a text is the same after all that is done to cells before they are compared."""
    return text.isascii() and text == text.strip() and "\r" not in text


def _begins_with_figure(cell: pl.Expr, length: int) -> pl.Expr:
    return (cell.str.len_bytes() == length) & (cell >= "0") & (cell < ":")


def _plain_text(field: Field, cell: pl.Expr) -> pl.Expr:
    bytes_ = cell.str.len_bytes()
    good = (cell >= _FIRST) & (bytes_ == cell.str.len_chars()) & ~cell.str.contains("\r", literal=True)
    return good & (bytes_ <= field.max_length) if field.max_length is not None else good
