"""Which records a trip may touch: asked for once a plan, and kept with it."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from typing import Any

import polars as pl
from django.utils import timezone

from vexo.applications import Client
from vexo.core.conditions import read_condition
from vexo.core.conditions.to_filter import settled
from vexo.core.planning.inputs import SENT, Reach
from vexo.core.records import IDENTIFIER

from .. import artifacts
from ..errors import PlainError
from ..trips.sheets import kept_records
from .basis import Basis
from .context import PlanContext


def read_reach(context: PlanContext, client: Client) -> dict[str, Any]:
    """How many records are in reach, and where their IDs and keys are kept; nothing where they need not be asked for.

    Raises:
        ConditionError, UnknownName
    """
    reach, record_type = context.settings.reach, context.record_type
    if reach in ("", SENT):
        return {}
    condition = read_condition(reach, record_type, context.catalogue)
    fields = [record_type.identifier, *record_type.natural_key]
    records = pl.concat(list(client.read(record_type, fields, condition))).select(IDENTIFIER, *record_type.natural_key)
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
    context = basis.context
    reach = context.settings.reach
    if reach == SENT:
        kept = kept_records(context.trip, context.sheet.part) if basis.kept is None else basis.kept
        if kept is None:
            raise PlainError("Nothing of this trip went out. Say which records it may touch, or all.", "reach")
        return Reach(kept[IDENTIFIER])
    paths = reach_paths(counts)
    if not paths:
        return None
    condition = read_condition(reach, context.record_type, context.catalogue)
    return Reach(artifacts.read(paths[0])[IDENTIFIER], settled(condition, timezone.now()) if condition else None)
