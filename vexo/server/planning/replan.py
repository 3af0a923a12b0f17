"""Only what is touched is planned again: the rows of an answer or an edit, or whose values another lane makes others,
and those that share their records."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace
from functools import partial

import polars as pl

from vexo.core.columns.carried_columns import CarriedColumns
from vexo.core.keys.record_keys import key_values, row_keys
from vexo.core.new_records import any_new, self_references
from vexo.core.operations import Operation
from vexo.core.planning.damaged import hold_damaged
from vexo.core.planning.denied import reject_denied
from vexo.core.planning.frame import EARLIER_RESULT, FAULTS, VERDICT
from vexo.core.planning.merge_base import Ledger
from vexo.core.planning.partial import (
    asks_whole_columns,
    leaves_others_alone,
    records_needed,
    rows_together,
    writes_unique,
)
from vexo.core.planning.plan import make_plan
from vexo.core.planning.pointed import hold_pointed, none_refer, refers_within
from vexo.core.planning.rules.lost_keys import SETTLED_CODES
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.row_filter import excluded_rows
from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import artifacts
from ..artifacts import ArtifactLost
from ..trips.facts import from_json
from ..trips.facts.plans import Damage, PlanSummary
from ..trips.sheets import kept_paths, ledger_of
from . import damage
from .basis import Basis, answers_decided
from .context import PlanContext
from .figures import MovedFrom, moved_summary
from .incremental import LastPlan, retyped, typed_anew
from .known_texts import all_texts
from .materials import reading_for
from .models import Plan
from .reach import reach_of
from .spreads import spreads_of
from .stored_plans import MADE_WITH, MadePlan

_MOST_ROWS = 5_000
"""Rows up to which they are planned by themselves: with more, most groups of rows of a long sheet are read anyway."""


@dataclass(frozen=True)
class _Rows:
    """The rows that are planned again: their places in the plan, and their values as they are now; ``typed`` where
    these are others than the plan's."""

    places: pl.Series
    values: pl.DataFrame
    typed: bool


def replan(basis: Basis, last: LastPlan) -> MadePlan | None:
    """The last plan with only those rows planned again that an answer, an edit or another lane since then touches; None
    where that could say something about others, or about none of them for certain."""
    if not _can_be_in_part(basis, last):
        return None
    try:
        return _replan(basis, last)
    except ArtifactLost:
        return None


def _can_be_in_part(basis: Basis, last: LastPlan) -> bool:
    context, plan = basis.context, last.plan
    return (
        plan.counted_decisions is not None
        and plan.made_with == MADE_WITH
        and plan.operation == context.settings.operation
        and plan.carried == list(context.settings.carried)
        and plan.row_filter == context.trip.row_filter
        # Whether a row was copied depends on the row that it was copied from.
        and "copied" not in basis.decisions["code"]
        # Its columns are numbers or texts by all of their cells.
        and (not _condition(context) or list(plan.edits) == list(context.edits))
        and not asks_whole_columns(context.settings)
        and last.relaned.treated
        and not _refers_to_rows(context, plan.values_path)
        and not (context.trip.takes_back_id and refers_within(_referrers(plan)))
        and (not plan.damage_path or artifacts.there(plan.damage_path))
        and (not context.sheet.recognised or len(kept_paths(context.trip, context.sheet.part)) == 1)
    )


def _referrers(plan: Plan) -> pl.DataFrame:
    """What points to records of a plan that takes back."""
    return artifacts.read(plan.pointed_path) if plan.pointed_path else none_refer()


def _refers_to_rows(context: PlanContext, values_path: str) -> bool:
    """Whether any row refers to the record of another, so that what becomes of that one says what becomes of it."""
    fields = self_references(context.record_type, context.settings.carried)
    names = [CarriedColumns(field.name).value for field in fields]
    return any(any_new(artifacts.read(values_path, [name])[name]) for name in names)


def _condition(context: PlanContext) -> str:
    """The condition on the sheet's own columns, if only some rows are carried."""
    return str(context.trip.row_filter.get("condition", "")).strip()


def _excluded(before: pl.DataFrame) -> pl.DataFrame:
    """Of rows of a plan those that its condition left out, or a person: as its faults say."""
    codes = before[FAULTS].list.eval(pl.element().struct.field("code"))
    by_hand = codes.list.contains("left-out").fill_null(value=False)
    out = by_hand | codes.list.contains("not-meant").fill_null(value=False)
    return pl.DataFrame([before[ROW_ID], by_hand.alias("by_hand")]).filter(out)


def _by_lost_keys(decisions: pl.DataFrame, rows: pl.Series) -> bool:
    """Whether any of these rows has an answer about a key that found no record: what it is near to depends on all
    records of its type, and on which of them other rows find."""
    settled_rows = decisions.filter(pl.col("code").is_in(SETTLED_CODES))[ROW_ID]
    return bool(rows.is_in(settled_rows.implode()).any())


