"""Which record each row is about: keys compared as typed values of their fields."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import polars as pl

from ..columns.carried_columns import CarriedColumns
from ..columns.marks import VALUE
from ..errors import MendableError
from ..records import EXACT, IDENTIFIER, Field, Ignored, Kind, RecordType
from ..values import SHORT, bare, count_different, to_text


class RecordKeyError(MendableError):
    """A key that cannot be used; the message says which, and which can."""

    code = "key"


def ignored_from(text: str) -> Ignored:
    """What a person says makes no difference. Raises RecordKeyError."""
    if text not in list(Ignored):
        raise RecordKeyError(f"Unknown difference {text!r}. Keys may be compared whatever their {', '.join(Ignored)}.")
    return Ignored(text)


def check_key(key: Sequence[str], record_type: RecordType, carried: Sequence[str]) -> None:
    """Raises RecordKeyError where a key field is unknown, not in the sheet, or holds several values in one record."""
    for name in key:
        field = record_type.field(name)
        if name not in carried:
            words = ", ".join(carried) or "none"
            raise RecordKeyError(
                f"The key {field.label} ({name}) is in no column of the sheet. Fields in the sheet: {words}. "
                "Add the column, carry another column into it, or choose another key."
            )
        if field.kind == Kind.CHOICES:
            raise RecordKeyError(f"{field.label} holds several values in one record. Choose a key of single values.")


def is_declared(key: Sequence[str], record_type: RecordType) -> bool:
    """Whether the application itself promises that no two records share the key."""
    return any(known <= set(key) for known in ({record_type.identifier}, *map(set, record_type.keys)))


def suggest_key(record_type: RecordType, carried: Sequence[str], *, own: bool) -> tuple[str, ...] | None:
    """The record identifier, or the only unique key whose fields are all in the sheet; None if there is a choice.

    Args:
        own: the sheet went out from here; identifiers in any other count only where a person says so.
    """
    if own and record_type.identifier in carried:
        return (record_type.identifier,)
    whole = [key for key in record_type.keys if set(key) <= set(carried)]
    return whole[0] if len(whole) == 1 else None


def normal_key(column: str, field: Field, ignores: Collection[Ignored] = EXACT) -> pl.Expr:
    """A key field's values in the form in which keys compare."""
    values = pl.col(column)
    if field.kind not in (Kind.TEXT, Kind.CHOICE, Kind.REFERENCE):
        return values
    values = values.map_batches(bare, return_dtype=pl.String)
    # References and choices are the application's own codes, however they are written.
    if field.kind != Kind.TEXT:
        return values
    if Ignored.ACCENTS in ignores:
        values = values.str.normalize("NFD").str.replace_all(r"\p{Mn}", "").str.normalize("NFC")
    return values.str.to_lowercase() if Ignored.CAPITALS in ignores else values


def key_texts(
    table: pl.DataFrame, key: Sequence[str], record_type: RecordType, ignores: Collection[Ignored] = EXACT
) -> pl.DataFrame:
    """Keys as texts, in the form in which they compare.

    Args:
        table: has a column of values for each field of the key, named as the field.
    """
    fields = [record_type.field(name) for name in key]
    values = table.select(normal_key(field.name, field, ignores).alias(field.name) for field in fields)
    return pl.DataFrame([to_text(field, values[field.name]).alias(field.name) for field in fields])


def key_values(key: Sequence[str], record_type: RecordType, ignores: Collection[Ignored] = EXACT) -> list[pl.Expr]:
    """Of carried rows the key's values, ``key.FIELD``, null where blank or not readable."""

    def value(name: str) -> pl.Expr:
        columns = CarriedColumns(name)
        says = (pl.col(columns.cell_says) == VALUE) & pl.col(columns.problem).is_null()
        return pl.when(says).then(normal_key(columns.value, record_type.field(name), ignores)).alias(columns.key)

    return [value(name) for name in key]


def row_keys(
    carried: pl.DataFrame, key: Sequence[str], record_type: RecordType, ignores: Collection[Ignored] = EXACT
) -> pl.DataFrame:
    """The keys of carried rows, a column for each key field, named as the field."""
    keys = carried.select(key_values(key, record_type, ignores))
    return keys.rename({CarriedColumns(name).key: name for name in key})


