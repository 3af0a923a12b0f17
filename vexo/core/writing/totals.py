"""Control totals: the same rows summed in the sheet, in the plan, and in the application before and after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

import polars as pl

from ..planning.frame import FieldColumns
from ..planning.verdicts import CellAction
from ..records import IDENTIFIER, Field

_LAND = ("create", "update", "same")


def total(values: pl.Series) -> str:
    """A sum to the last digit, as text."""
    return _as_text(values.drop_nulls().sum())


def _as_text(sum_: Any) -> str:
    return format(Decimal(str(sum_ or 0)), "f")


def planned_totals(plan: pl.DataFrame, fields: Sequence[Field]) -> dict[str, dict[str, str]]:
    """For each number field: ``sheet`` (all rows read), ``planned`` (rows to be written or same, as they will be) and
    ``before`` (the same records as they are)."""
    numbers = [field.name for field in fields if field.is_number]
    lands, sums = pl.col("verdict").is_in(_LAND), []
    for at, columns in enumerate(map(FieldColumns, numbers)):
        new, old = pl.col(columns.proposed), pl.col(columns.current)
        will = pl.when(pl.col(columns.action) == CellAction.WRITE).then(new).otherwise(old)
        parts = {"sheet": new, "planned": will.filter(lands), "before": old.filter(lands)}
        sums += [part.sum().alias(f"{name}.{at}") for name, part in parts.items()]
    told = plan.select(sums).row(0, named=True) if sums else {}
    return {
        name: {part: _as_text(told[f"{part}.{at}"]) for part in ("sheet", "planned", "before")}
        for at, name in enumerate(numbers)
    }


def after_totals(plan: pl.DataFrame, records: pl.DataFrame, fields: Sequence[Field]) -> dict[str, str]:
    """The same records after: ``records`` are those of the plan's rows (``@id`` of created ones filled in)."""
    land = plan.filter(pl.col("verdict").is_in(_LAND)).select(IDENTIFIER).drop_nulls()
    joined = land.join(records, on=IDENTIFIER, how="left", maintain_order="left")
    return {field.name: total(joined[field.name]) for field in fields if field.is_number}


def left_over(before: int, after: int, created: int, deleted: int, moved: int = 0) -> int:
    """Records that others made or took away: what before + created - deleted ± moved does not explain."""
    return after - (before + created - deleted + moved)


def as_texts(totals: Mapping[str, Any]) -> dict[str, str]:
    """Sums that an application gave, as exact texts."""
    return {name: _as_text(value) for name, value in totals.items()}
