"""A plan in figures: the sum, each column's changes, what is asked and how often."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

import polars as pl

from vexo.core.planning.frame import CHANGED_ELSEWHERE, VERDICT, FieldColumns
from vexo.core.planning.guards import Extent, FieldChanges, GuardCode, Raised, raised
from vexo.core.planning.verdicts import Answer, CellAction, RowState, Verdict, sum_of
from vexo.core.records import IDENTIFIER, VERSION, Field, RecordType
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import EXACT, exact_sum, is_empty, to_text
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
_COUNTED = pl.col(IDENTIFIER).is_not_null() & (pl.col(VERDICT) != Verdict.ASIDE)
_WRITES = pl.col(VERDICT).is_in([Verdict.CREATE.value, Verdict.UPDATE.value])


def with_reasons(states: pl.DataFrame) -> pl.LazyFrame:
    """Why each row is stopped, or not in: ``code``, ``field``, ``arguments`` of its first fault, and ``message``, the
    words of an application that refused it; null where nothing stops it.

    Args:
        states: ``faults``, and whatever else.
    """
    fault = pl.col("faults").list.first().struct
    code, arguments = fault.field("code"), fault.field("arguments")
    message = pl.when(code == "refused").then(arguments.list.get(0, null_on_oob=True))
    return states.lazy().with_columns(
        code.alias("code"),
        fault.field("field").fill_null("").alias("field"),
        arguments.alias("arguments"),
        pl.when(code.is_not_null()).then(message.fill_null("")).alias("message"),
    )


def reasons(states: pl.DataFrame, record_type: RecordType) -> list[Reason]:
    """Rows grouped by what stops them (or what an application said), most first.

    Args:
        states: ``row``, ``state`` and ``faults``; the first fault of a row is its reason.
    """
    grouped = (
        with_reasons(states)
        .filter(pl.col("code").is_not_null())
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
            line["field"],
            labels.get(line["field"], line["field"]),
            [argument or "" for argument in line["arguments"] or []],
            line["count"],
            line["first"],
        )
        for line in grouped.to_dicts()
    ]


def _updated(field: Field) -> pl.Expr:
    """Which cells of a field a plan writes to records that are there."""
    return (pl.col(FieldColumns(field.name).action) == CellAction.WRITE) & (pl.col(VERDICT) == Verdict.UPDATE)


def alike_columns(field: Field) -> list[str]:
    """The columns of a plan that ``alike`` looks at."""
    columns = FieldColumns(field.name)
    return [VERDICT, columns.action, columns.proposed]


def alike(plan: pl.DataFrame, field: Field) -> str | None:
    """The one value that all changed cells of a field get in records that are there, as a text; None where they get
    several, or none."""
    proposed = plan.select(pl.col(FieldColumns(field.name).proposed).filter(_updated(field))).to_series()
    if proposed.is_empty() or proposed.null_count() or proposed.n_unique() != 1:
        return None
    return str(to_text(field, proposed.head(1))[0])


def _counts(field: Field) -> dict[str, pl.Expr]:
    """What is counted of a column in all rows, by its name in the figures."""
    columns = FieldColumns(field.name)
    action, had = pl.col(columns.action), ~is_empty(columns.current, field)
    return {
        "held": action == CellAction.HELD,
        "unreadable": action == CellAction.BAD,
        "emptied": pl.col(columns.left_blank),
        "filled_before": pl.col(columns.kept_filled),
        "filled": _COUNTED & had,
    }


def _counts_of_writes(field: Field, meant: pl.Series) -> dict[str, pl.Expr]:
    """What is counted of a column in the rows that write.

    Args:
        meant: the rows whose cleared cells are meant.
    """
    columns = FieldColumns(field.name)
    written = pl.col(columns.action) == CellAction.WRITE
    cleared = written & ~is_empty(columns.current, field) & is_empty(columns.proposed, field)
    if len(meant):
        cleared &= ~pl.col(ROW_ID).is_in(meant.implode())
    return {"changed": written, "cleared": cleared, "updated": _updated(field)}


def _column(writes: pl.DataFrame, field: Field, two_way: bool, counted: Mapping[str, int]) -> ColumnFigures:
    """The figures of a column, of what was counted of it.

    Args:
        writes: the rows that write.
    """
    figures: dict[str, Any] = {"alike": alike(writes, field) if counted["updated"] else None, **counted}
    if field.is_number:
        columns = FieldColumns(field.name)
        written = writes.filter(pl.col(columns.action) == CellAction.WRITE)
        before, after = (exact_sum(written[name]) for name in (columns.current, columns.proposed))
        difference = EXACT.subtract(after, before)
        figures |= {"before": f"{before:f}", "after": f"{after:f}", "difference": f"{difference:f}"}
    return ColumnFigures(field=field.name, label=field.label, two_way=two_way, **figures)


def _check(plan: pl.DataFrame, name: str) -> Check:
    agrees = plan[FieldColumns(name).agrees]
    return Check(compared=len(agrees) - agrees.null_count(), agrees=int(agrees.sum() or 0), field=name)


def _figures(plan: pl.DataFrame, fields: Sequence[Field], two_way: set[str], basis: Basis) -> list[ColumnFigures]:
    wanted = {name for field in fields for name in FieldColumns(field.name).stored}
    writes = plan.select(ROW_ID, VERDICT, *[name for name in plan.columns if name in wanted]).filter(_WRITES)
    in_all = _counted(plan, [_counts(field) for field in fields])
    in_writes = _counted(writes, [_counts_of_writes(field, _meant_to_be_empty(basis, field)) for field in fields])
    return [
        _column(writes, field, field.name in two_way, of_all | of_writes)
        for field, of_all, of_writes in zip(fields, in_all, in_writes, strict=True)
    ]


def _counted(rows: pl.DataFrame, by_field: Sequence[Mapping[str, pl.Expr]]) -> list[dict[str, int]]:
    """How many rows meet each of these, of every field."""
    asked = [expr.sum().alias(f"{name}.{at}") for at, counts in enumerate(by_field) for name, expr in counts.items()]
    told = rows.select(asked).row(0, named=True) if asked else {}
    return [{name: told[f"{name}.{at}"] or 0 for name in counts} for at, counts in enumerate(by_field)]


def _meant_to_be_empty(basis: Basis, field: Field) -> pl.Series:
    """The rows of which a person was asked about a field that is cleared in many, and said that it is meant."""
    decisions = basis.decisions
    if decisions.is_empty():
        return decisions[ROW_ID]
    is_meant = (decisions["code"] == "emptied-many") & (decisions["answer"] == Answer.FILE)
    return decisions.filter(is_meant & (decisions["field"] == field.name))[ROW_ID]


def _totals(plan: pl.DataFrame, fields: Sequence[Field]) -> dict[str, PlannedTotals]:
    return {name: PlannedTotals(**sums) for name, sums in planned_totals(plan, fields).items()}


def _moved(total: str, before: str, after: str) -> str:
    """A sum over all rows in which what some of them say is another now."""
    others = EXACT.subtract(Decimal(total), Decimal(before))
    return format(EXACT.add(others, Decimal(after)) or Decimal(0), "f")


def _moved_column(
    old: ColumnFigures, before: ColumnFigures, after: ColumnFigures, now_alike: Callable[[str], str | None]
) -> ColumnFigures:
    """The figures of a column of which some rows are otherwise than before.

    Args:
        now_alike: gives the one value that all its changed cells get now.
    """
    counts = {
        name: getattr(old, name) - getattr(before, name) + getattr(after, name)
        for name in ("changed", "held", "unreadable", "emptied", "filled_before", "cleared", "filled", "updated")
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
        sums["difference"] = str(EXACT.subtract(Decimal(sums["after"]), Decimal(sums["before"])))
    moved = before.updated != after.updated or before.alike != after.alike or (before.updated and not before.alike)
    of_all = now_alike(old.field) if moved else old.alike
    return replace(old, **counts, **sums, alike=of_all)  # type: ignore[arg-type]


@dataclass(frozen=True)
class MovedFrom:
    """Beside the figures of a plan that is carried on: what the application counted for it, and columns of the new plan
    as a whole, asked for by name."""

    counts: Mapping[str, Any]
    whole: Callable[[list[str]], pl.DataFrame]


def moved_summary(
    old: PlanSummary,
    states: pl.DataFrame,
    before: pl.DataFrame,
    after: pl.DataFrame,
    basis: Basis,
    last: MovedFrom,
    damage: list[Damage],
) -> PlanSummary:
    """The figures of a plan that is another one but for some rows. Raises SumError where a row is not accounted for.

    Args:
        old: the figures of the other.
        states: ``verdict``, ``faults`` and what else ``states_of`` takes, of all rows.
        before: the rows that differ, as they were in the other plan, and ``after`` as they are in this.
        last: what is known of the other, and of this one as a whole.
    """
    record_type, settings = basis.context.record_type, basis.context.settings
    fields = [record_type.field(name) for name in settings.carried]
    two_way = {figures.field for figures in old.columns if figures.two_way}
    both = [_figures(rows, fields, two_way, basis) for rows in (before, after)]

    def now_alike(name: str) -> str | None:
        field = record_type.field(name)
        return alike(last.whole(alike_columns(field)), field)

    three_of_each = zip(old.columns, *both, strict=True)
    columns = [_moved_column(then, was, now, now_alike) for then, was, now in three_of_each]
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
        guards=_guards(verdicts, columns, basis, last.counts),
        elsewhere=old.elsewhere + int(after[CHANGED_ELSEWHERE].sum()) - int(before[CHANGED_ELSEWHERE].sum()),
        columns=columns,
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
    two_way = {f.name for f in fields if kept is not None and f.name not in known}
    columns = _figures(plan, fields, two_way, basis)
    return PlanSummary(
        rows=sheet.rows,
        blank_rows=context.profile.blank_rows,
        total_rows=len(context.profile.total_rows),
        verdicts=verdicts,
        elsewhere=int(plan[CHANGED_ELSEWHERE].sum()),
        known_rows=sheet.known_rows,
        columns=columns,
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
        # Damage is looked for in none to which something is done.
        patterns_not_read=[n for n in materials.counts.get("patterns_not_read", []) if not settings.lane(n).treatments],
        guards=_guards(verdicts, columns, basis, materials.counts, absent),
        absent=absent,
        warnings={one.name: one.warning for one in fields if one.warning} | _of_type(record_type),
    )


def _of_type(record_type: RecordType) -> dict[str, str]:
    return {"": record_type.warning} if record_type.warning else {}


def _guards(
    verdicts: Mapping[RowState, int],
    columns: Sequence[ColumnFigures],
    basis: Basis,
    counts: Mapping[str, Any],
    absent: AbsentSum | None = None,
) -> list[SetGuard]:
    """What is asked about the whole plan, and what is only said of it."""
    settings = basis.context.settings
    numbers = {name.value: count for name, count in verdicts.items()}
    deleted = absent.delete if absent is not None else 0
    # A value that a person said for every row is no surprise.
    fixed = {column.field for column in columns if settings.lane(column.field).fixed}
    fields = [
        FieldChanges(c.field, c.updated, c.cleared, c.filled, None if c.field in fixed else c.alike) for c in columns
    ]
    extent = Extent(numbers, settings.operation, counts.get("type", 0), deleted, fields)
    highest, labels = guards_answered(basis.context.trip), {column.field: column.label for column in columns}

    def answered(guard: Raised) -> bool:
        if guard.code == GuardCode.MAKES_SAME:
            return absent is not None and absent.confirmed
        return guard.count <= highest.get((guard.code, guard.field), 0)

    return [
        SetGuard(
            guard.code,
            guard.count,
            guard.of,
            answered(guard),
            guard.field,
            labels.get(guard.field, ""),
            guard.value,
            guard.asks,
        )
        for guard in raised(extent, settings.guards)
    ]