def in_one_order(keys: pl.Series, known: pl.Series) -> bool:
    """Whether ``keys`` are ``known``, one by one, each once and none blank."""
    if len(keys) != len(known) or keys.null_count() or known.null_count() or keys.dtype != known.dtype:
        return False
    if not (keys == known).all():
        return False
    return (len(known) > SHORT and _rises(known)) or count_different(known) == len(known)


def is_among(values: pl.Series, known: pl.Series) -> pl.Series:
    """Whether each value is one of those known; null is none. What stands at its own place among them, as in a sheet
    that comes back as it went out, needs no look-up."""
    if max(len(values), len(known)) <= SHORT:
        return values.is_in(known.implode()).fill_null(value=False)
    beside_known = min(len(values), len(known))
    among = (values.head(beside_known) == known.head(beside_known)).fill_null(value=False)
    among = among.extend_constant(value=False, n=len(values) - beside_known)
    others = (~among & values.is_not_null()).arg_true()
    if others.is_empty():
        return among
    return among.scatter(others, values.gather(others).is_in(known.implode()).fill_null(value=False))


def _rises(keys: pl.Series) -> bool:
    """Whether each key comes after the one before it, shorter ones first: then none is there twice, which is seen at a
    fraction of what counting them takes."""
    if keys.dtype != pl.String:
        return False
    lengths = keys.str.len_bytes()
    before, after = lengths.slice(0, max(len(keys) - 1, 0)), lengths.slice(1)
    longer = after > before
    return bool((longer | ((after == before) & (keys.slice(1) > keys.slice(0, len(before))))).all())


def find_records(
    keys: pl.DataFrame,
    records: pl.DataFrame,
    key: Sequence[str],
    record_type: RecordType,
    found: str,
    matches: str,
    ignores: Collection[Ignored] = EXACT,
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
    known = _keyed(records, key, record_type, ignores)
    if len(names) == 1 and in_one_order(keys[names[0]], known[names[0]]):
        # A sheet that went out mostly comes back as it was: nothing has to be looked up.
        single_matches = pl.repeat(1, len(keys), dtype=pl.get_index_type(), eager=True)
        return pl.DataFrame([known[IDENTIFIER].alias(found), single_matches.alias(matches)])
    by_key = known.lazy().drop_nulls(names).group_by(names).agg(pl.col(IDENTIFIER).first(), pl.len().alias(matches))
    return (
        keys.lazy()
        .join(by_key, on=names, how="left", maintain_order="left")
        .select(pl.when(pl.col(matches) == 1).then(IDENTIFIER).alias(found), pl.col(matches).fill_null(0))
        .collect()
    )


MOST_SEVERAL = 20
"""Records with one key that a person is shown to choose from."""


def several_records(
    keys: pl.DataFrame, records: pl.DataFrame, key: Sequence[str], record_type: RecordType, ignores: Collection[Ignored]
) -> pl.Series:
    """The IDs of the records that have each key, at most ``MOST_SEVERAL``, where these are more than one; else null.

    Args:
        keys: ``key.FIELD`` of each row.
    """
    names = [CarriedColumns(name).key for name in key]
    known = _keyed(records, key, record_type, ignores).lazy().drop_nulls(names)
    by_key = known.group_by(names).agg(pl.col(IDENTIFIER).head(MOST_SEVERAL), pl.len().alias("records"))
    met = keys.lazy().join(by_key.filter(pl.col("records") > 1), on=names, how="left", maintain_order="left")
    return met.select(IDENTIFIER).collect().to_series()


def _keyed(
    records: pl.DataFrame, key: Sequence[str], record_type: RecordType, ignores: Collection[Ignored]
) -> pl.DataFrame:
    """``@id`` and ``key.FIELD`` of records."""
    values = [normal_key(name, record_type.field(name), ignores).alias(CarriedColumns(name).key) for name in key]
    return records.select(IDENTIFIER, *values)