def _has_lost_keys(plan: pl.DataFrame) -> bool:
    """Whether any of these rows of a plan is asked such a thing."""
    codes = plan[FAULTS].explode().struct.field("code")
    return bool(codes.is_in(SETTLED_CODES).any())


def _replan(basis: Basis, last: LastPlan) -> MadePlan | None:
    context, plan, trip = basis.context, last.plan, basis.context.trip
    index = artifacts.read(plan.path, [ROW_ID, IDENTIFIER])
    rows = _rows(basis, last, index)
    if rows is None:
        return None
    before = artifacts.read_rows(plan.path, rows.places)
    if _has_lost_keys(before):
        return None
    excluded = _excluded(before) if _condition(context) else excluded_rows(before.select(ROW_ID), [], trip.row_filter)
    ledger = ledger_of(basis.ledger_pages, before[ROW_ID])
    now, kept = _records(basis, last, rows, before, ledger)
    inputs = basis.inputs(rows.values, now, kept, excluded, index[ROW_ID], ledger)
    inputs = replace(inputs, reach=reach_of(basis, plan.counts), spreads=spreads_of(plan.counts))
    planned = make_plan(inputs, context.settings)
    after, questions = planned.plan, planned.questions
    if after.schema != before.schema or not leaves_others_alone(before, after):
        return None
    if any(writes_unique(rows_, context.settings, context.record_type) for rows_ in (before, after)):
        return None
    damage_found = _damage(basis, last, rows, after)
    if damage_found is None:
        return None
    damage_path, damaged = damage_found
    if damage_path:
        cells = artifacts.read(damage_path)
        columns, guards = context.carried_columns, context.settings.guards
        after, questions = hold_damaged(after, questions, cells, basis.decisions, columns, guards)
    after = reject_denied(after, context.settings.deny)
    if inputs.takes_back and context.settings.operation == Operation.DELETE:
        after, questions = hold_pointed(after, questions, basis.decisions, _referrers(plan))
    fresh = uuid.uuid4().hex
    path = artifacts.patch(plan.path, after, rows.places, artifacts.named(trip.pk, "plan", fresh))
    values_path = plan.values_path
    if rows.typed:
        place = artifacts.named(trip.pk, "values", fresh)
        values_path = artifacts.patch(values_path, rows.values, rows.places, place)
    former = artifacts.read(plan.questions_path)
    others = former.filter(~former[ROW_ID].is_in(after[ROW_ID].implode()))
    questions_path = artifacts.write(pl.concat([others, questions]), artifacts.named(trip.pk, "questions", fresh))
    states = artifacts.read(path, [ROW_ID, ROW, VERDICT, FAULTS, IDENTIFIER, EARLIER_RESULT])
    summary, whole = from_json(plan.summary, PlanSummary), partial(artifacts.read, path)
    return MadePlan(
        path=path,
        questions_path=questions_path,
        values_path=values_path,
        records_path=plan.records_path,
        damage_path=damage_path,
        pointed_path=plan.pointed_path,
        counts=plan.counts,
        summary=moved_summary(summary, states, before, after, basis, MovedFrom(plan.counts, whole), damaged),
    )


def _rows(basis: Basis, last: LastPlan, index: pl.DataFrame) -> _Rows | None:
    """The rows that are touched, with those that share their records; None where they are too many."""
    context, plan = basis.context, last.plan
    since = set(plan.counted_decisions or []) ^ set(basis.decision_numbers)
    decided, reading = answers_decided(context.trip, since), reading_for(context)
    fresh = retyped(context, last.relaned, reading) if last.relaned.matches else None
    touched = pl.concat([decided[ROW_ID], last.edited.rows, *_valued_anew(fresh, last, index[ROW_ID])])
    if _by_lost_keys(pl.concat([decided, basis.decisions]), touched):
        return None
    places = index[ROW_ID].is_in(touched.implode()).arg_true()
    if not 0 < len(places) <= _MOST_ROWS:
        return None
    names = [
        name
        for field in context.settings.key
        for name in (
            CarriedColumns(field).value,
            CarriedColumns(field).cell_says,
            CarriedColumns(field).problem,
        )
    ]

    def keys(at: pl.Series) -> pl.DataFrame:
        values = artifacts.read(plan.values_path, names)[at]
        return row_keys(values, context.settings.key, context.record_type, context.settings.ignores)

    places = rows_together(index[IDENTIFIER], places, keys)
    if len(places) > _MOST_ROWS:
        return None
    values = artifacts.read_rows(plan.values_path, places)
    edited = bool(len(last.edited.rows) and last.edited.matches)
    if edited:
        cells = artifacts.read_rows(context.cells_path, places)
        values = typed_anew(context, values, cells, last.edited, reading)
    if fresh is not None:
        values = values.with_columns(fresh[places].get_columns())
    typed = edited or fresh is not None
    return _Rows(places, values, typed) if values[ROW_ID].equals(index[ROW_ID].gather(places)) else None


