"""A plan in figures: the sum, each column's changes, what is asked and how often."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

import polars as pl

from vexo.core.planning.frame import CHANGED_ELSEWHERE, VERDICT, FieldColumns
from vexo.core.planning.guards import GuardCode, raised
from vexo.core.planning.verdicts import CellAction, RowState, Verdict, sum_of
from vexo.core.records import VERSION, Field, RecordType
from vexo.core.sheets.sheet import ROW
from vexo.core.writing.ledger import states_of
from vexo.core.writing.totals import planned_totals

from ..trips.facts.plans import (
    AbsentSum,
    Check,
    ColumnFigures,
    Damage,
    PlannedTotals,
    PlanSummary,
    Reason,
    SetGuard,
)
from .basis import Basis, guards_answered
from .materials import Materials

_MOST_REASONS = 200
"""Groups of rows that are told apart by what the application said: more are not a list to work through."""


def _total(values: pl.Series) -> Decimal:
    return Decimal(str(values.sum() or 0))


def reasons(states: pl.DataFrame, record_type: RecordType) -> list[Reason]:
    """Rows grouped by what stops them (or what an application said), most first.

    Args:
        states: ``row``, ``state`` and ``faults``; the first fault of a row is its reason.
    """
    first_faults = (
        states.lazy()
        .filter(pl.col("faults").list.len() > 0)
        .select(ROW, "state", pl.col("faults").list.first().alias("fault"))
        .unnest("fault")
    )
    message = pl.when(pl.col("code") == "refused").then(pl.col("arguments").list.get(0, null_on_oob=True))
    grouped = (
        first_faults.with_columns(message.fill_null("").alias("message"))
        .group_by("state", "code", "field", "message", maintain_order=True)
        .agg(pl.len().alias("count"), pl.col(ROW).first().alias("first"), pl.col("arguments").first())
        .sort("count", descending=True, maintain_order=True)
        .head(_MOST_REASONS)
        .collect()
    )
    labels = {field.name: field.label for field in record_type.fields}
    return [
        Reason(
            RowState(line["state"]),
            line["code"],
            line["field"] or "",
            labels.get(line["field"] or "", line["field"] or ""),
            [argument or "" for argument in line["arguments"] or []],
            line["count"],
            line["first"],
        )
        for line in grouped.to_dicts()
    ]


def _column(plan: pl.DataFrame, field: Field, two_way: bool) -> ColumnFigures:
    columns = FieldColumns(field.name)
    action = plan[columns.action]
    changed = (action == CellAction.WRITE) & plan[VERDICT].is_in([Verdict.CREATE, Verdict.UPDATE])
    sums: dict[str, str] = {}
    if field.is_number:
        after, before = (_total(plan[column].filter(changed)) for column in (columns.proposed, columns.current))
        sums = {"before": str(before), "after": str(after), "difference": str(after - before)}
    return ColumnFigures(
        field=field.name,
        label=field.label,
        changed=int(changed.sum()),
        held=int((action == CellAction.HELD).sum()),
        unreadable=int((action == CellAction.BAD).sum()),
        emptied=int(plan[columns.left_blank].sum()),
        filled_before=int(plan[columns.kept_filled].sum()),
        two_way=two_way,
        **sums,
    )


def _check(plan: pl.DataFrame, name: str) -> Check:
    agrees = plan[FieldColumns(name).agrees]
    return Check(compared=len(agrees) - agrees.null_count(), agrees=int(agrees.sum() or 0), field=name)


def _figures(plan: pl.DataFrame, fields: Sequence[Field], two_way: set[str]) -> list[ColumnFigures]:
    return [_column(plan, field, field.name in two_way) for field in fields]


def _totals(plan: pl.DataFrame, fields: Sequence[Field]) -> dict[str, PlannedTotals]:
    return {name: PlannedTotals(**sums) for name, sums in planned_totals(plan, fields).items()}


def _moved(total: str, before: str, after: str) -> str:
    """A sum over all rows in which what some of them say is another now."""
    return format(Decimal(total) - Decimal(before) + Decimal(after) or Decimal(0), "f")


def _moved_column(old: ColumnFigures, before: ColumnFigures, after: ColumnFigures) -> ColumnFigures:
    counts = {
        name: getattr(old, name) - getattr(before, name) + getattr(after, name)
        for name in ("changed", "held", "unreadable", "emptied", "filled_before")
    }
    sums: dict[str, str] = {}
    if old.before is not None and old.after is not None:
        assert before.before is not None
        assert before.after is not None
        assert after.before is not None
        assert after.after is not None
        sums = {
            "before": _moved(old.before, before.before, after.before),
            "after": _moved(old.after, before.after, after.after),
        }
        sums["difference"] = str(Decimal(sums["after"]) - Decimal(sums["before"]))
    return replace(old, **counts, **sums)  # type: ignore[arg-type]


def moved_summary(
    old: PlanSummary,
    states: pl.DataFrame,
    before: pl.DataFrame,
    after: pl.DataFrame,
    basis: Basis,
    counts: Mapping[str, Any],
    damage: list[Damage],
) -> PlanSummary:
    """The figures of a plan that is another one but for some rows. Raises SumError where a row is not accounted for.

    Args:
        old: the figures of the other.
        states: ``verdict``, ``faults`` and what else ``states_of`` takes, of all rows.
        before: the rows that differ, as they were in the other plan, and ``after`` as they are in this.
        counts: what the application counted for the other.
    """
    record_type, settings = basis.context.record_type, basis.context.settings
    fields = [record_type.field(name) for name in settings.carried]
    two_way = {figures.field for figures in old.columns if figures.two_way}
    columns = zip(old.columns, _figures(before, fields, two_way), _figures(after, fields, two_way), strict=True)
    sums = _totals(before, fields), _totals(after, fields)
    checks = [
        Check(
            compared=check.compared - _check(before, check.field).compared + _check(after, check.field).compared,
            agrees=check.agrees - _check(before, check.field).agrees + _check(after, check.field).agrees,
            field=check.field,
        )
        for check in old.checks
    ]
    verdicts = {RowState(name): count for name, count in sum_of(states[VERDICT], basis.context.sheet.rows).items()}
    return replace(
        old,
        verdicts=verdicts,
        guards=_guards(verdicts, basis, counts),
        elsewhere=old.elsewhere + int(after[CHANGED_ELSEWHERE].sum()) - int(before[CHANGED_ELSEWHERE].sum()),
        columns=[_moved_column(*three) for three in columns],
        checks=checks,
        reasons=reasons(states_of(states, None), record_type),
        totals={
            name: PlannedTotals(
                _moved(total.sheet, sums[0][name].sheet, sums[1][name].sheet),
                _moved(total.planned, sums[0][name].planned, sums[1][name].planned),
                _moved(total.before, sums[0][name].before, sums[1][name].before),
            )
            for name, total in old.totals.items()
        },
        damage=damage,
        weak=old.weak or _unversioned(after),
    )


def _unversioned(plan: pl.DataFrame) -> bool:
    """Whether a record is to be changed or deleted that came without a version."""
    changes = plan[VERDICT].is_in([Verdict.UPDATE, Verdict.DELETE])
    return bool((changes & plan[VERSION].is_null()).any())


def summary_of(
    plan: pl.DataFrame,
    basis: Basis,
    materials: Materials,
    *,
    pointed: dict[str, int],
    pointed_renames: dict[str, int],
    damage: list[Damage],
    absent: AbsentSum | None = None,
) -> PlanSummary:
    """The plan in figures. Raises SumError where a row is not accounted for."""
    context, kept = basis.context, basis.kept
    sheet, record_type, settings = context.sheet, context.record_type, context.settings
    known = {*(kept.columns if kept is not None else ()), *basis.ledger.bases}
    fields = [record_type.field(name) for name in settings.carried]
    promises = context.catalogue.promises
    verdicts = {RowState(name): count for name, count in sum_of(plan[VERDICT], sheet.rows).items()}
    return PlanSummary(
        rows=sheet.rows,
        blank_rows=context.profile.blank_rows,
        total_rows=len(context.profile.total_rows),
        verdicts=verdicts,
        elsewhere=int(plan[CHANGED_ELSEWHERE].sum()),
        known_rows=sheet.known_rows,
        columns=_figures(plan, fields, {f.name for f in fields if kept is not None and f.name not in known}),
        checks=[_check(plan, name) for name in settings.checks],
        key=list(settings.key),
        reasons=reasons(states_of(plan, None), record_type),
        totals=_totals(plan, fields),
        weak=_unversioned(plan) or (absent is not None and absent.weak),
        most_atomic=promises.atomic_batch,
        pointed=pointed,
        pointed_renames=pointed_renames,
        damage=damage,
        keys_not_read=materials.counts.get("keys_not_read", 0),
        guards=_guards(verdicts, basis, materials.counts, absent),
        absent=absent,
    )


def _guards(
    verdicts: Mapping[RowState, int], basis: Basis, counts: Mapping[str, Any], absent: AbsentSum | None = None
) -> list[SetGuard]:
    """What is asked about the whole plan."""
    said = guards_answered(basis.context.trip)
    numbers = {name.value: count for name, count in verdicts.items()}
    deleted = absent.delete if absent is not None else 0
    asks = raised(numbers, basis.context.settings.operation, counts.get("type", 0), deleted)
    confirmed = {GuardCode.MAKES_SAME: absent is not None and absent.confirmed}
    return [
        SetGuard(guard.code, guard.count, guard.of, confirmed.get(guard.code, guard.count <= said.get(guard.code, 0)))
        for guard in asks
    ]
