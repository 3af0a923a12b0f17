"""Control totals: the same rows summed in the sheet, in the plan, and in the application before and after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

import polars as pl

from ..planning.frame import FieldColumns
from ..planning.verdicts import CellAction
from ..records import IDENTIFIER, Field
from ..values import EXACT, exact_sum

_LAND = ("create", "update", "same")


def total(values: pl.Series) -> str:
    """A sum to the last digit, as text."""
    return _as_text(exact_sum(values))


def _as_text(sum_: Any) -> str:
    return format(Decimal(str(sum_ or 0)), "f")


def planned_totals(plan: pl.DataFrame, fields: Sequence[Field]) -> dict[str, dict[str, str]]:
    """For each number field: ``sheet`` (all rows read), ``planned`` (rows to be written or same, as they will be) and
    ``before`` (the same records as they are)."""
    lands, totals = plan["verdict"].is_in(_LAND), {}
    for field in fields:
        if not field.is_number:
            continue
        columns = FieldColumns(field.name)
        new, old = plan[columns.proposed], plan[columns.current]
        written = lands & (plan[columns.action] == CellAction.WRITE)
        before = exact_sum(old if lands.all() else old.filter(lands))
        # What is not written stays what it is.
        stays = EXACT.subtract(before, exact_sum(old.filter(written)))
        planned = EXACT.add(stays, exact_sum(new.filter(written)))
        sums = {"sheet": exact_sum(new), "planned": planned, "before": before}
        totals[field.name] = {name: _as_text(sum_) for name, sum_ in sums.items()}
    return totals


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
