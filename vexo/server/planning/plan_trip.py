"""From a sheet to its plan: cells → carried values → found records → plan."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace

import polars as pl
from django.utils.dateparse import parse_datetime
from msgspec import UNSET, UnsetType

from vexo.applications import Client
from vexo.core.columns.lanes import LaneError
from vexo.core.columns.matches import MappingError
from vexo.core.errors import MendableError
from vexo.core.keys.record_keys import RecordKeyError
from vexo.core.new_records import self_references
from vexo.core.operations import Operation
from vexo.core.planning.damaged import hold_damaged
from vexo.core.planning.denied import reject_denied
from vexo.core.planning.dependents import hold_dependents
from vexo.core.planning.frame import VERDICT, twins_of
from vexo.core.planning.plan import make_plan
from vexo.core.planning.pointed import hold_pointed, none_refer
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import IDENTIFIER, Catalogue
from vexo.core.sheets.row_filter import excluded_rows
from vexo.core.sheets.sheet import ROW_ID

from .. import artifacts
from ..applications.models import Application
from ..applications.services import client_of, describe_once
from ..jobs.leases import Lease
from ..mapping.columns import ask_again
from ..mapping.mapped_sheet import MappedSheet
from ..trips.facts.plans import Damage, FirstStep
from ..trips.part_view import PartView
from ..trips.refusals import refuse_while_sending
from ..trips.retries import until_unchanged
from ..trips.sheets import newest_sheet
from . import damage
from .absent_plan import AbsentPlan, absent_plan
from .basis import Basis
from .context import PlanContext
from .figures import summary_of
from .incremental import last_plan
from .known_texts import all_texts
from .materials import Materials, ask, reading_for, those_of
from .models import Plan
from .pointing import by_where, may_go, pointing, renamed
from .reach import reach_of, reach_paths
from .replan import replan
from .spreads import spreads_of
from .stored_plans import MadePlan, keep_plan


@dataclass(frozen=True, slots=True)
class Planned:
    """What its job tells of a plan: its number, and rows by verdict; None where columns or the key are not said yet."""

    trip: int
    plan: int | None
    verdicts: dict[str, int] | UnsetType = UNSET


def plan(lease: Lease) -> Planned:
    """The job: plan anew, after a decision or because the application may have changed. One that ``waits`` makes no
    plan as long as columns or the key are not said."""
    try:
        plan_ = plan_trip(PartView.of_lease(lease), lease, fresh=bool(lease.job.arguments.get("fresh", True)))
    except (RecordKeyError, MappingError, LaneError):
        if not lease.job.arguments.get("waits"):
            raise
        return Planned(lease.trip.pk, None)
    return Planned(lease.trip.pk, plan_.number, plan_.summary["verdicts"])


def plan_trip(view: PartView, lease: Lease, fresh: bool) -> Plan:
    """Plan the newest sheet and keep the plan with the trip.

    Args:
        fresh: ask the application for its records now; else those of the last plan are compared again, only in rows
            that were touched where these can be told.

    Raises:
        PlainError: while a pass is being sent, whose rows are not known yet.
    """
    refusal = "The trip is changed faster than it can be planned. Plan it again."
    kept = until_unchanged(view.trip, lambda: _attempt(view, lease, fresh), refusal)
    artifacts.evict()
    return kept


def _attempt(view: PartView, lease: Lease, fresh: bool) -> Plan | None:
    """One plan of the trip as it is now; None where it was changed meanwhile."""
    refuse_while_sending(view.trip)
    application = view.trip.application
    if not fresh:
        context = PlanContext.of_now(view, application.known)
        last = last_plan(context)
        if last is not None and last.relaned.matches:
            # Another lane may answer what was asked about its column, or ask.
            ask_again(MappedSheet.of(view, context.sheet, context.catalogue), lease)
            context = PlanContext.of_now(view, application.known)
            last = last_plan(context)
        if last is not None:
            basis = Basis.of(context)
            plan = replan(basis, last) or _whole(basis, those_of(last, context), None, lease)
            return keep_plan(basis, plan, lease)
    with client_of(application, lease.job.by) as client:
        mapped = MappedSheet.of(view, newest_sheet(view), _catalogue(application, client, lease))
        ask_again(mapped, lease, reads_all=True)
        basis = Basis.of(PlanContext.of_mapped(mapped))
        plan = _whole(basis, ask(basis, client, lease), client, lease)
    return keep_plan(basis, plan, lease)


def needs_no_question(view: PartView) -> bool:
    """Whether the trip can be planned with what its last plan was made of, without a question to the application."""
    known = view.trip.application.known
    if Operation(view.trip.operation).deletes or known is None:
        return False
    try:
        return last_plan(PlanContext.of_now(view, known)) is not None
    except MendableError:
        return False


def _catalogue(application: Application, client: Client, lease: Lease) -> Catalogue:
    """What the application holds; asked once where the sheet was brought in just before."""
    described_at = lease.job.arguments.get("described_at")
    return describe_once(application, client, parse_datetime(described_at) if described_at else None)


def _whole(basis: Basis, materials: Materials, client: Client | None, lease: Lease) -> MadePlan:
    """A plan of all rows."""
    context, trip = basis.context, basis.context.trip
    lease.progress(3, 4, "comparing")
    carried, records = materials.values.frame, materials.records.frame
    excluded = excluded_rows(context.cells, context.profile.columns, trip.row_filter)
    inputs = basis.inputs(carried, records, basis.kept, excluded, carried[ROW_ID], basis.ledger)
    inputs = replace(inputs, reach=reach_of(basis, materials.counts), spreads=spreads_of(materials.counts))
    planned = make_plan(inputs, context.settings)
    plan, questions = planned.plan, planned.questions
    fresh = uuid.uuid4().hex
    damage_path, damaged = _damage(basis, materials, plan, fresh)
    if damage_path:
        cells = artifacts.read(damage_path)
        columns, guards = context.carried_columns, context.settings.guards
        plan, questions = hold_damaged(plan, questions, cells, basis.decisions, columns, guards)
    plan = reject_denied(plan, context.settings.deny)
    references = [field.name for field in self_references(context.record_type, context.settings.carried)]
    plan, questions = hold_dependents(plan, questions, basis.decisions, references)
    if inputs.takes_back:
        materials = _with_pointed(context, _candidates_back(context, plan, materials), materials, client)
        referrers = artifacts.read(materials.pointed_path) if materials.pointed_path else none_refer()
        inputs = replace(inputs, referrers=referrers)
        if context.settings.operation == Operation.DELETE:
            plan, questions = hold_pointed(plan, questions, basis.decisions, referrers)
    absent = absent_plan(context, inputs, replace(planned, plan=plan), materials)
    if absent is not None:
        questions = pl.concat([questions, absent.questions])
    whole = records.filter(pl.col(IDENTIFIER).is_in(_deleted(plan).implode())) if absent is None else absent.deleted
    deleted_path = _kept_whole(context, whole)
    if not inputs.takes_back:
        table = artifacts.read(absent.path) if absent is not None else None
        candidates = pl.concat([may_go(context, plan, table), renamed(context, plan)]).unique(maintain_order=True)
        materials = _with_pointed(context, candidates, materials, client)
    deletes, renames = _pointed(context, plan, absent, materials.pointed_path)
    summary = summary_of(
        plan,
        basis,
        materials,
        pointed=deletes,
        pointed_renames=renames,
        damage=damaged,
        absent=absent.sum if absent is not None else None,
    )
    return MadePlan(
        path=artifacts.write(plan, artifacts.named(trip.pk, "plan", fresh), twins_of(context.settings.carried)),
        questions_path=artifacts.write(questions, artifacts.named(trip.pk, "questions", fresh)),
        values_path=materials.values.path,
        records_path=materials.records.path,
        damage_path=damage_path,
        deleted_path=deleted_path,
        pointed_path=materials.pointed_path,
        absent_path=absent.path if absent is not None else "",
        counts=materials.counts,
        summary=replace(summary, first_steps=[FirstStep(*line) for line in planned.first_steps.iter_rows()]),
    )


def _deleted(plan: pl.DataFrame) -> pl.Series:
    """The records of rows that are to be deleted."""
    return plan[IDENTIFIER].filter(plan[VERDICT] == Verdict.DELETE).drop_nulls()


def _kept_whole(context: PlanContext, records: pl.DataFrame) -> str:
    """Where the records to be deleted are kept with all their fields; empty for none."""
    if records.is_empty():
        return ""
    return artifacts.write(records, artifacts.named(context.trip.pk, "deleted", uuid.uuid4().hex))


def _candidates_back(context: PlanContext, plan: pl.DataFrame, materials: Materials) -> pl.Series:
    """IDs of the records that a plan may delete which takes back, and of those that it renames: its rows' where these
    are to be deleted, else those in reach that no row is about."""
    rows, parts = plan[IDENTIFIER].drop_nulls(), [renamed(context, plan)]
    if context.settings.operation == Operation.DELETE:
        parts.append(rows)
    elif context.settings.operation == Operation.MAKE_SAME:
        reach = [artifacts.read(path, [IDENTIFIER])[IDENTIFIER] for path in reach_paths(materials.counts)]
        parts += [records.filter(~records.is_in(rows.implode())) for records in reach]
    return pl.concat(parts).unique(maintain_order=True)


def _with_pointed(context: PlanContext, records: pl.Series, materials: Materials, client: Client | None) -> Materials:
    """With what points to these records. Without a client it is what the last plan was told."""
    if client is None or records.is_empty():
        return materials
    path = artifacts.named(context.trip.pk, "pointed", uuid.uuid4().hex)
    return replace(materials, pointed_path=artifacts.write(pointing(context, records, client), path))


def _pointed(
    context: PlanContext, plan: pl.DataFrame, absent: AbsentPlan | None, path: str
) -> tuple[dict[str, int], dict[str, int]]:
    """How many others point to records that are deleted, and to those that are renamed.

    Args:
        path: where it is kept what points to records.
    """
    if not path or not artifacts.there(path):
        return {}, {}
    counts = artifacts.read(path)
    gone = _deleted(plan) if absent is None else absent.deleted[IDENTIFIER]
    return by_where(counts, gone), by_where(counts, renamed(context, plan, decided=True))


def _damage(basis: Basis, materials: Materials, plan: pl.DataFrame, fresh: str) -> tuple[str, list[Damage]]:
    """Where the damaged cells are kept, empty without any, and what is told of them. They are those of the last plan
    where that was made of the same cells and each row is about the same record."""
    context, like, records = basis.context, materials.like, materials.records.frame
    if like is not None and artifacts.there(like.path) and (not like.damage_path or artifacts.there(like.damage_path)):
        before = artifacts.read(like.path, [IDENTIFIER])[IDENTIFIER]
        if before.equals(plan[IDENTIFIER], null_equal=True):
            same = artifacts.read(like.damage_path) if like.damage_path else None
            return like.damage_path, [] if same is None else damage.groups(same, context, basis.decisions)
    all_read = len(records) >= materials.counts.get("type", 0)

    def whole(name: str) -> pl.Series | None:
        return records[name] if all_read and name in records.columns else None

    values = all_texts(materials.counts, whole)
    search = damage.DamageSearch(context, basis.kept, values, reading_for(context))
    damaged = search.run(context.cells, materials.values.frame, plan[IDENTIFIER])
    path = artifacts.write(damaged, artifacts.named(context.trip.pk, "damage", fresh)) if len(damaged) else ""
    return path, damage.groups(damaged, context, basis.decisions)
