"""Values of a plan carried on: only the cells that were edited since are typed anew."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.core.columns.carrying import Reading, carry
from vexo.core.columns.matching import ColumnMatch
from vexo.core.columns.treatments import LookUp
from vexo.core.records import Kind
from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import stages
from ..bringin.edits import edited_between, edits_of
from .models import Plan
from .plans import Reviewed


@dataclass(frozen=True)
class Edited:
    """What was edited since a plan: its rows, and the columns with their fields."""

    rows: pl.Series
    matches: list[ColumnMatch]


def edited_since(planned: Reviewed, last: Plan) -> Edited | None:
    """What was edited since a plan; None where its values cannot be carried on: a reference has to be looked up, or a
    key may find records that were not read."""
    now = edits_of(planned.trip)
    if last.edits == now:
        return Edited(pl.Series([], dtype=pl.UInt32), [])
    cells = edited_between(planned.sheet, last.edits, now)
    columns = set(cells["column"].to_list())
    headers = {planned.headers[header] for header in planned.headers if planned.headers[header] in columns}
    touched = {column.header for column in planned.profile.columns if column.name in headers}
    matches = [
        m
        for m in planned.matches
        if m.field is not None and (m.column in columns or touched & set(planned.settings.lane(m.field.name).headers))
    ]
    finding = {*planned.settings.key, planned.record_type.identifier}
    for match in matches:
        assert match.field is not None
        looked_up = any(isinstance(one, LookUp) for one in planned.settings.lane(match.field.name).treatments)
        if looked_up or ((match.carried or match.check) and match.field.kind == Kind.REFERENCE):
            return None
        if match.field.name in finding and not _all_read(last.reading, last.records):
            return None
    return Edited(cells["row_id"].unique(maintain_order=True), matches)


def _all_read(reading: Mapping[str, Any], records: str) -> bool:
    """Whether all records of the type were read."""
    if not stages.there(records):
        return False
    return bool(stages.scan(records).select(pl.len()).collect().item() >= reading.get("type", 0))


def carry_on(planned: Reviewed, values: str, edited: Edited, reading: Reading) -> str:
    """Where the values are with the edited cells typed anew."""
    if not len(edited.rows) or not edited.matches:
        return values
    before = stages.read(values)
    cells = planned.cells.filter(pl.col(ROW_ID).is_in(edited.rows.implode()))
    fresh = carry(cells, edited.matches, planned.record_type, reading, {}, planned.settings.lanes, planned.headers)
    columns = [name for name in fresh.columns if name not in (ROW_ID, ROW) and name in before.columns]
    laid = before.select(ROW_ID).join(
        fresh.select(ROW_ID, *columns).with_columns(pl.lit(value=True).alias("edited")),
        on=ROW_ID,
        how="left",
        maintain_order="left",
    )
    edited_rows = laid["edited"].fill_null(value=False)
    pair = [pl.select(pl.when(edited_rows).then(laid[n]).otherwise(before[n])).to_series().alias(n) for n in columns]
    return stages.write(before.with_columns(pair), stages.named(planned.trip.pk, "values", uuid.uuid4().hex))
