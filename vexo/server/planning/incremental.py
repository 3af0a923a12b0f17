"""The last plan carried on: what was edited since, which lanes are others, and its values with only that typed anew."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.matches import ColumnMatch
from vexo.core.columns.references import naming_fields
from vexo.core.columns.treatments import LookUp
from vexo.core.new_records import self_references
from vexo.core.records import Kind
from vexo.core.sheets.damage.search import only_known_tell
from vexo.core.sheets.shape import column_titles
from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import artifacts
from ..artifacts import Artifact
from ..mapping.mapped_sheet import reading_of
from ..trips.sheet_cells import columns_now, edited_between, edits_of
from ..trips.sheets import kept_paths, ledger_pages
from .context import PlanContext, columns_as_kept, newest_plan
from .known_texts import fields_told, text_paths
from .models import Plan
from .reach import reach_paths

_ABOUT_TEXTS = {"treatments", "settled"}
"""What a lane says of the texts of its cells alone."""


READ_SO = "read_so"
"""Among what a plan counted: how the cells were read that its values are of."""


def read_so(reading: Reading) -> list[bool]:
    """How cells are read, as a plan keeps it: whether marks count in them, and whether formulas are guarded."""
    return [reading.marks, reading.prefixed]


@dataclass(frozen=True)
class Edited:
    """What was edited since a plan: its rows, and the columns with their fields."""

    rows: pl.Series
    matches: list[ColumnMatch]


@dataclass(frozen=True)
class Relaned:
    """Columns whose lanes are others than those of a plan.

    Attributes:
        treated: nothing but what is done to their texts is otherwise, and nothing else is asked about any column: rows
            whose values stay are not touched.
        untreated: of some nothing is done to the texts any more.
    """

    matches: list[ColumnMatch]
    treated: bool
    untreated: bool


@dataclass(frozen=True)
class LastPlan:
    """A plan of which another can be made without a question to the application, and what is otherwise since."""

    plan: Plan
    edited: Edited
    relaned: Relaned


def last_plan(context: PlanContext) -> LastPlan | None:
    """The last plan, where another is made of the same but for edits, answers and the lanes of columns, and no pass has
    written since."""
    last = newest_plan(context.view)
    if (
        last is None
        or last.sheet_id != context.sheet.pk
        or last.catalogue_version != context.catalogue.version
        or (last.key, last.ignores) != (list(context.settings.key), sorted(context.settings.ignores))
        or (last.reach, last.guards) != (context.settings.reach, context.settings.guards.to_json())
        or last.deny != sorted(context.settings.deny)
        or (context.settings.operation.deletes and context.settings.operation != last.operation)
        or last.ledger_pages != ledger_pages(context.trip)
        or last.counts.get(READ_SO) != read_so(reading_of(context.trip, context.sheet))
        or not all(
            artifacts.there(path)
            for path in (last.values_path, last.records_path, *reach_paths(last.counts), *text_paths(last.counts))
        )
    ):
        return None
    edited, relaned = edited_since(context, last), relaned_since(context, last)
    return LastPlan(last, edited, relaned) if edited is not None and relaned is not None else None


def edited_since(context: PlanContext, last: Plan) -> Edited | None:
    """What was edited since a plan; None where its values cannot be carried on: a reference has to be looked up, a key
    may find records that were not read, or texts that an edit brings would have to be held against all of a field."""
    now = edits_of(context.trip)
    if last.edits == now:
        return Edited(pl.Series([], dtype=pl.UInt32), [])
    cells = edited_between(context.sheet, last.edits, now)
    columns = set(cells["column"].to_list())
    headers = {context.headers[header] for header in context.headers if context.headers[header] in columns}
    touched = {title for column, title in column_titles(context.profile.columns).items() if column in headers}
    matches = [
        m
        for m in context.matches
        if m.field is not None and (m.column in columns or touched & set(context.settings.lane(m.field.name).headers))
    ]
    finding, all_read = _finding(context), _all_read(last.counts, last.records_path)
    for match in matches:
        assert match.field is not None
        if _asks_others(context, match):
            return None
        if all_read:
            continue
        if match.field.name in finding or _would_be_told(context, last, match, cells[ROW_ID]):
            return None
    return Edited(cells["row_id"].unique(maintain_order=True), matches)


def _would_be_told(context: PlanContext, last: Plan, match: ColumnMatch, rows: pl.Series) -> bool:
    """Whether a column of texts of which none went out has such, in any of these rows, as only all values of its field
    would tell from damaged ones, and the last plan neither has these nor says that it has not."""
    field, sheet = match.field, context.sheet
    if field is None or field.kind != Kind.TEXT or not (match.column and match.carried):
        return False
    if field.name in fields_told(last.counts):
        return False
    if sheet.recognised and any(
        field.name in artifacts.columns_of(path) for path in kept_paths(context.trip, sheet.part)
    ):
        return False
    cells = columns_now(sheet, context.edits, [match.column])
    return only_known_tell(cells.filter(cells[ROW_ID].is_in(rows.implode()))[match.column])


def relaned_since(context: PlanContext, last: Plan) -> Relaned | None:
    """The columns whose lanes are others than a plan's; None where anything else of the columns is, or their values
    cannot be typed without the application, or find records."""
    now, finding = columns_as_kept(context), _finding(context)
    if len(now) != len(last.columns) or (now != last.columns and context.settings.operation.deletes):
        return None
    matches, treated, untreated = [], True, False
    for match, kept, column in zip(context.matches, last.columns, now, strict=True):
        treated &= kept.get("asked") == column.get("asked")
        before, after = kept["rules"], column["rules"]
        if {**kept, "rules": {}, "asked": None} != {**column, "rules": {}, "asked": None}:
            return None
        if before == after:
            continue
        if match.field is None or match.field.name in finding or _asks_others(context, match):
            return None
        matches.append(match)
        treated &= all(before.get(name) == after.get(name) for name in (before.keys() | after.keys()) - _ABOUT_TEXTS)
        untreated |= bool(before.get("treatments")) and not after.get("treatments")
    return Relaned(matches, treated, untreated)


def _finding(context: PlanContext) -> set[str]:
    """Fields whose values find records."""
    return {*context.settings.key, context.record_type.identifier, *context.record_type.key_fields}


def _asks_others(context: PlanContext, match: ColumnMatch) -> bool:
    """Whether a column's values are looked up elsewhere, or name records of other rows."""
    assert match.field is not None
    if any(isinstance(one, LookUp) for one in context.settings.lane(match.field.name).treatments):
        return True
    if (match.carried or match.check) and match.field.kind == Kind.REFERENCE:
        return True
    own = self_references(context.record_type, context.settings.carried)
    return bool(own) and match.field.name in naming_fields(context.record_type, by_identifier=False)


