"""What a plan that makes records the same as its sheet does with those that the sheet does not have."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace

import polars as pl

from vexo.core.planning.absent import BECOMES, REASON, are_confirmed, plan_absent, questions_of
from vexo.core.planning.inputs import Inputs
from vexo.core.planning.plan import PlannedRows
from vexo.core.planning.verdicts import AbsentVerdict
from vexo.core.records import IDENTIFIER, VERSION

from .. import artifacts
from ..trips.facts.plans import AbsentReason, AbsentSum
from ..trips.models import Sheet
from .context import PlanContext
from .materials import Materials
from .reach import reach_paths


@dataclass(frozen=True)
class AbsentPlan:
    """What becomes of the records in reach that the sheet does not have.

    Attributes:
        path: where it is kept (``core.planning.absent``).
        questions: what it asks.
        deleted: the records that go, whole.
    """

    path: str
    questions: pl.DataFrame
    deleted: pl.DataFrame
    sum: AbsentSum


def absent_plan(
    context: PlanContext,
    inputs: Inputs,
    planned: PlannedRows,
    materials: Materials,
) -> AbsentPlan | None:
    """None where the plan deletes nothing that has no row.

    Args:
        planned: the rows, those held too that a spreadsheet has harmed.
    """
    if planned.meant is None:
        return None
    [path] = reach_paths(materials.counts)
    records = artifacts.read(path)
    carried = [context.record_type.field(name) for name in context.settings.carried]
    parts, deny = _parts_out(context), context.settings.deny
    absent = plan_absent(inputs, planned.plan, planned.meant, records, carried, parts, deny)
    deletes = absent.filter(pl.col(BECOMES) == AbsentVerdict.DELETE)
    return AbsentPlan(
        artifacts.write(absent, artifacts.named(context.trip.pk, "absent", uuid.uuid4().hex)),
        questions_of(absent),
        records.filter(pl.col(IDENTIFIER).is_in(deletes[IDENTIFIER].implode())),
        replace(_sum_of(absent, len(records)), confirmed=are_confirmed(absent, inputs.decisions)),
    )


def _sum_of(absent: pl.DataFrame, reach: int) -> AbsentSum:
    by_verdict = dict(absent[BECOMES].value_counts().iter_rows())
    reasons = absent.drop_nulls(REASON).group_by(BECOMES, REASON, maintain_order=True).agg(pl.len().alias("@count"))
    weak = bool(absent.filter(pl.col(BECOMES) == AbsentVerdict.DELETE)[VERSION].null_count())
    return AbsentSum(
        delete=by_verdict.get(AbsentVerdict.DELETE, 0),
        held=by_verdict.get(AbsentVerdict.HELD, 0),
        kept=by_verdict.get(AbsentVerdict.KEPT, 0),
        reach=reach,
        reasons=[
            AbsentReason(verdict, reason, count)
            for verdict, reason, count in reasons.sort("@count", descending=True).iter_rows()
        ],
        weak=weak,
    )


def _parts_out(context: PlanContext) -> int:
    """How many parts of the trip are not back."""
    trip = context.trip
    back = trip.sheets.filter(direction=Sheet.IN).values_list("part_id", flat=True)
    return trip.parts.exclude(pk__in=list(back)).count()
