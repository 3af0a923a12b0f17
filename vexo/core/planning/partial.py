"""A plan carried on where few of its rows are touched: which rows have to be planned again with them, and which records
these need. Rows that share no record, and as new ones no key, say nothing about one another."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

from ..columns.lanes import Blank
from ..keys.record_keys import normal_key
from ..operations import Operation
from ..records import IDENTIFIER, RecordType
from .frame import FAULTS, VERDICT, FieldColumns
from .inputs import Settings
from .verdicts import CellAction, Verdict


def asks_whole_columns(settings: Settings) -> bool:
    """Whether a verdict may rest on how many rows of the whole sheet are alike, so that no row is planned without the
    others. What deletes is always planned whole, since it is kept with all that it would take away; what is matched by
    nothing is compared with all other rows."""
    clears = any(settings.lane(name).blank == Blank.CLEAR for name in settings.carried)
    return clears or settings.operation.deletes or settings.operation == Operation.CREATE_UNMATCHED


def rows_together(identifiers: pl.Series, touched: pl.Series, keys: Callable[[pl.Series], pl.DataFrame]) -> pl.Series:
    """Places of the touched rows and of those that share a record with one of them, or as new ones a key; in order.

    Args:
        identifiers: the record of each row of the plan, null where it has none.
        touched: places of rows, from 0.
        keys: gives the key of the rows at some places, a column a key field, null where there is none.
    """
    touched = touched.unique()
    records = identifiers.gather(touched)
    together = [touched, identifiers.is_in(records.drop_nulls().implode()).fill_null(value=False).arg_true()]
    if records.null_count():
        without = identifiers.is_null().arg_true()
        all_keys = keys(without).with_columns(without.alias("place"))
        names = [name for name in all_keys.columns if name != "place"]
        mine = all_keys.filter(all_keys["place"].is_in(touched.implode())).select(names)
        if names:
            together.append(all_keys.join(mine, on=names, how="semi")["place"])
    return pl.concat([places.cast(pl.UInt32) for places in together]).unique().sort()


def records_needed(
    records: pl.DataFrame, keys: pl.DataFrame, identifiers: pl.Series, settings: Settings, record_type: RecordType
) -> pl.Series:
    """Places of the records that have one of these keys, or one of these IDs; in order.

    Args:
        records: ``@id`` and the key's fields, those of them that are there.
        keys: ``key.FIELD`` of rows.
        identifiers: IDs, null where a row has none.
    """
    needed = [records[IDENTIFIER].is_in(identifiers.drop_nulls().implode()).fill_null(value=False).arg_true()]
    key = settings.key
    if key and all(name in records.columns for name in key):
        names = [FieldColumns(name).key for name in key]
        fields = [record_type.field(name) for name in key]
        values = [normal_key(f.name, f, settings.ignores).alias(FieldColumns(f.name).key) for f in fields]
        known = records.select(values).with_row_index("place").drop_nulls(names)
        needed.append(known.join(keys.select(names), on=names, how="semi")["place"])
    return pl.concat([places.cast(pl.UInt32) for places in needed]).unique().sort()


def writes_unique(rows: pl.DataFrame, settings: Settings, record_type: RecordType) -> bool:
    """Whether any of these rows of a plan writes a value that has to be unique: whether it may depends on all others.

    The key of a new record by which it was looked for is none: it was not found.
    """
    for key in record_type.keys:
        written = [pl.col(FieldColumns(name).action) == CellAction.WRITE for name in key if name in settings.carried]
        new = pl.col(VERDICT) == Verdict.CREATE
        if written and rows.select((pl.any_horizontal(written) & (~new | pl.lit(key != settings.key))).any()).item():
            return True
    return False


def leaves_others_alone(before: pl.DataFrame, after: pl.DataFrame) -> bool:
    """Whether rows planned again say nothing new about the others: each is about the record it was about, and none is
    looked for among the keys that no row has found.

    Args:
        before: the rows as the plan had them, and ``after`` as they are planned now.
    """
    lost = after[FAULTS].list.eval(pl.element().struct.field("code") == "not-found").list.any()
    return before[IDENTIFIER].equals(after[IDENTIFIER], null_equal=True) and not lost.fill_null(value=False).any()
