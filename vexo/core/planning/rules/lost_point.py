"""Numbers that seem to have lost or got a decimal point: ten, a hundred or a thousand times what is there, or that part
of it. Rules: ``semantics.md`` 7.1."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import polars as pl

from ...guards import GuardMode, GuardName
from ...records import Field
from ..frame import FieldColumns
from ..inputs import Settings
from ..verdicts import CellAction
from .guarded import guarded_writes

_POWERS = (10, 100, 1000)


def hold_lost_points(
    frame: pl.DataFrame, settings: Settings, fields: Sequence[Field], keys: Collection[str]
) -> pl.DataFrame:
    """Hold such cells; ``lost_point`` tells which those are. What names a record is no number to be compared.

    Args:
        keys: fields of keys.
    """
    mode = settings.guards.mode(GuardName.LOST_POINT)
    within = float(settings.guards.limit(GuardName.LOST_POINT, "within")) / 100
    changes: list[pl.Expr] = []
    for field in fields:
        columns = FieldColumns(field.name)
        writes = frame[columns.action] == CellAction.WRITE
        if mode == GuardMode.OFF or not field.is_number or field.name in keys or not writes.any():
            changes.append(pl.lit(value=False).alias(columns.lost_point))
            continue
        changes += guarded_writes(frame, columns, columns.lost_point, _is_lost(columns, within), mode)
    return frame.with_columns(changes)


def _is_lost(columns: FieldColumns, within: float) -> pl.Expr:
    """Whether one of both values is about a power of ten times the other."""
    # To one part in ten a float is as good as a decimal, and cannot overflow.
    new, old = (pl.col(name).cast(pl.Float64) for name in (columns.proposed, columns.current))
    cases = []
    for power in _POWERS:
        for large, small in ((new, old), (old, new)):
            expected = small * power
            # The least that a float can tell is added: a tenth of a tenth is none in binary.
            cases.append((small != 0) & ((large - expected).abs() <= expected.abs() * (within + 1e-12)))
    return pl.any_horizontal(cases)
