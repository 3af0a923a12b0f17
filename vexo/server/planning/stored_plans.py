"""Plans as they are kept with their trips."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from vexo import __version__
from vexo.core.wording import thousands

from ..artifacts import VERSION
from ..jobs.leases import Lease
from ..journal.services import note
from ..trips.facts import from_json, to_json
from ..trips.facts.parts import Key
from ..trips.facts.plans import PlanSummary, StoredPlan
from ..trips.models import Trip
from ..trips.status import update_status
from .basis import Basis
from .context import catalogue_part, columns_as_kept, signatures_of
from .models import Plan

MADE_WITH = f"{__version__} {VERSION}"
"""The release, and the version of the results it keeps."""


@dataclass(frozen=True)
class MadePlan:
    """A plan as it was made: where its parts are (as in ``models.Plan``), and its figures."""

    path: str
    questions_path: str
    values_path: str
    records_path: str
    counts: dict[str, Any]
    summary: PlanSummary
    damage_path: str = ""
    deleted_path: str = ""
    absent_path: str = ""
    pointed_path: str = ""


def keep_plan(basis: Basis, made_plan: MadePlan, lease: Lease) -> Plan | None:
    """Keep a plan with its trip; None where the trip was changed meanwhile."""
    context, trip = basis.context, basis.context.trip
    settings, record_type = context.settings, context.record_type
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
            ignores=sorted(settings.ignores),
            reach=settings.reach,
            guards=settings.guards.to_json(),
            deny=sorted(settings.deny),
            carried=list(settings.carried),
            columns=columns_as_kept(context),
            catalogue_version=context.catalogue.version,
            catalogue_json=catalogue_part(context),
            field_signatures=signatures_of(record_type, {*settings.carried, *settings.checks, *settings.key}),
            last_decision=max(basis.decision_numbers, default=0),
            counted_decisions=basis.decision_numbers,
            made_with=MADE_WITH,
            ledger_pages=basis.ledger_pages,
            edits=list(context.edits),
            row_filter=trip.row_filter,
            damage_path=made_plan.damage_path,
            values_path=made_plan.values_path,
            records_path=made_plan.records_path,
            deleted_path=made_plan.deleted_path,
            absent_path=made_plan.absent_path,
            pointed_path=made_plan.pointed_path,
            path=made_plan.path,
            questions_path=made_plan.questions_path,
            counts=made_plan.counts,
            summary=to_json(made_plan.summary),
            made_by=lease.job.by,
        )
        labels = [record_type.field(name).label for name in settings.key]
        update_status(context.view, plan=plan_fact(plan), key=Key(list(settings.key), labels))
        verdicts = made_plan.summary.verdicts.items()
        words = ", ".join(f"{thousands(count)} {name}" for name, count in verdicts if count)
        absent = made_plan.summary.absent
        if absent is not None:
            words += (
                f"; not in the sheet {thousands(absent.delete)} to delete, {thousands(absent.held)} held, "
                f"{thousands(absent.kept)} kept"
            )
        note(lease.job.by, "planned", f"Plan {plan.number} of trip {trip.pk}: {words}", trip.application, trip.pk)
    return plan


def plan_fact(plan: Plan) -> StoredPlan:
    """A plan as its trip's status tells it."""
    summary = from_json(plan.summary, PlanSummary)
    return StoredPlan(plan.number, plan.revision, plan.sheet_id, summary, plan.made_at)