def _valued_anew(fresh: pl.DataFrame | None, last: LastPlan, rows: pl.Series) -> list[pl.Series]:
    """The rows of which another lane makes other values, or of whose cells nobody asks any more what a spreadsheet did
    to them.

    Args:
        fresh: the values of its columns, of all ``rows``; None where no lane is another.
    """
    if fresh is None:
        return []
    stored = artifacts.read(last.plan.values_path, fresh.columns)
    others = pl.any_horizontal(pl.col(name).ne_missing(stored[name]) for name in fresh.columns)
    return [rows.filter(fresh.select(others).to_series()), _damaged_in(last)[ROW_ID]]


def _damaged_in(last: LastPlan) -> pl.DataFrame:
    """The damaged cells of the columns that have other lanes."""
    if not last.plan.damage_path:
        return pl.DataFrame(schema={ROW_ID: pl.UInt32})
    columns = [match.column for match in last.relaned.matches]
    return artifacts.read(last.plan.damage_path).filter(pl.col("column").is_in(columns))


def _records(
    basis: Basis, last: LastPlan, rows: _Rows, before: pl.DataFrame, ledger: Ledger
) -> tuple[pl.DataFrame, pl.DataFrame | None]:
    """The application's records and those of the kept copy that these rows may be about."""
    context = basis.context
    key, record_type = context.settings.key, context.record_type
    keys = rows.values.select(key_values(key, record_type, context.settings.ignores))
    known = [before[IDENTIFIER], ledger.rows[IDENTIFIER], basis.decisions["argument"]]
    cell = CarriedColumns(record_type.identifier).value
    if cell in rows.values.columns:
        known.append(rows.values[cell].cast(pl.String))
    kept: pl.DataFrame | None = None
    if context.sheet.recognised:
        [path] = kept_paths(context.trip, context.sheet.part)
        kept = _needed(path, keys, pl.concat(known), basis)
        known.append(kept[IDENTIFIER])
    return _needed(last.plan.records_path, keys, pl.concat(known), basis), kept


def _needed(path: str, keys: pl.DataFrame, identifiers: pl.Series, basis: Basis) -> pl.DataFrame:
    settings, there = basis.context.settings, artifacts.columns_of(path)
    index = artifacts.read(path, [IDENTIFIER, *[name for name in settings.key if name in there]])
    return artifacts.read_rows(path, records_needed(index, keys, identifiers, settings, basis.context.record_type))


def _damage(basis: Basis, last: LastPlan, rows: _Rows, after: pl.DataFrame) -> tuple[str, list[Damage]] | None:
    """Where the damaged cells are kept, empty without any, and what is told of them; None where all have to be looked
    for anew."""
    context, plan, relaned = basis.context, last.plan, last.relaned
    if relaned.untreated or (relaned.matches and list(plan.edits) != list(context.edits)):
        return None
    if list(plan.edits) == list(context.edits):
        same = artifacts.read(plan.damage_path) if plan.damage_path else None
        path, gone = plan.damage_path, _damaged_in(last)
        if same is not None and len(gone):
            # What a lane treats is not looked at for damage.
            treated = [m.column for m in relaned.matches if m.field and context.settings.lane(m.field.name).treatments]
            same = same.filter(~pl.col("column").is_in(treated))
            path = artifacts.write(same, artifacts.named(context.trip.pk, "damage", uuid.uuid4().hex))
            path, same = (path, same) if len(same) else ("", None)
        return path, [] if same is None else damage.groups(same, context, basis.decisions)
    lost = after[IDENTIFIER].null_count() > 0
    if plan.damage_path or (context.sheet.recognised and lost):
        return None
    cells = artifacts.read_rows(context.cells_path, rows.places)
    kept, all_sent = None, None
    if context.sheet.recognised:
        [path] = kept_paths(context.trip, context.sheet.part)
        index = artifacts.read(path, [IDENTIFIER])[IDENTIFIER]
        kept = artifacts.read_rows(path, index.is_in(after[IDENTIFIER].implode()).arg_true())
        all_sent = partial(artifacts.read, path)

    def whole(name: str) -> pl.Series | None:
        table = plan.records_path
        if name not in artifacts.columns_of(table):
            return None
        column = artifacts.read(table, [name])[name]
        return column if len(column) >= plan.counts.get("type", 0) else None

    search = damage.DamageSearch(context, kept, all_texts(plan.counts, whole), reading_for(context), all_sent)
    damaged = search.run(cells, rows.values, after[IDENTIFIER])
    if not len(damaged):
        return "", []
    path = artifacts.write(damaged, artifacts.named(context.trip.pk, "damage", uuid.uuid4().hex))
    return path, damage.groups(damaged, context, basis.decisions)