def _all_read(reading: Mapping[str, Any], records: str) -> bool:
    """Whether all records of the type were read."""
    if not artifacts.there(records):
        return False
    return bool(artifacts.scan(records).select(pl.len()).collect().item() >= reading.get("type", 0))


def carry_on(context: PlanContext, last: LastPlan, reading: Reading) -> Artifact:
    """The values of a plan with the edited cells, and the columns of other lanes, typed anew."""
    stored, edited = artifacts.load(last.plan.values_path), last.edited
    values = stored.frame
    if len(edited.rows) and edited.matches:
        values = typed_anew(context, values, context.cells, edited, reading)
    if last.relaned.matches:
        values = values.with_columns(retyped(context, last.relaned, reading).get_columns())
    if values is stored.frame:
        return stored
    return artifacts.store(values, artifacts.named(context.trip.pk, "values", uuid.uuid4().hex))


def retyped(context: PlanContext, relaned: Relaned, reading: Reading) -> pl.DataFrame:
    """The values of columns with other lanes, of all rows."""
    lanes, headers = context.settings.lanes, context.headers
    columns = {match.column for match in relaned.matches if match.column}
    for match in relaned.matches:
        assert match.field is not None
        columns |= {headers[one] for one in context.settings.lane(match.field.name).headers if one in headers}
    cells = columns_now(context.sheet, context.edits, sorted(columns))
    return carry(cells, relaned.matches, context.record_type, reading, {}, lanes, headers).drop(ROW_ID, ROW)


def typed_anew(
    context: PlanContext, values: pl.DataFrame, cells: pl.DataFrame, edited: Edited, reading: Reading
) -> pl.DataFrame:
    """Values of rows with the edited cells typed anew.

    Args:
        values: of some rows or all, and ``cells`` of the same rows as they are now.
    """
    cells = cells.filter(pl.col(ROW_ID).is_in(edited.rows.implode()))
    fresh = carry(cells, edited.matches, context.record_type, reading, {}, context.settings.lanes, context.headers)
    columns = [name for name in fresh.columns if name not in (ROW_ID, ROW) and name in values.columns]
    laid = values.select(ROW_ID).join(
        fresh.select(ROW_ID, *columns).with_columns(pl.lit(value=True).alias("edited")),
        on=ROW_ID,
        how="left",
        maintain_order="left",
    )
    edited_rows = laid["edited"].fill_null(value=False)
    pair = [pl.select(pl.when(edited_rows).then(laid[n]).otherwise(values[n])).to_series().alias(n) for n in columns]
    return values.with_columns(pair)
