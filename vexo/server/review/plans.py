"""Plans as they are kept: the newest of a trip, and what it is to be read with."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import polars as pl

from vexo.core.columns.lanes import check_lane, lanes_from_json
from vexo.core.columns.matching import ColumnMatch, refuse_conflicts
from vexo.core.keys.finding import KeyError_, check_key, suggest_key
from vexo.core.planning import Operation, Settings
from vexo.core.records import Catalogue, Field, RecordType
from vexo.core.sheets import SheetProfile

from .. import stages
from ..applications.services import describe
from ..bringin.columns import all_matches
from ..bringin.edits import cells_of, edits_of
from ..errors import PlainError
from ..trips.models import Sheet, Trip
from ..trips.sheets import newest_in, newest_sheet
from .models import Plan


@dataclass(frozen=True)
class Reviewed:
    """A sheet with what its columns are and what its rows are for; ``edits`` are those that lie over it."""

    trip: Trip
    sheet: Sheet
    profile: SheetProfile
    catalogue: Catalogue
    record_type: RecordType
    matches: list[ColumnMatch]
    settings: Settings
    edits: tuple[int, ...]

    @property
    def headers(self) -> dict[str, str]:
        """Header → column, for lanes that look at other columns than their own."""
        return {column.header: column.name for column in reversed(self.profile.columns) if column.header}

    @property
    def place(self) -> str:
        """Where the sheet's cells are, with the edits that counted; made where they are not there."""
        return cells_of(self.sheet, self.edits)

    @property
    def cells(self) -> pl.DataFrame:
        return stages.read(self.place)


def newest_plan(trip: Trip) -> Plan | None:
    """The newest plan of the sheet that came in last, if there is one."""
    sheet = newest_in(trip)
    return trip.plans.filter(sheet=sheet).order_by("-number").first() if sheet else None


def plan_of(trip: Trip) -> Plan:
    """The newest plan. Raises PlainError where the trip has none."""
    found = newest_plan(trip)
    if found is None:
        raise PlainError(f"Trip {trip.pk} has no plan of its newest sheet yet. Plan it first.", "no-plan")
    return found


def settings_for(trip: Trip, catalogue: Catalogue | None = None) -> Reviewed:
    """What the trip's newest sheet is to be planned as.

    Raises:
        PlainError: where no sheet has come in, or no column of it goes anywhere.
        MappingError: where two columns cannot both be carried.
        LaneError: where a lane takes a column that the sheet does not have.
        KeyError_: where the key is not in the sheet, or must be said.
    """
    sheet = newest_sheet(trip)
    catalogue = catalogue or trip.application.known or describe(trip.application)
    record_type = catalogue.type(trip.record_type)
    lanes = lanes_from_json(trip.lanes)
    headers = [column.header for column in SheetProfile.from_json(sheet.profile or {}).columns]
    for name, lane in lanes.items():
        check_lane(record_type.field(name), lane, headers)
    matches = all_matches(trip, sheet, record_type, catalogue)
    refuse_conflicts(matches, record_type)
    there = [m.field.name for m in matches if m.field]
    if not there:
        named = ", ".join(repr(m.header) for m in matches[:12])
        raise PlainError(
            f"No column of {sheet.name} is known as a field of {record_type.plural}: {named}. "
            "Say what goes where, or check which row the header is in.",
            "columns",
        )
    key = tuple(trip.key) or suggest_key(record_type, there, own=sheet.recognised)
    if key is None:
        ways = " or ".join(" + ".join(k) for k in record_type.keys) or record_type.identifier
        raise KeyError_(f"How rows find their records has to be said: by {ways}. The sheet has: {', '.join(there)}.")
    check_key(key, record_type, there)
    if record_type.identifier in key and sheet.origin.get("how") == "elsewhere":
        raise KeyError_(
            f"This sheet comes from {sheet.origin['label']}: its record IDs are not those of {trip.application.label}. "
            "Choose another key."
        )
    carried = tuple(m.field.name for m in matches if m.field and m.carried)
    checks = tuple(m.field.name for m in matches if m.field and m.check)
    limit = trip.application.emptied_limit / 100
    settings = Settings(Operation(trip.operation), key, carried, lanes, limit, checks)
    profile = SheetProfile.from_json(sheet.profile or {})
    return Reviewed(trip, sheet, profile, catalogue, record_type, matches, settings, tuple(edits_of(trip)))


def reviewed_with(plan: Plan) -> Reviewed:
    """What a plan was made with, as it was then."""
    trip = plan.trip
    catalogue = Catalogue.from_json(plan.shape)
    record_type = catalogue.type(trip.record_type)
    matches = [
        ColumnMatch(
            lane["column"], lane["header"], _field(lane, record_type, catalogue), lane["how"], (), lane["check"]
        )
        for lane in plan.lanes
    ]
    lanes = lanes_from_json({lane["field"]: lane["rules"] for lane in plan.lanes if lane["rules"]})
    checks = tuple(m.field.name for m in matches if m.field and m.check)
    settings = Settings(Operation(plan.operation), tuple(plan.key), tuple(plan.carried), lanes, checks=checks)
    profile = SheetProfile.from_json(plan.sheet.profile or {})
    return Reviewed(trip, plan.sheet, profile, catalogue, record_type, matches, settings, tuple(plan.edits))


def _field(lane: dict[str, Any], record_type: RecordType, catalogue: Catalogue) -> Field | None:
    if not lane["field"]:
        return None
    field = catalogue.field(record_type, lane["field"])
    return replace(field, read_only=True, required=False) if lane["read"] and not field.read_only else field


def record_type_of(plan: Plan) -> RecordType:
    """The record type as the plan was made with."""
    return Catalogue.from_json(plan.shape).type(plan.trip.record_type)


def shape_of(reviewed: Reviewed) -> dict[str, Any]:
    """The part of the catalogue that a plan needs to be read: its type, and those that its columns lead to."""
    led = {m.field.path[0] for m in reviewed.matches if m.field and m.field.path}
    targets = {reviewed.record_type.field(name).target for name in led} - {reviewed.record_type.name}
    types = [reviewed.record_type, *[t for t in reviewed.catalogue.types if t.name in targets]]
    return replace(reviewed.catalogue, types=tuple(types)).to_json()


def natures_of(record_type: RecordType, names: set[str]) -> dict[str, str]:
    """How the values of these fields are read and compared, by the catalogue."""
    return {name: record_type.field(name).nature for name in sorted(names)}


def changed_natures(plan: Plan, record_type: RecordType) -> list[str]:
    """Labels of carried and key fields that the application has changed, or lost, since the plan was made."""
    changed = []
    for name, nature in plan.natures.items():
        field = record_type.find(name)
        if field is None or field.nature != nature:
            changed.append(field.label if field else name)
    return changed
