"""Numbers and days far outside of what the application holds in their field. Rules: ``semantics.md`` 7.2."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import polars as pl

from ...guards import GuardMode, GuardName
from ...records import Field
from ...spread import as_numbers
from ..frame import FieldColumns
from ..inputs import Inputs, Settings
from ..verdicts import CellAction
from .guarded import guarded_writes


def hold_far_out(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, fields: Sequence[Field], keys: Collection[str]
) -> pl.DataFrame:
    """Hold such cells; ``far_out`` tells which those are. One whose record is as far out already is none. One that is
    held for its decimal point is not asked twice; where that is only said, it is.

    Args:
        keys: fields of keys.
    """
    guards = settings.guards
    mode = guards.mode(GuardName.FAR_OUT)
    ranges, least = (float(guards.limit(GuardName.FAR_OUT, name)) for name in ("ranges", "values"))
    changes: list[pl.Expr] = []
    for field in fields:
        columns, spread = FieldColumns(field.name), inputs.spreads.get(field.name)
        writes = frame[columns.action] == CellAction.WRITE
        if mode == GuardMode.OFF or spread is None or field.name in keys or not writes.any():
            changes.append(pl.lit(value=False).alias(columns.far_out))
            continue
        low, high = spread.fences(field, ranges, int(least))
        new, old = (as_numbers(pl.col(name), field) for name in (columns.proposed, columns.current))
        beyond = ((new < low) & ~(old < low).fill_null(value=False)) | (
            (new > high) & ~(old > high).fill_null(value=False)
        )
        changes += guarded_writes(frame, columns, columns.far_out, beyond, mode)
    return frame.with_columns(changes)
