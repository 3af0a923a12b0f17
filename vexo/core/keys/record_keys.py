"""Which record each row is about: keys compared as typed values of their fields."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..columns.carried_columns import CarriedColumns
from ..columns.marks import VALUE
from ..errors import MendableError
from ..records import IDENTIFIER, Field, Kind, RecordType
from ..values import bare, to_text


class RecordKeyError(MendableError):
    """A key that cannot be used; the message says which, and which can."""

    code = "key"


def check_key(key: Sequence[str], record_type: RecordType, carried: Sequence[str]) -> None:
    """Raises RecordKeyError where a key field is unknown, not in the sheet, or the fields are not unique together."""
    for name in key:
        field = record_type.field(name)
        if name not in carried:
            words = ", ".join(carried) or "none"
            raise RecordKeyError(
                f"The key {field.label} ({name}) is in no column of the sheet. Fields in the sheet: {words}. "
                "Add the column, carry another column into it, or choose another key."
            )
    unique = [{record_type.identifier}, *[set(known) for known in record_type.keys]]
    if not any(known <= set(key) for known in unique):
        ways = "; ".join(" + ".join(sorted(known)) for known in unique)
        raise RecordKeyError(
            f"{' + '.join(key)} does not tell {record_type.plural.lower()} apart. Keys that do: {ways}."
        )


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


def key_texts(table: pl.DataFrame, key: Sequence[str], record_type: RecordType) -> pl.DataFrame:
    """Keys as texts, in the form in which they compare.

    Args:
        table: has a column of values for each field of the key, named as the field.
    """
    fields = [record_type.field(name) for name in key]
    values = table.select(normal_key(field.name, field).alias(field.name) for field in fields)
    return pl.DataFrame([to_text(field, values[field.name]).alias(field.name) for field in fields])


def key_values(key: Sequence[str], record_type: RecordType) -> list[pl.Expr]:
    """Of carried rows the key's values, ``key.FIELD``, null where blank or not readable."""

    def value(name: str) -> pl.Expr:
        columns = CarriedColumns(name)
        says = (pl.col(columns.cell_says) == VALUE) & pl.col(columns.problem).is_null()
        return pl.when(says).then(normal_key(columns.value, record_type.field(name))).alias(columns.key)

    return [value(name) for name in key]


def row_keys(carried: pl.DataFrame, key: Sequence[str], record_type: RecordType) -> pl.DataFrame:
    """The keys of carried rows, a column for each key field, named as the field."""
    keys = carried.select(key_values(key, record_type))
    return keys.rename({CarriedColumns(name).key: name for name in key})


def in_one_order(keys: pl.Series, known: pl.Series) -> bool:
    """Whether ``keys`` are ``known``, one by one, each once and none blank."""
    if len(keys) != len(known) or keys.null_count() or known.null_count() or keys.dtype != known.dtype:
        return False
    return bool((keys == known).all()) and known.n_unique() == len(known)


def find_records(
    keys: pl.DataFrame, records: pl.DataFrame, key: Sequence[str], record_type: RecordType, found: str, matches: str
) -> pl.DataFrame:
    """Which record has each key.

    Args:
        keys: ``key.FIELD`` of each row.
        found: what the column with the ID of the one record is called; null where there is none, or several.
        matches: what the column with the number of records is called.

    Returns:
        both columns, a line for each of ``keys`` in their order.
    """
    names = [CarriedColumns(name).key for name in key]
    values = [normal_key(name, record_type.field(name)).alias(CarriedColumns(name).key) for name in key]
    known = records.select(IDENTIFIER, *values)
    if len(names) == 1 and in_one_order(keys[names[0]], known[names[0]]):
        # A sheet that went out mostly comes back as it was: nothing has to be looked up.
        one = pl.repeat(1, len(keys), dtype=pl.get_index_type(), eager=True)
        return pl.DataFrame([known[IDENTIFIER].alias(found), one.alias(matches)])
    by_key = known.lazy().drop_nulls(names).group_by(names).agg(pl.col(IDENTIFIER).first(), pl.len().alias(matches))
    return (
        keys.lazy()
        .join(by_key, on=names, how="left", maintain_order="left")
        .select(pl.when(pl.col(matches) == 1).then(IDENTIFIER).alias(found), pl.col(matches).fill_null(0))
        .collect()
    )
