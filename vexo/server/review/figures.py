"""A plan in figures: the sum, each column's changes, what is asked and how often."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import polars as pl

from vexo.core.planning.blanks import emptied_column, filled_column
from vexo.core.planning.comparing import do_column, new_column, old_column
from vexo.core.planning.holding import checked_column
from vexo.core.planning.pairs import Ledger
from vexo.core.planning.verdicts import Do, sum_of
from vexo.core.records import RecordType
from vexo.core.sheets.sheet import ROW
from vexo.core.writing.ledger import states_of
from vexo.core.writing.totals import planned_totals

from .plans import Reviewed

_MOST = 200


def _total(values: pl.Series) -> Decimal:
    return Decimal(str(values.sum() or 0))


def reasons(states: pl.DataFrame, record_type: RecordType) -> list[dict[str, Any]]:
    """Rows grouped by what stops them (or what an application said), most first.

    Args:
        states: ``row``, ``state`` and ``faults``; the first fault of a row is its reason.
    """
    told = states.filter(pl.col("faults").list.len() > 0).select(
        ROW, "state", pl.col("faults").list.first().alias("fault")
    )
    told = told.unnest("fault")
    message = pl.when(pl.col("code") == "refused").then(pl.col("arguments").list.get(0, null_on_oob=True))
    grouped = (
        told.with_columns(message.fill_null("").alias("message"))
        .group_by("state", "code", "field", "message", maintain_order=True)
        .agg(pl.len().alias("count"), pl.col(ROW).first().alias("first"), pl.col("arguments").first())
        .sort("count", descending=True, maintain_order=True)
        .head(_MOST)
    )
    labels = {field.name: field.label for field in record_type.fields}
    return [
        {**line, "label": labels.get(line["field"] or "", line["field"] or ""), "field": line["field"] or ""}
        for line in grouped.drop("message").to_dicts()
    ]


def _column(plan: pl.DataFrame, planned: Reviewed, name: str, two_way: bool) -> dict[str, Any]:
    field = planned.record_type.field(name)
    changed = plan.filter((pl.col(do_column(name)) == Do.WRITE) & pl.col("verdict").is_in(["create", "update"]))
    made: dict[str, Any] = {
        "field": name,
        "label": field.label,
        "changed": len(changed),
        "held": int((plan[do_column(name)] == Do.HELD).sum()),
        "unreadable": int((plan[do_column(name)] == Do.BAD).sum()),
        "emptied": int(plan[emptied_column(name)].sum()),
        "filled_before": int(plan[filled_column(name)].sum()),
        "two_way": two_way,
    }
    if field.is_number:
        after, before = _total(changed[new_column(name)]), _total(changed[old_column(name)])
        made |= {"before": str(before), "after": str(after), "difference": str(after - before)}
    return made


def _check(plan: pl.DataFrame, name: str) -> dict[str, Any]:
    agrees = plan[checked_column(name)]
    return {"field": name, "compared": len(agrees) - agrees.null_count(), "agrees": int(agrees.sum() or 0)}


def figures(plan: pl.DataFrame, planned: Reviewed, kept: pl.DataFrame | None, ledger: Ledger) -> dict[str, Any]:
    """The plan in figures. Raises SumError where a row is not accounted for."""
    known = {*(kept.columns if kept is not None else ()), *ledger.pairs}
    names = planned.settings.carried
    fields = [planned.record_type.field(name) for name in names]
    promises = planned.catalogue.promises
    return {
        "rows": planned.sheet.rows,
        "blank_rows": planned.profile.blank_rows,
        "total_rows": len(planned.profile.total_rows),
        "verdicts": sum_of(plan["verdict"], planned.sheet.rows),
        "elsewhere": int(plan["elsewhere"].sum()),
        "known_rows": planned.sheet.known_rows,
        "columns": [_column(plan, planned, name, kept is not None and name not in known) for name in names],
        "checks": [_check(plan, name) for name in planned.settings.checks],
        "key": list(planned.settings.key),
        "reasons": reasons(states_of(plan, None), planned.record_type),
        "totals": planned_totals(plan, fields),
        "weak": not promises.conditional_writes,
        "most_atomic": promises.atomic_batch,
    }
