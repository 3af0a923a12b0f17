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
from vexo.core.operations import Operation
from vexo.core.planning.inputs import Reach
from vexo.core.records import IDENTIFIER

from .. import artifacts
from ..artifacts import Artifact
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
    record_type = context.record_type
    if context.settings.reach != SENT:
        return pl.concat(list(client.read(record_type, fields, condition_of(context))))
    sent = sent_records(context)[IDENTIFIER]
    if len(sent) * 3 < client.count(record_type):
        return client.read_by_keys(
            record_type, fields, [record_type.identifier], sent.alias(record_type.identifier).to_frame()
        )
    records = pl.concat(list(client.read(record_type, fields)))
    return records.filter(pl.col(IDENTIFIER).is_in(sent.implode()))


def read_reach(context: PlanContext, client: Client, records: Artifact) -> dict[str, Any]:
    """How many records are in reach, and where their IDs and keys are kept, whole where those may be deleted that the
    sheet does not have; nothing where they need not be asked for.

    Args:
        records: those that the plan has read: all in reach where the sheet may touch any record.

    Raises:
        ConditionError, UnknownName
        PlainError: where it is to touch only what went out, and nothing did.
    """
    whole = context.settings.operation == Operation.MAKE_SAME
    if whole and not context.settings.reach:
        return {"reach": {"records": len(records.frame), "path": records.path}}
    if not whole and condition_of(context) is None:
        return {}
    names = [f.name for f in context.record_type.fields] if whole else list(context.record_type.natural_key)
    in_reach = records_in_reach(context, client, [context.record_type.identifier, *names])
    if not whole:
        in_reach = in_reach.select(IDENTIFIER, *names)
    path = artifacts.write(in_reach, artifacts.named(context.trip.pk, "reach", uuid.uuid4().hex))
    return {"reach": {"records": len(in_reach), "path": path}}


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
