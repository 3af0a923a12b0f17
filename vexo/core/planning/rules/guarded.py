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
