"""Which records a trip may touch: asked for once a plan, and kept with it."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl
from django.utils import timezone

from vexo.applications import Client
from vexo.core.conditions import Condition, read_condition
from vexo.core.conditions.to_filter import settled
from vexo.core.documents import SENT
from vexo.core.planning.inputs import Reach
from vexo.core.records import IDENTIFIER

from .. import artifacts
from ..errors import PlainError
from ..mapping.columns import NOTHING_WENT_OUT
from ..trips.sheets import kept_records
from .basis import Basis
from .context import PlanContext


def sent_records(context: PlanContext) -> pl.DataFrame:
    """The records that went out, of the part that is looked at. Raises PlainError where nothing did."""
    records = kept_records(context.trip, context.sheet.part)
    if records is None:
        raise PlainError(NOTHING_WENT_OUT, "reach")
    return records


def condition_of(context: PlanContext) -> Condition | None:
    """The condition that records in reach meet; None where they are those that went out, or all.

    Raises:
        ConditionError, UnknownName
    """
    reach = context.settings.reach
    return None if reach in ("", SENT) else read_condition(reach, context.record_type, context.catalogue)


def records_in_reach(context: PlanContext, client: Client, fields: Sequence[str]) -> pl.DataFrame:
    """The records that a trip may touch, with these fields, as the application has them now.

    Raises:
        ConditionError, UnknownName
        PlainError: where it is to touch only what went out, and nothing did.
    """
    records = pl.concat(list(client.read(context.record_type, fields, condition_of(context))))
    if context.settings.reach != SENT:
        return records
    return records.filter(pl.col(IDENTIFIER).is_in(sent_records(context)[IDENTIFIER].implode()))


def read_reach(context: PlanContext, client: Client) -> dict[str, Any]:
    """How many records are in reach, and where their IDs and keys are kept; nothing where they need not be asked for.

    Raises:
        ConditionError, UnknownName
    """
    if condition_of(context) is None:
        return {}
    names = context.record_type.natural_key
    records = records_in_reach(context, client, [context.record_type.identifier, *names]).select(IDENTIFIER, *names)
    path = artifacts.write(records, artifacts.named(context.trip.pk, "reach", uuid.uuid4().hex))
    return {"reach": {"records": len(records), "path": path}}


def reach_paths(counts: Mapping[str, Any]) -> list[str]:
    """Where the IDs and keys of the records in reach are kept, if they are."""
    return [counts["reach"]["path"]] if "reach" in counts else []


def reach_of(basis: Basis, counts: Mapping[str, Any]) -> Reach | None:
    """The records that a plan may touch; None for all of the type.

    Args:
        counts: those of the plan's materials (``read_reach``).

    Raises:
        PlainError: where it is to touch only what went out, and nothing did.
    """
    if basis.context.settings.reach == SENT:
        sent = sent_records(basis.context) if basis.kept is None else basis.kept
        return Reach(sent[IDENTIFIER])
    condition = condition_of(basis.context)
    if condition is None:
        return None
    [path] = reach_paths(counts)
    return Reach(artifacts.read(path)[IDENTIFIER], settled(condition, timezone.now()))
