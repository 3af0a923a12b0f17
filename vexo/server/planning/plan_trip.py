"""From a sheet to its plan: cells → carried values → found records → plan, with all that it is made of."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from contextlib import ExitStack
from dataclasses import dataclass
from typing import Any

import polars as pl
from django.utils.dateparse import parse_datetime

from vexo.applications import Client
from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.lanes import LaneError
from vexo.core.columns.matches import MappingError
from vexo.core.errors import MendableError
from vexo.core.keys.record_keys import RecordKeyError
from vexo.core.operations import Operation
from vexo.core.planning.frame import VERDICT
from vexo.core.planning.inputs import Inputs
from vexo.core.planning.merge_base import Ledger
from vexo.core.planning.plan import make_plan
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import IDENTIFIER, Catalogue, Kind
from vexo.core.sheets.row_filter import excluded_rows
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.sheets.writers.outgoing import column_of

from .. import artifacts
from ..applications.models import Application
from ..applications.services import client_of, describe_once
from ..artifacts import Artifact
from ..jobs.leases import Lease
from ..journal.services import note
from ..mapping.columns import ask_again
from ..mapping.lookup_tables import tables_of
from ..mapping.mapped_sheet import MappedSheet, reading_of
from ..trips.facts import from_json, to_json
from ..trips.facts.parts import Key
from ..trips.facts.plans import Damage, PlanSummary, StoredPlan
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.retries import until_unchanged
from ..trips.sheets import ledger_pages, newest_sheet
from ..trips.status import refuse_while_sending, update_status
from . import damage
from .application_records import counts_of, records_elsewhere, records_now
from .basis import Basis
from .context import PlanContext, catalogue_part, newest_plan, signatures_of
from .figures import summary_of
from .incremental import Edited, carry_on, edited_since
from .models import Plan
from .references import references_of

_MOST_POINTED = 2_000
"""Records to be deleted, above which those that point to them are not counted: it takes a question for each hundred."""


@dataclass(frozen=True)
class Materials:
    """What a plan is made of beside the sheet: the carried values, the application's records, and its counts; ``like``
    is the last plan, where it was made of the very same cells and records."""

    values: Artifact
    records: Artifact
    counts: dict[str, Any]
    like: Plan | None = None


def _ask(basis: Basis, client: Client, lease: Lease) -> Materials:
    """Type the sheet's cells and ask the application for the records that they are about."""
    context = basis.context
    trip, record_type, sheet = context.trip, context.record_type, context.sheet
    reading = _reading(context, tables_of(context.settings.lanes, context.catalogue, client))
    lease.progress(1, 4, "reading values")
    counted = [m for m in context.matches if m.field is None or m.field.name != record_type.identifier]
    if sheet.recognised or record_type.identifier in context.settings.key:
        counted = context.matches
    lookups = references_of(context, context.cells, reading, client)
    carried = carry(context.cells, counted, record_type, reading, lookups, context.settings.lanes, context.headers)
    lease.progress(2, 4, "asking the application")
    total = client.count(record_type)
    records = records_now(context, carried, basis.bound_records, total, client)
    fresh = uuid.uuid4().hex
    return Materials(
        artifacts.store(carried, artifacts.named(trip.pk, "values", fresh)),
        artifacts.store(records, artifacts.named(trip.pk, "records", fresh)),
        counts_of(context, client, total),
    )


def _last_and_edited(context: PlanContext) -> tuple[Plan, Edited] | None:
    """The last plan and what was edited since, where another is made of the same but for that, and no pass has written
    since."""
    last = newest_plan(context.view)
    if (
        last is None
        or last.sheet_id != context.sheet.pk
        or last.catalogue_version != context.catalogue.version
        or last.key != list(context.settings.key)
        or (context.settings.operation == Operation.DELETE != last.operation)
        or last.columns != _columns(context)
        or last.ledger_pages != ledger_pages(context.trip)
        or not all(artifacts.there(path) for path in (last.values_path, last.records_path))
    ):
        return None
    edited = edited_since(context, last)
    return (last, edited) if edited is not None else None


def _reused(context: PlanContext) -> Materials | None:
    """What the last plan was made of, with the cells that were edited since typed anew."""
    found = _last_and_edited(context)
    if found is None:
        return None
    last, edited = found
    values = carry_on(context, last.values_path, edited, _reading(context))
    like = last if values.path == last.values_path and list(last.edits) == list(context.edits) else None
    return Materials(values, artifacts.load(last.records_path), last.counts, like)


def _reading(context: PlanContext, tables: Mapping[str, pl.DataFrame] | None = None) -> Reading:
    return reading_of(context.trip, context.sheet, tables)


