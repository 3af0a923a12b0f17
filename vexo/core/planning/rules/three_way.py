"""The three-way comparison of cells: what was sent, the file, the application now. Rules: ``semantics.md`` 3."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

import polars as pl

from ...columns.marks import CHANGE, CLEAR, LEAVE
from ...keys.record_keys import normal_key
from ...records import IDENTIFIER, Field, Kind
from ...values import dtype, normal, rounded_to_15, same
from ..frame import CREATES, EARLIER_RESULT, FieldColumns
from ..verdicts import CellAction

_NOTHING = pl.lit([], dtype=pl.List(pl.String))
_ROUNDED_KINDS = (Kind.DECIMAL, Kind.WHOLE, Kind.TEXT)
"""Kinds whose values a spreadsheet cuts to 15 significant digits."""


def _relisted(field: Field, base: str) -> pl.Expr:
    """The list in ``base`` with the items of the cell added and taken away, in the order of the field's choices."""
    columns = FieldColumns(field.name)
    order = {choice.value: at for at, choice in enumerate(field.choices)}
    added = pl.col(base).fill_null(_NOTHING).list.set_union(pl.col(columns.value).fill_null(_NOTHING))
    left = added.list.set_difference(pl.col(columns.removed_items).fill_null(_NOTHING))
    ranks = pl.element().replace_strict(order, default=len(order), return_dtype=pl.UInt32)
    return left.list.eval(pl.element().sort_by([ranks, pl.element()])) if order else left.list.sort()


def _changes_lists(frame: pl.DataFrame, field: Field) -> bool:
    """Whether any cell adds or takes away items."""
    return field.kind == Kind.CHOICES and bool((frame[FieldColumns(field.name).cell_says] == CHANGE).any())


def propose(frame: pl.DataFrame, fields: Sequence[Field], keys: Collection[str] = ()) -> pl.DataFrame:
    """Add ``proposed`` of each field: the cell's value, none where it clears, or the application's list with the cell's
    items added and taken away.

    Args:
        keys: fields of keys, which are written in the form in which keys compare; what a record has is left as it is.
    """
    new = pl.col(CREATES) | (pl.col(EARLIER_RESULT) == "created").fill_null(value=False)

    def proposed(field: Field) -> pl.Expr:
        columns = FieldColumns(field.name)
        says = pl.col(columns.cell_says)
        value = pl.when(says == CLEAR).then(pl.lit(None, dtype=dtype(field))).otherwise(pl.col(columns.value))
        if _changes_lists(frame, field):
            value = pl.when(says == CHANGE).then(_relisted(field, columns.current)).otherwise(value)
        if field.name in keys and field.kind == Kind.TEXT:
            cell = pl.col(columns.value)
            bared = new | ~(cell.eq_missing(pl.col(columns.base_sent)) | cell.eq_missing(pl.col(columns.current)))
            if frame.select(bared.any()).item():
                value = pl.when(bared & (says != CLEAR)).then(normal_key(columns.value, field)).otherwise(value)
        return value.alias(columns.proposed)

    return frame.with_columns([proposed(field) for field in fields])


def _is_rounded(frame: pl.DataFrame, field: Field) -> pl.Expr:
    """Whether the cell holds what was sent, as a spreadsheet with its 15 significant digits gives it back."""
    columns = FieldColumns(field.name)
    if field.kind not in _ROUNDED_KINDS or not frame[columns.has_base].any():
        return pl.lit(value=False)
    rounded = pl.col(columns.base_sent).map_batches(rounded_to_15, return_dtype=dtype(field))
    return (pl.col(columns.proposed) == rounded).fill_null(value=False)


def _as_sent(frame: pl.DataFrame, columns: FieldColumns) -> pl.Expr:
    """Whether a cell that cannot be read is, as text, what was written out."""
    if frame[columns.problem].null_count() == len(frame):
        return pl.lit(value=False)
    raw, sent = (pl.col(c).map_batches(normal, return_dtype=pl.String) for c in (columns.raw_text, columns.sent_text))
    return (raw == sent).fill_null(value=False)


