"""Which record each row is about: keys compared as typed values of their fields."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..columns.carrying import say_column, values_column, why_column
from ..columns.marks import VALUE
from ..records import IDENTIFIER, Field, Kind, RecordType
from ..sheets.sheet import ROW_ID
from ..values import bare


class KeyError_(Exception):
    """A key that cannot be used; the message says which, and which can."""

    code = "key"


def check_key(key: Sequence[str], record_type: RecordType, carried: Sequence[str]) -> None:
    """Raises KeyError_ where a key field is unknown, not in the sheet, or the fields are not unique together."""
    for name in key:
        field = record_type.field(name)
        if name not in carried:
            there = ", ".join(carried) or "none"
            raise KeyError_(
                f"The key {field.label} ({name}) is in no column of the sheet. Fields in the sheet: {there}. "
                "Add the column, carry another column into it, or choose another key."
            )
    unique = [{record_type.identifier}, *[set(known) for known in record_type.keys]]
    if not any(known <= set(key) for known in unique):
        ways = "; ".join(" + ".join(sorted(known)) for known in unique)
        raise KeyError_(f"{' + '.join(key)} does not tell {record_type.plural.lower()} apart. Keys that do: {ways}.")


def suggest_key(record_type: RecordType, carried: Sequence[str], *, own: bool) -> tuple[str, ...] | None:
    """The record identifier, or the only unique key whose fields are all in the sheet; None if there is a choice.

    Args:
        own: the sheet went out from here; identifiers in any other count only where a person says so.
    """
    if own and record_type.identifier in carried:
        return (record_type.identifier,)
    whole = [key for key in record_type.keys if set(key) <= set(carried)]
    return whole[0] if len(whole) == 1 else None


def normal_key(column: str, field: Field) -> pl.Expr:
    """A key field's values in the form in which keys compare."""
    texts = field.kind in (Kind.TEXT, Kind.CHOICE, Kind.REFERENCE)
    expression = pl.col(column)
    return expression.map_batches(bare, return_dtype=pl.String) if texts else expression


def row_keys(carried: pl.DataFrame, key: Sequence[str], record_type: RecordType) -> pl.DataFrame:
    """``row_id`` and the key's values (``key.FIELD``), null where blank or not readable."""
    columns = [
        pl.when((pl.col(say_column(name)) == VALUE) & pl.col(why_column(name)).is_null())
        .then(normal_key(values_column(name), record_type.field(name)))
        .alias(f"key.{name}")
        for name in key
    ]
    return carried.select(ROW_ID, *columns)


def find_records(
    keys: pl.DataFrame, records: pl.DataFrame, key: Sequence[str], record_type: RecordType
) -> pl.DataFrame:
    """``row_id`` and ``@id`` of the record found; ``found`` counts how many records have the row's key."""
    names = [f"key.{name}" for name in key]
    own = records.select(
        IDENTIFIER, *[normal_key(name, record_type.field(name)).alias(f"key.{name}") for name in key]
    ).drop_nulls(names)
    grouped = own.group_by(names).agg(pl.col(IDENTIFIER).first(), pl.len().alias("found"))
    return keys.join(grouped, on=names, how="left", maintain_order="left").select(
        ROW_ID, pl.when(pl.col("found") == 1).then(pl.col(IDENTIFIER)).alias(IDENTIFIER), pl.col("found").fill_null(0)
    )
