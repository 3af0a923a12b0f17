"""Lists that a sheet and the application both changed: what they are with both edits. Rules: ``semantics.md`` 3.6."""

from __future__ import annotations

import polars as pl

from ...records import Field, Kind, RecordType
from ..frame import FieldColumns
from ..verdicts import Answer, CellAction

_NOTHING = pl.lit([], dtype=pl.List(pl.String))


def merged(field: Field) -> pl.Expr:
    """The application's list with what the sheet added to the one that went out, and without what it took away; in the
    order of the field's choices."""
    columns = FieldColumns(field.name)
    now, then, sheet = (
        pl.col(name).fill_null(_NOTHING) for name in (columns.current, columns.base_sent, columns.proposed)
    )
    added, removed = sheet.list.set_difference(then), then.list.set_difference(sheet)
    both = now.list.set_union(added).list.set_difference(removed)
    order = {choice.value: at for at, choice in enumerate(field.choices)}
    ranks = pl.element().replace_strict(order, default=len(order), return_dtype=pl.UInt32)
    listed = both.list.eval(pl.element().sort_by([ranks, pl.element()])) if order else both.list.sort()
    return pl.when(listed.list.len() > 0).then(listed)


def take_merges(frame: pl.DataFrame, field: Field, rows: pl.Expr) -> pl.DataFrame:
    """Write into cells of ``rows`` the list with both edits, where the application does not hold it already."""
    columns = FieldColumns(field.name)
    both = merged(field)
    differs = ~both.list.sort().eq_missing(pl.col(columns.current).list.sort())
    action = pl.when(differs).then(CellAction.WRITE).otherwise(CellAction.NOTHING)
    return frame.with_columns(
        pl.when(rows).then(both).otherwise(columns.proposed).alias(columns.proposed),
        pl.when(rows).then(action).otherwise(columns.action).cast(pl.UInt8).alias(columns.action),
    )


def merges_of_lists(decisions: pl.DataFrame, record_type: RecordType) -> pl.DataFrame:
    """Answers without those that would merge what is no list."""
    lists = [field.name for field in record_type.fields if field.kind == Kind.CHOICES]
    return decisions.filter((pl.col("answer") != Answer.MERGE) | pl.col("field").is_in(lists))
