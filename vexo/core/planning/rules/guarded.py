"""What guards of cells have in common."""

from __future__ import annotations

import polars as pl

from ...guards import GuardMode
from ..frame import FieldColumns
from ..verdicts import CellAction


def guarded(columns: FieldColumns, name: str, speaks: pl.Expr, mode: GuardMode) -> list[pl.Expr]:
    """The column ``name``, which tells of which cells a guard speaks, and those cells held where it holds them."""
    speaks = speaks.fill_null(value=False)
    action = pl.col(columns.action)
    held = [pl.when(speaks).then(CellAction.HELD).otherwise(action).cast(pl.UInt8).alias(columns.action)]
    return [speaks.alias(name), *(held if mode == GuardMode.HOLD else [])]


def guarded_writes(
    frame: pl.DataFrame, columns: FieldColumns, name: str, speaks: pl.Expr, mode: GuardMode
) -> list[pl.Expr]:
    """The same of cells that are written alone, which are few: ``speaks`` is judged on their ``proposed`` and
    ``current``."""
    written = (frame[columns.action] == CellAction.WRITE).arg_true()
    cells = frame.select(pl.col(columns.proposed, columns.current).gather(written))
    places = written.filter(cells.select(speaks.fill_null(value=False).alias(name))[name])
    spoken = pl.repeat(value=False, n=len(frame), dtype=pl.Boolean, eager=True)
    if places.is_empty():
        return [pl.lit(spoken).alias(name)]
    return guarded(columns, name, pl.lit(spoken.scatter(places, True)), mode)
