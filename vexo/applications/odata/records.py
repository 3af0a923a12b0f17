"""JSON records ↔ typed columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any

import polars as pl

from vexo.core.records import IDENTIFIER, VERSION, Catalogue, Field, Kind, RecordType
from vexo.core.values import dtype, normal, parse

from ..base import ApplicationError


def typed(field: Field, values: list[Any]) -> pl.Series:
    """One field's JSON values as a column. What the application holds is taken as it is, choices of old too."""
    match field.kind:
        case Kind.YES_NO:
            return pl.Series(values, dtype=dtype(field))
        case Kind.CHOICES:
            order = {choice.value: at for at, choice in enumerate(field.choices)}
            lists = [None if v is None else sorted(v, key=lambda i: (order.get(i, len(order)), i)) for v in values]
            return pl.Series(lists, dtype=pl.List(pl.String))
        case Kind.WHOLE | Kind.DECIMAL | Kind.DATE | Kind.MOMENT:
            return _read(field, pl.Series([None if v is None else _plain(v) for v in values], dtype=pl.String))
    return normal(pl.Series([None if v is None else str(v) for v in values], dtype=pl.String))


def _read(field: Field, texts: pl.Series) -> pl.Series:
    """Values as the catalogue says they are. Raises ApplicationError where one is not: it would pass for an empty one.

    A moment is kept to the microsecond.
    """
    if field.kind == Kind.MOMENT:
        texts = texts.str.replace(r"(\.\d{6})\d+", "${1}")
    values = parse(field, texts).values
    lost = texts.is_not_null() & values.is_null()
    if lost.any():
        raise ApplicationError(
            f"The application says {texts.filter(lost)[0]!r} for {field.label}, which is none of the values that its "
            "own catalogue allows there. Correct the record or the catalogue, or leave the field out."
        )
    return values


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
    for name in dict.fromkeys(names):
        field = catalogue.field(record_type, name)
        values: list[Any] = [row.get(field.way[0] if field.way else name) for row in rows]
        for step in field.way[1:]:
            values = [None if value is None else value.get(step) for value in values]
        columns.append(typed(field, values).alias(name))
    return pl.DataFrame(columns)


def to_json(field: Field, value: Any) -> Any:
    """One typed value as the application takes it."""
    if isinstance(value, datetime):
        return value.isoformat().replace("+00:00", "Z")
    if field.kind == Kind.DATE and value is not None:
        return value.isoformat()
    if field.kind == Kind.CHOICES:
        return list(value or [])
    if field.kind == Kind.REFERENCE and value is not None and not field.quoted:
        return int(value)
    return value
