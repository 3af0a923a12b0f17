"""What a plan is made of beside the sheet: its cells as values, and the application's records."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import polars as pl

from vexo.applications import Client
from vexo.core.columns.carried_values import Reading, carry

from .. import artifacts
from ..artifacts import Artifact
from ..jobs.leases import Lease
from ..mapping.lookup_tables import tables_of
from ..mapping.mapped_sheet import reading_of
from .application_records import counts_of, records_now
from .basis import Basis
from .context import PlanContext
from .incremental import READ_SO, LastPlan, carry_on, read_so
from .known_texts import of_patterns, read_known_texts
from .models import Plan
from .reach import read_reach
from .references import references_of
from .spreads import asks_of_all, read_spreads


@dataclass(frozen=True)
class Materials:
    """The carried values, the application's records, and its counts; ``like`` is the last plan, where it was made of
    the very same cells and records; ``pointed_path`` is where its table of what points to records is."""

    values: Artifact
    records: Artifact
    counts: dict[str, Any]
    like: Plan | None = None
    pointed_path: str = ""


def ask(basis: Basis, client: Client, lease: Lease) -> Materials:
    """Type the sheet's cells and ask the application for the records that they are about."""
    context = basis.context
    trip, record_type, sheet = context.trip, context.record_type, context.sheet
    reading = reading_for(context, tables_of(context.settings.lanes, context.catalogue, client))
    lease.progress(1, 4, "reading values")
    counted = [m for m in context.matches if m.field is None or m.field.name != record_type.identifier]
    if sheet.recognised or record_type.identifier in context.settings.key:
        counted = context.matches
    lookups = references_of(context, context.cells, reading, client)
    carried = carry(context.cells, counted, record_type, reading, lookups, context.settings.lanes, context.headers)
    lease.progress(2, 4, "asking the application")
    total = client.count(record_type)
    known, all_wanted = basis.bound_records, asks_of_all(basis) or bool(of_patterns(basis))
    records = records_now(context, carried, known, total, client, all_wanted=all_wanted)
    fresh = uuid.uuid4().hex
    stored = artifacts.store(records, artifacts.named(trip.pk, "records", fresh))
    counts = counts_of(context, client, total) | read_reach(context, client, stored)
    if len(records) < total:
        counts |= read_known_texts(basis, total, client)
    return Materials(
        artifacts.store(carried, artifacts.named(trip.pk, "values", fresh)),
        stored,
        {**counts, **read_spreads(basis, records, counts, client), READ_SO: read_so(reading)},
    )


def those_of(last: LastPlan, context: PlanContext) -> Materials:
    """What the last plan was made of, with the cells that were edited since, and columns of other lanes, typed anew."""
    plan = last.plan
    values = carry_on(context, last, reading_for(context))
    like = plan if values.path == plan.values_path and list(plan.edits) == list(context.edits) else None
    return Materials(values, artifacts.load(plan.records_path), plan.counts, like, plan.pointed_path)


def reading_for(context: PlanContext, tables: Mapping[str, pl.DataFrame] | None = None) -> Reading:
    """How the cells of the sheet that is planned are read."""
    if context.mapped is not None:
        return replace(context.mapped.reading, tables=tables or {})
    return reading_of(context.trip, context.sheet, tables)
