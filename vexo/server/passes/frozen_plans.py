"""Plans as a pass sends them: frozen, and kept with the trip.

What planning worked out is a cache; so a plan that waits, for its time or for an approval, is frozen when it begins to.
"""

from __future__ import annotations

from typing import Any

from vexo.core.new_records import self_references
from vexo.core.planning.frame import VERDICT
from vexo.core.planning.verdicts import WRITTEN
from vexo.core.writing.batches import freeze

from .. import artifacts
from ..errors import PlainError
from ..planning.context import record_type_of
from ..planning.models import Plan
from ..trips.facts import from_json
from ..trips.facts.plans import PlanSummary
from .models import Approval, Scheduled


def frozen_of(plan: Plan) -> dict[str, Any]:
    """Fields of a pass: the plan and its rows that go, kept with the trip; and how many rows that are.

    Raises:
        PlainError: where there are none, or what the plan was made of is not kept any more.
    """
    kept = [*Scheduled.objects.filter(plan=plan, state=Scheduled.WAITING).values_list("frozen", flat=True)]
    kept += Approval.objects.filter(plan=plan).values_list("frozen", flat=True)
    return next((dict(one) for one in kept if one), None) or _freeze(plan)


def _freeze(plan: Plan) -> dict[str, Any]:
    deleted_records = artifacts.read(plan.deleted_path) if plan.deleted_path else None
    absent = artifacts.read(plan.absent_path) if plan.absent_path else None
    record_type = record_type_of(plan)
    first_steps = [
        (step.row_id, record_type.field(step.field), step.text)
        for step in from_json(plan.summary, PlanSummary).first_steps
    ]
    self_fields = [field.name for field in self_references(record_type, [field.name for field in record_type.fields])]
    written = artifacts.read(plan.path, [VERDICT])[VERDICT].is_in(list(WRITTEN)).arg_true()
    rows = freeze(
        artifacts.read_rows(plan.path, written), deleted_records, absent, record_type.keys, first_steps, self_fields
    )
    if rows.is_empty():
        raise PlainError("There is nothing to write.", "nothing")
    return {
        "plan_file": artifacts.freeze(plan.path, plan.trip_id, "plan"),
        "rows_file": artifacts.keep_artifact(rows, plan.trip_id, "rows"),
        "absent_file": artifacts.freeze(plan.absent_path, plan.trip_id, "absent") if plan.absent_path else "",
        "rows": len(rows),
    }
