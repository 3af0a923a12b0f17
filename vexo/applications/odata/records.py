"""JSON records ↔ typed columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from decimal import ROUND_HALF_EVEN, Context, Decimal
from typing import Any

import polars as pl

from vexo.core.cell_parser import parse_all
from vexo.core.columns.fast_parse import KINDS, plain_values_of
from vexo.core.records import FREE_DECIMALS, IDENTIFIER, VERSION, Catalogue, Field, Kind, RecordType
from vexo.core.values import dtype, normal_all

from ..base import ApplicationError

_SMALLEST = Decimal(1).scaleb(-FREE_DECIMALS)
_WHOLE_FIGURES = 37 - FREE_DECIMALS
"""Digits before the point of a number of which the catalogue names no decimals."""
_ENDLESS = Context(prec=400, rounding=ROUND_HALF_EVEN)
"""Has all the digits that a number of 64 binary digits can have."""


def typed(columns: Sequence[tuple[Field, Sequence[Any]]]) -> list[pl.Series]:
    """Fields' JSON values as columns. What the application holds is taken as it is, choices of old too.

    A moment is kept to the microsecond.

    Args:
        columns: each field with its values, equally many.

    Raises:
        ApplicationError: where one is not what the catalogue says: it would pass for an empty one.
    """
    by_place: dict[int, pl.Series] = {}
    to_parse: dict[int, tuple[Field, pl.Series]] = {}
    to_compose: dict[int, pl.Series] = {}
    for at, (field, values) in enumerate(columns):
        match field.kind:
            case Kind.YES_NO:
                by_place[at] = pl.Series(values, dtype=dtype(field))
            case Kind.CHOICES:
                by_place[at] = pl.Series(_sorted(field, values), dtype=dtype(field))
            case Kind.WHOLE | Kind.DECIMAL | Kind.DATE | Kind.MOMENT:
                free = field.kind == Kind.DECIMAL and field.scale is None
                numbers = _with_free_decimals(field, values) if free else values
                plain = pl.Series([None if v is None else _plain(v) for v in numbers], dtype=pl.String)
                if field.kind == Kind.MOMENT:
                    plain = plain.str.replace(r"(\.\d{6})\d+", "${1}")
                to_parse[at] = field, plain
            case _:
                to_compose[at] = pl.Series([None if v is None else str(v) for v in values], dtype=pl.String)
    plainly = {
        at: column for at, column in to_parse.items() if column[0].kind in KINDS and column[0].kind != Kind.MOMENT
    }
    for at, (read, others) in zip(plainly, plain_values_of(list(plainly.values())), strict=True):
        # A blank text is no value of these kinds, and not nothing either.
        if others is None and read.null_count() == to_parse[at][1].null_count():
            by_place[at] = read
            del to_parse[at]
    by_place |= dict(zip(to_compose, normal_all(list(to_compose.values())), strict=True))
    for (at, (field, plain)), parsed in zip(to_parse.items(), parse_all(list(to_parse.values())), strict=True):
        if parsed.values.null_count() > plain.null_count():
            lost = plain.filter(plain.is_not_null() & parsed.values.is_null())
            raise ApplicationError(
                f"The application says {lost[0]!r} for {field.label}, which is none of the values that its own "
                "catalogue allows there. Correct the record or the catalogue, or leave the field out."
            )
        by_place[at] = parsed.values
    return [by_place[at] for at in range(len(columns))]


def _sorted(field: Field, values: Sequence[Any]) -> list[Any]:
    order = {choice.value: at for at, choice in enumerate(field.choices)}
    return [None if v is None else sorted(v, key=lambda i: (order.get(i, len(order)), i)) for v in values]


def _with_free_decimals(field: Field, values: Sequence[Any]) -> list[Any]:
    """Numbers of which the catalogue names no decimals, to as many as are kept. Raises ApplicationError."""
    kept: list[Any] = [v.quantize(_SMALLEST, context=_ENDLESS) if _is_fine(v) else v for v in values]
    large = [v for v in kept if isinstance(v, int | Decimal) and abs(v) >= 10**_WHOLE_FIGURES]
    if large:
        raise ApplicationError(
            f"The application says {large[0]} for {field.label}: that is too large for a number here, which has up to "
            f"{_WHOLE_FIGURES} digits before its decimals. Correct the record, or leave the field out."
        )
    return kept


def _is_fine(value: Any) -> bool:
    exponent = value.as_tuple().exponent if isinstance(value, Decimal) else 0
    return isinstance(exponent, int) and exponent < -FREE_DECIMALS


def _plain(value: Any) -> str:
    return format(value, "f") if isinstance(value, Decimal) else str(value)


def to_frame(
    rows: Sequence[Mapping[str, Any]], names: Sequence[str], record_type: RecordType, catalogue: Catalogue
) -> pl.DataFrame:
    """Records as a table with ``@id``, ``@version`` and the fields asked for."""
    identifier = record_type.identifier
    columns = [
        pl.Series(IDENTIFIER, [str(row[identifier]) for row in rows], dtype=pl.String),
        pl.Series(VERSION, [row.get("@odata.etag") or row.get("@etag") for row in rows], dtype=pl.String),
    ]
    json_values: dict[str, tuple[Field, list[Any]]] = {}
    for name in dict.fromkeys(names):
        field = catalogue.field(record_type, name)
        values: list[Any] = [row.get(field.way[0] if field.way else name) for row in rows]
        for step in field.way[1:]:
            values = [None if value is None else value.get(step) for value in values]
        json_values[name] = field, values
    fields = typed(list(json_values.values()))
    return pl.DataFrame([*columns, *(column.alias(name) for name, column in zip(json_values, fields, strict=True))])


def to_json(field: Field, value: Any) -> Any:
    """One typed value as the application takes it."""
    if isinstance(value, datetime):
        return value.isoformat().replace("+00:00", "Z")
    if field.kind == Kind.DATE and value is not None:
        return value.isoformat()
    if field.kind == Kind.CHOICES:
        return list(value or [])
    if field.kind == Kind.DECIMAL and field.scale is None and isinstance(value, Decimal):
        return Decimal(format(_ENDLESS.normalize(value), "f"))
    if field.kind == Kind.REFERENCE and value is not None and not field.quoted:
        return int(value)
    return value