def needs_no_question(view: PartView) -> bool:
    """Whether the trip can be planned with what its last plan was made of, without a question to the application."""
    known = view.trip.application.known
    if view.trip.operation == Operation.DELETE or known is None:
        return False
    try:
        return _last_and_edited(PlanContext.of_now(view, known)) is not None
    except MendableError:
        return False


def _columns(context: PlanContext) -> list[dict[str, Any]]:
    """The sheet's columns with their fields and lanes, as a plan keeps them."""
    return [
        {
            "column": m.column,
            "header": m.header,
            "field": m.field.name if m.field else "",
            "how": m.how,
            "check": m.check,
            "read": m.field is not None and m.field.read_only,
            "rules": context.settings.lane(m.field.name).to_json() if m.field else {},
        }
        for m in context.matches
    ]


def _deletes(
    context: PlanContext, plan: pl.DataFrame, records: pl.DataFrame, client: Client | None
) -> tuple[str, dict[str, int]]:
    """Where the records to be deleted are kept with all their fields, and how many others point to them."""
    wanted = plan.filter(pl.col(VERDICT) == Verdict.DELETE)[IDENTIFIER].drop_nulls()
    if wanted.is_empty():
        return "", {}
    whole = records.filter(pl.col(IDENTIFIER).is_in(wanted.implode()))
    path = artifacts.write(whole, artifacts.named(context.trip.pk, "deleted", uuid.uuid4().hex))
    pointing: dict[str, int] = {}
    if len(wanted) > _MOST_POINTED:
        return path, pointing
    with ExitStack() as stack:
        asked = client or stack.enter_context(client_of(context.trip.application))
        for other in context.catalogue.types:
            for field in other.fields:
                if field.target != context.record_type.name:
                    continue
                pointed = asked.read_by_keys(other, [field.name], [field.name], wanted.alias(field.name).to_frame())
                if len(pointed):
                    pointing[f"{other.plural}, {field.label}"] = len(pointed)
    return path, pointing


def plan_trip(view: PartView, lease: Lease, fresh: bool) -> Plan:
    """Plan the newest sheet and keep the plan with the trip.

    Args:
        fresh: ask the application for its records now; else those of the last plan are compared again.

    Raises:
        PlainError: while a pass is being sent, whose rows are not known yet.
    """

    def attempt() -> Plan | None:
        refuse_while_sending(view.trip)
        return _attempt(view, lease, fresh)

    refusal = "The trip is changed faster than it can be planned. Plan it again."
    plan = until_unchanged(view.trip, attempt, refusal)
    artifacts.evict()
    return plan


def _attempt(view: PartView, lease: Lease, fresh: bool) -> Plan | None:
    """One plan of the trip as it is now; None where it was changed meanwhile."""
    application = view.trip.application
    with ExitStack() as stack:
        client: Client | None = None
        materials = None
        if not fresh:
            context = PlanContext.of_now(view, application.known)
            materials = _reused(context)
        if materials is None:
            client = stack.enter_context(client_of(application))
            mapped = MappedSheet.of(view, newest_sheet(view), _catalogue(application, client, lease))
            if fresh:
                ask_again(mapped, lease)
            context = PlanContext.of_mapped(mapped)
        basis = Basis.of(context)
        if materials is None:
            assert client is not None
            materials = _ask(basis, client, lease)
        lease.progress(3, 4, "comparing")
        plan, questions = make_plan(_inputs(basis, materials), context.settings)
        deleted_path, pointing = _deletes(context, plan, materials.records.frame, client)
    return _keep(basis, materials, lease, _Made(plan, questions, deleted_path, pointing))


def _catalogue(application: Application, client: Client, lease: Lease) -> Catalogue:
    """What the application holds; asked once where the sheet was brought in just before."""
    described_at = lease.job.arguments.get("described_at")
    return describe_once(application, client, parse_datetime(described_at) if described_at else None)


def _inputs(basis: Basis, materials: Materials) -> Inputs:
    context, carried = basis.context, materials.values.frame
    view, created = context.view, _created_here(context.view, basis.ledger)
    return Inputs(
        context.record_type,
        carried,
        materials.records.frame,
        basis.kept,
        basis.ledger,
        basis.decisions,
        _reference_columns(context),
        context.sheet.first_row,
        int((~created.is_in(carried[ROW_ID].implode())).sum()) if len(created) else 0,
        excluded_rows(context.cells, context.profile.columns, view.trip.row_filter),
        records_elsewhere(view),
    )


@dataclass(frozen=True)
class _Made:
    """A plan as it was made: its table, its questions, and what it would delete."""

    plan: pl.DataFrame
    questions: pl.DataFrame
    deleted_path: str
    pointing: dict[str, int]