def compare(
    frame: pl.DataFrame,
    fields: Sequence[Field],
    finds: Callable[[str], pl.Expr],
    renames: Callable[[str], pl.Expr],
    treats: Callable[[str], bool],
) -> pl.DataFrame:
    """Add ``action`` of each field.

    Args:
        frame: has the merge base of the fields, ``proposed``, ``current``, ``@id`` and ``CREATES``.
        finds: field name → whether the row found its record by that field, so it never writes it.
        renames: field name → whether the field is a key that did not find the row's record; an edit of it is held.
        treats: field name → whether its lane makes other texts of the cells: none is as it went out by its text then.
    """
    if not fields:
        return frame

    def action_of(field: Field) -> pl.Expr:
        name = field.name
        as_sent = pl.lit(value=False) if treats(name) else _as_sent(frame, FieldColumns(name))
        return _action(frame, field, finds(name), renames(name), as_sent)

    plain = frame.select([_as_it_went_out(field) for field in fields])
    actions = []
    for field in fields:
        rows = plain[field.name]
        if _changes_lists(frame, field) or int(rows.sum()) * 2 < len(frame):
            actions.append(frame.select(action_of(field)).to_series())
            continue
        # Most cells stand as they went out: nothing happens to them, whatever their records hold now.
        expression = action_of(field)
        some = frame.lazy().filter(~rows).select(list(dict.fromkeys(expression.meta.root_names()))).collect()
        action = pl.repeat(CellAction.NOTHING, len(frame), dtype=pl.UInt8, eager=True)
        if len(some):
            action = action.scatter((~rows).arg_true(), some.select(expression).to_series())
        actions.append(action.alias(FieldColumns(field.name).action))
    return frame.hstack(actions)


def _as_it_went_out(field: Field) -> pl.Expr:
    """Cells that can be read and hold the value with which their record went out."""
    columns = FieldColumns(field.name)
    readable = pl.col(columns.has_base) & pl.col(columns.problem).is_null()
    return (readable & same(columns.proposed, columns.base_sent, field)).alias(field.name)


def _action(frame: pl.DataFrame, field: Field, finds: pl.Expr, renames: pl.Expr, as_sent: pl.Expr) -> pl.Expr:
    columns = FieldColumns(field.name)
    says, has_base, creates = pl.col(columns.cell_says), pl.col(columns.has_base), pl.col(CREATES)
    bad = pl.col(columns.problem).is_not_null()
    unedited = has_base & ~bad & (same(columns.proposed, columns.base_sent, field) | _is_rounded(frame, field))
    already = same(columns.proposed, columns.current, field)
    edited = (says != LEAVE) & ~unedited & ~already
    moved = has_base & ~same(columns.current, columns.base_app, field)
    changes = pl.lit(value=False)
    writes_list = pl.lit(value=False)
    if _changes_lists(frame, field):
        changes = says == CHANGE
        # What was done to the list that went out is not done again to what the application made of it since.
        sent = pl.col(columns.base_sent).fill_null(_NOTHING)
        writes_list = (~has_base | ~_relisted(field, columns.base_sent).eq(sent)) & ~already
    return (
        pl.when(bad & has_base & as_sent)
        .then(CellAction.NOTHING)
        .when(bad)
        .then(CellAction.BAD)
        .when(pl.col(IDENTIFIER).is_null() & ~creates)
        .then(CellAction.NOTHING)
        .when(changes & ~creates)
        .then(pl.when(writes_list).then(CellAction.WRITE).otherwise(CellAction.NOTHING))
        .when(creates)
        .then(pl.when(says == LEAVE).then(CellAction.NOTHING).otherwise(CellAction.WRITE))
        .when(finds)
        .then(CellAction.NOTHING)
        .when(edited & (moved | renames))
        .then(CellAction.HELD)
        .when(edited)
        .then(CellAction.WRITE)
        .otherwise(CellAction.NOTHING)
        .cast(pl.UInt8)
        .alias(columns.action)
    )


def changed_elsewhere(fields: Sequence[Field]) -> pl.Expr:
    """Whether the application changed any of the fields since the base of comparison."""
    moved = [
        pl.col(columns.has_base) & ~same(columns.current, columns.base_app, field)
        for field in fields
        for columns in (FieldColumns(field.name),)
    ]
    return pl.col(IDENTIFIER).is_not_null() & pl.any_horizontal(moved) if moved else pl.lit(value=False)
