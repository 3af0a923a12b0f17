"""Numbers that seem to have lost or got a decimal point: ten, a hundred or a thousand times what is there, or that part
of it. Rules: ``semantics.md`` 7.1."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import polars as pl

from ...records import Field
from ..frame import FieldColumns
from ..verdicts import CellAction

_POWERS = (10, 100, 1000)
_SLACK = 10
"""Give or take one part in so many."""


def hold_lost_points(frame: pl.DataFrame, fields: Sequence[Field], keys: Collection[str]) -> pl.DataFrame:
    """Hold such cells; ``lost_point`` tells which those are. What names a record is no number to be compared.

    Args:
        keys: fields of keys.
    """
    changes: list[pl.Expr] = []
    for field in fields:
        columns, action = FieldColumns(field.name), pl.col(FieldColumns(field.name).action)
        writes = frame[columns.action] == CellAction.WRITE
        if not field.is_number or field.name in keys or not writes.any():
            changes.append(pl.lit(value=False).alias(columns.lost_point))
            continue
        lost = (action == CellAction.WRITE) & _is_lost(columns)
        changes += [
            lost.fill_null(value=False).alias(columns.lost_point),
            pl.when(lost.fill_null(value=False))
            .then(CellAction.HELD)
            .otherwise(action)
            .cast(pl.UInt8)
            .alias(columns.action),
        ]
    return frame.with_columns(changes)


def _is_lost(columns: FieldColumns) -> pl.Expr:
    """Whether one of both values is about a power of ten times the other."""
    # To one part in ten a float is as good as a decimal, and cannot overflow.
    new, old = (pl.col(name).cast(pl.Float64) for name in (columns.proposed, columns.current))
    cases = []
    for power in _POWERS:
        for large, small in ((new, old), (old, new)):
            expected = small * power
            cases.append((small != 0) & ((large - expected).abs() * _SLACK <= expected.abs()))
    return pl.any_horizontal(cases)
