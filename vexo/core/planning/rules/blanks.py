"""Blank cells: what was emptied in the sheet, what a lane's rule makes of it, and what is only filled where empty.

Rules: ``semantics.md`` 2.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ...columns.lanes import Blank
from ...columns.marks import BLANK_CLEARS, BLANK_DEFAULT, CLEAR, KEEP, LEAVE, VALUE
from ...guards import GuardMode, GuardName
from ...problems import Case
from ...records import IDENTIFIER, Field
from ...sheets.sheet import ROW_ID
from ...values import dtype, is_empty
from ..decisions import answered, find_faults
from ..frame import CREATES, INCLUDED, FieldColumns
from ..inputs import Settings
from ..verdicts import Answer, CellAction
from .guarded import guarded
from .texts import as_texts


def _emptied(field: Field) -> Case:
    """Cells that had a value when they went out, and are blank now."""
    columns = FieldColumns(field.name)
    emptied = pl.col(columns.has_base) & (pl.col(columns.cell_says) == LEAVE) & ~is_empty(columns.base_sent, field)
    seen = (pl.col(IDENTIFIER), *as_texts(field, columns.base_sent))
    return Case("emptied", emptied & pl.col(IDENTIFIER).is_not_null(), field.name, seen=seen)


def resolve_blanks(
    frame: pl.DataFrame, fields: Sequence[Field], decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """What blank cells say, by the rules of their lanes and by people's answers.

    Args:
        frame: has the merge base of the fields, ``@id`` and ``CREATES``.

    Returns:
        the frame, in which ``cell_says`` is leave, value, clear or change, with ``left_blank`` and ``cleared_by_rule``
        beside it; and the questions about emptied cells that have no answer. They stop no row.
    """
    open_, answers = answered(find_faults(frame, [_emptied(field) for field in fields]), decisions)
    cleared = answers.filter(pl.col("answer") == Answer.CLEAR)
    resolved = [
        column for field in fields for column in _resolve(field, _rows_of(open_, field), _rows_of(cleared, field))
    ]
    return frame.with_columns(resolved), open_


def _rows_of(questions: pl.DataFrame, field: Field) -> pl.Series:
    rows = questions[ROW_ID]
    return rows if rows.is_empty() else rows.filter(questions["field"] == field.name)


def _resolve(field: Field, asked: pl.Series, cleared: pl.Series) -> list[pl.Expr]:
    columns = FieldColumns(field.name)
    says, creates = pl.col(columns.cell_says), pl.col(CREATES)
    ruled = (says == BLANK_CLEARS) & ~creates
    resolved = (
        pl.when(ruled | pl.col(ROW_ID).is_in(cleared.implode()))
        .then(CLEAR)
        .when((says == BLANK_DEFAULT) & creates)
        .then(VALUE)
        .when(says.is_in([KEEP, BLANK_CLEARS, BLANK_DEFAULT]))
        .then(LEAVE)
        .otherwise(says)
    )
    unused = (says == BLANK_DEFAULT) & ~creates
    value = pl.when(unused).then(pl.lit(None, dtype=dtype(field))).otherwise(pl.col(columns.value))
    return [
        pl.col(ROW_ID).is_in(asked.implode()).alias(columns.left_blank),
        ruled.alias(columns.cleared_by_rule),
        value.alias(columns.value),
        resolved.cast(pl.UInt8).alias(columns.cell_says),
    ]


def keep_filled(frame: pl.DataFrame, fields: Sequence[Field], settings: Settings) -> pl.DataFrame:
    """Where only empty fields are filled, cells of filled ones are left; of a field that is set only when a record is
    made, those of all that are there. ``kept_filled`` tells which would have done something."""
    changes: list[pl.Expr] = []
    for field in fields:
        columns, action = FieldColumns(field.name), pl.col(FieldColumns(field.name).action)
        if not settings.lane(field.name).only_empty and not field.create_only:
            changes.append(pl.lit(value=False).alias(columns.kept_filled))
            continue
        occupied = pl.col(IDENTIFIER).is_not_null()
        if not field.create_only:
            occupied = occupied & ~is_empty(columns.current, field)
        left = occupied & action.is_in([CellAction.WRITE, CellAction.HELD])
        changes += [
            left.alias(columns.kept_filled),
            pl.when(left).then(CellAction.NOTHING).otherwise(action).cast(pl.UInt8).alias(columns.action),
        ]
    return frame.with_columns(changes)


def hold_many(frame: pl.DataFrame, fields: Sequence[Field], settings: Settings) -> pl.DataFrame:
    """Hold the cells that a rule clears where they are more than a share of the column's values now; ``over_limit``
    tells which those are. Rows that are left out do not count."""
    mode = settings.guards.mode(GuardName.FIELD_EMPTIED)
    share = float(settings.guards.limit(GuardName.FIELD_EMPTIED, "share")) / 100
    changes: list[pl.Expr] = []
    for field in fields:
        columns, action = FieldColumns(field.name), pl.col(FieldColumns(field.name).action)
        if mode == GuardMode.OFF or settings.lane(field.name).blank != Blank.CLEAR:
            changes.append(pl.lit(value=False).alias(columns.over_limit))
            continue
        included = pl.col(INCLUDED)
        clears = (
            included
            & pl.col(columns.cleared_by_rule)
            & (action == CellAction.WRITE)
            & is_empty(columns.proposed, field)
        )
        filled = included & pl.col(IDENTIFIER).is_not_null() & ~is_empty(columns.current, field)
        changes += guarded(columns, columns.over_limit, clears & (clears.sum() > pl.lit(share) * filled.sum()), mode)
    return frame.with_columns(changes)
