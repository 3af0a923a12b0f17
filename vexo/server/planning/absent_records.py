"""Records in reach that no row of the sheet is about: counted, listed, and as a sheet. Nothing happens to them."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from vexo.core.planning.inputs import SENT
from vexo.core.records import IDENTIFIER, Field
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.outgoing import OutgoingColumn
from vexo.core.values import dtype, to_text

from .. import artifacts
from ..trips.facts.keys import AbsentRecord, AbsentRecords
from ..trips.part_view import PartView
from ..trips.sheets import kept_records
from .context import PlanContext, newest_plan
from .models import Plan
from .reach import reach_paths

_MOST_LISTED = 200


def absent_records(view: PartView) -> AbsentRecords:
    """What the newest plan knows of records in reach that its sheet does not have. ``known`` is false where that cannot
    be told: no plan, or all of a type in reach that is too large to be read whole."""
    absent = _absent(view)
    if absent is None:
        return AbsentRecords(known=False, count=0, reach=0, labels=[], records=[])
    frame, fields, reach = absent
    shown = frame.head(_MOST_LISTED)
    texts = [to_text(field, shown[field.name]).to_list() for field in fields]
    lines = [AbsentRecord(one, [column[at] or "" for column in texts]) for at, one in enumerate(shown[IDENTIFIER])]
    return AbsentRecords(True, len(frame), reach, [field.label for field in fields], lines)


def write_absent(view: PartView, path: Path) -> int:
    """All of them as delimited text, their record ID and their key; how many these are."""
    absent = _absent(view)
    if absent is None:
        return 0
    frame, fields, _ = absent
    record_type = PlanContext.of_plan(_plan(view)).record_type
    identifier = record_type.field(record_type.identifier)
    columns = [(identifier, frame[IDENTIFIER]), *[(field, to_text(field, frame[field.name])) for field in fields]]
    write_csv([OutgoingColumn(field, field.label, "", texts, False, False) for field, texts in columns], path)
    return len(frame)


def _plan(view: PartView) -> Plan:
    plan = newest_plan(view)
    assert plan is not None
    return plan


def _absent(view: PartView) -> tuple[pl.DataFrame, list[Field], int] | None:
    """``@id`` and the natural key of the records, the fields of that key, and how many records are in reach."""
    plan = newest_plan(view)
    if plan is None or not artifacts.there(plan.path):
        return None
    context = PlanContext.of_plan(plan)
    record_type = context.record_type
    reach = _in_reach(context, plan)
    if reach is None:
        return None
    fields = [record_type.field(name) for name in record_type.natural_key if name in reach.columns]
    met = artifacts.read(plan.path, [IDENTIFIER])[IDENTIFIER].drop_nulls()
    absent = reach.filter(~pl.col(IDENTIFIER).is_in(met.implode())).select(
        IDENTIFIER, *[pl.col(field.name).cast(dtype(field), strict=False) for field in fields]
    )
    return absent, fields, len(reach)


def _in_reach(context: PlanContext, plan: Plan) -> pl.DataFrame | None:
    if context.settings.reach == SENT:
        return kept_records(context.trip, context.sheet.part)
    for path in reach_paths(plan.counts):
        return artifacts.read(path) if artifacts.there(path) else None
    if not artifacts.there(plan.records_path):
        return None
    records = artifacts.read(plan.records_path)
    return records if len(records) >= plan.counts.get("type", 0) else None