def _keep(basis: Basis, materials: Materials, lease: Lease, made: _Made) -> Plan | None:
    """Keep a plan with its trip; None where the trip was changed meanwhile."""
    context, trip = basis.context, basis.context.trip
    settings, record_type = context.settings, context.record_type
    fresh = uuid.uuid4().hex
    damage_path, damaged = _damage(basis, materials, made.plan, fresh)
    summary = summary_of(
        made.plan,
        basis,
        pointed=made.pointing,
        damage=damaged,
        keys_not_read=materials.counts.get("keys_not_read", 0),
    )
    path = artifacts.write(made.plan, artifacts.named(trip.pk, "plan", fresh))
    questions_path = artifacts.write(made.questions, artifacts.named(trip.pk, "questions", fresh))
    with lease.writing():
        if Trip.objects.values_list("revision", flat=True).get(pk=trip.pk) != trip.revision:
            return None
        plan = Plan.objects.create(
            trip=trip,
            number=(trip.plans.order_by("-number").values_list("number", flat=True).first() or 0) + 1,
            sheet=context.sheet,
            revision=trip.revision,
            operation=settings.operation,
            key=list(settings.key),
            carried=list(settings.carried),
            columns=_columns(context),
            catalogue_version=context.catalogue.version,
            catalogue_json=catalogue_part(context),
            field_signatures=signatures_of(record_type, {*settings.carried, *settings.checks, *settings.key}),
            last_decision=basis.last_decision,
            ledger_pages=basis.ledger_pages,
            edits=list(context.edits),
            row_filter=trip.row_filter,
            damage_path=damage_path,
            values_path=materials.values.path,
            records_path=materials.records.path,
            deleted_path=made.deleted_path,
            path=path,
            questions_path=questions_path,
            counts=materials.counts,
            summary=to_json(summary),
            made_by=lease.job.by,
        )
        labels = [record_type.field(name).label for name in settings.key]
        update_status(context.view, plan=plan_fact(plan), key=Key(list(settings.key), labels))
        words = ", ".join(f"{count:,} {name}" for name, count in summary.verdicts.items() if count)
        note(lease.job.by, "planned", f"Plan {plan.number} of trip {trip.pk}: {words}", trip.application, trip.pk)
    return plan


def _damage(basis: Basis, materials: Materials, plan: pl.DataFrame, fresh: str) -> tuple[str, list[Damage]]:
    """Where the damaged cells are kept, empty without any, and what is told of them. They are those of the last plan
    where that was made of the same cells and each row is about the same record."""
    context, like = basis.context, materials.like
    if like is not None and artifacts.there(like.path) and (not like.damage_path or artifacts.there(like.damage_path)):
        before = artifacts.read(like.path, [IDENTIFIER])[IDENTIFIER]
        if before.equals(plan[IDENTIFIER], null_equal=True):
            return like.damage_path, from_json(like.summary, PlanSummary).damage
    kept, records = basis.kept, materials.records.frame
    search = damage.DamageSearch(context, kept, records, _reading(context), materials.counts.get("type", 0))
    found = search.run(plan)
    path = artifacts.write(found, artifacts.named(context.trip.pk, "damage", fresh)) if len(found) else ""
    return path, damage.groups(found, context)


def _created_here(view: PartView, ledger: Ledger) -> pl.Series:
    """Rows of the part that is planned whose records passes made."""
    trip = view.trip
    created = ledger.rows.filter(pl.col("state") == "created")[ROW_ID]
    if not len(created) or trip.parts.count() < 2:
        return created
    sheets = trip.sheets.filter(direction=Sheet.IN, part__number=view.part).exclude(cells="")
    rows = pl.concat([artifacts.read(sheet.cells, [ROW_ID])[ROW_ID] for sheet in sheets])
    return created.filter(created.is_in(rows.implode()))


def _reference_columns(context: PlanContext) -> dict[str, str]:
    """For each reference the column of the kept copy with which it was written out."""
    fields = [context.record_type.field(name) for name in context.settings.carried]
    return {f.name: column_of(f, context.catalogue) for f in fields if f.kind == Kind.REFERENCE}


def plan_fact(plan: Plan) -> StoredPlan:
    """A plan as its trip's status tells it."""
    summary = from_json(plan.summary, PlanSummary)
    return StoredPlan(plan.number, plan.revision, plan.sheet_id, summary, plan.made_at)


def plan(lease: Lease) -> dict[str, Any]:
    """The job: plan anew, after a decision or because the application may have changed. One that ``waits`` makes no
    plan as long as columns or the key are not said."""
    try:
        made = plan_trip(PartView.of_lease(lease), lease, fresh=bool(lease.job.arguments.get("fresh", True)))
    except (RecordKeyError, MappingError, LaneError):
        if not lease.job.arguments.get("waits"):
            raise
        return {"trip": lease.trip.pk, "plan": None}
    return {"trip": lease.trip.pk, "plan": made.number, "verdicts": made.summary["verdicts"]}
