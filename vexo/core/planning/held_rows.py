"""Rows of a plan that are held for what was found once it was made."""

from __future__ import annotations

import polars as pl

from ..problems import FAULT
from ..sheets.sheet import ROW_ID
from .frame import FAULTS, VERDICT
from .verdicts import GOING, Verdict


def held_with(plan: pl.DataFrame, faults: pl.DataFrame) -> pl.DataFrame:
    """The plan with these faults on its rows; those that would have gone are held, and those that are held already have
    more to answer.

    Args:
        faults: as ``decisions.find_faults`` gives them.
    """
    if faults.is_empty():
        return plan
    lists = faults.group_by(ROW_ID, maintain_order=True).agg(
        pl.struct("code", "field", "arguments").cast(FAULT).alias("more")
    )
    beside = plan.select(ROW_ID, FAULTS, VERDICT).join(lists, on=ROW_ID, how="left", maintain_order="left")
    is_told = beside["more"].is_not_null() & beside[VERDICT].is_in([*GOING, Verdict.HELD])
    rows = beside.select(
        pl.when(is_told).then(pl.concat_list(FAULTS, "more")).otherwise(FAULTS).alias(FAULTS),
        pl.when(is_told).then(pl.lit(Verdict.HELD.value)).otherwise(VERDICT).alias(VERDICT),
    )
    return plan.with_columns(rows[FAULTS], rows[VERDICT])
