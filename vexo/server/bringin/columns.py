"""Columns, keys and what the rows are for: services that the API and the command line both go through."""

from __future__ import annotations

from collections.abc import Mapping as Dict
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from django.db import transaction

from vexo.core.columns.lanes import PLAIN, Blank, Lane, check_lane, lanes_from_json
from vexo.core.columns.matching import ColumnMatch, one_for_editing
from vexo.core.keys.finding import suggest_key
from vexo.core.planning.verdicts import Operation
from vexo.core.records import Catalogue, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.choosing import safe_names

from ..applications.models import Application
from ..errors import PlainError
from ..jobs.models import Job
from ..jobs.working import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Mapping, Sheet, Trip
from ..trips.sheets import newest_in, newest_sheet
from ..trips.standing import tell


def known_of(application: Application) -> Catalogue:
    """What the application last said that it holds. Raises PlainError where it has not said yet."""
    known = application.known
    if known is None:
        raise PlainError(
            f"What {application.label} holds is not known, or cannot be understood. Test its connection.",
            "no-catalogue",
        )
    return known


def column_facts(
    matches: Sequence[ColumnMatch], sheet: Sheet, record_type: RecordType, lanes: Dict[str, Lane]
) -> list[dict[str, Any]]:
    """Columns as a trip's standing tells them; ``tells`` are those by which people know a record."""
    profile, totals = SheetProfile.from_json(sheet.profile or {}), sheet.totals.get("now", {})
    names = safe_names(profile.columns)
    known = {name for key in record_type.keys[:1] for name in key}
    found = {column.name: column for column in profile.columns}
    return [
        {
            "column": m.column,
            "header": m.header,
            "field_name": m.field.name if m.field else None,
            "field_label": m.field.label if m.field else None,
            "kind": m.field.kind.value if m.field else None,
            "how": m.how,
            "carried": m.carried,
            "tells": m.field is not None and m.field.name in known,
            "filled": totals.get(m.column, {}).get("filled", found[m.column].filled),
            "different": totals.get(m.column, {}).get("different", found[m.column].different),
            "totals": totals.get(m.column),
            "name_in_conditions": names.get(m.column, ""),
            "lane": asdict(lanes.get(m.field.name, PLAIN) if m.field else PLAIN),
        }
        for m in matches
    ]


def matches_of(sheet: Sheet, record_type: RecordType, catalogue: Catalogue) -> list[ColumnMatch]:
    """The columns of a sheet with their fields, as written down."""
    found = [
        ColumnMatch(m.column, m.header, catalogue.field(record_type, m.field) if m.field else None, m.how)
        for m in sheet.mappings.all()
    ]
    return one_for_editing(found, record_type)


def key_facts(trip: Trip, sheet: Sheet, record_type: RecordType, matches: Sequence[ColumnMatch]) -> dict[str, Any]:
    """The key as a trip's standing tells it: the one that was said, or the one that suggests itself."""
    there = [m.field.name for m in matches if m.field]
    names = list(trip.key) or list(suggest_key(record_type, there, own=sheet.recognised) or ())
    known = {field.name: field.label for field in record_type.fields}
    return {"names": names, "labels": [known.get(name, name) for name in names]}


def tell_columns(
    trip: Trip, sheet: Sheet, catalogue: Catalogue, facts: Dict[str, Any] | None = None, *, whole: bool = False
) -> None:
    """Write down the newest sheet's columns and key; the newest plan no longer counts."""
    record_type = catalogue.type(trip.record_type)
    matches = matches_of(sheet, record_type, catalogue)
    columns = column_facts(matches, sheet, record_type, lanes_from_json(trip.lanes))
    tell(
        trip,
        revised=True,
        whole=whole,
        columns=columns,
        key=key_facts(trip, sheet, record_type, matches),
        **(facts or {}),
    )


def lane_words(lane: Lane) -> str:
    """A field's rules in a few words."""
    words = {Blank.LEAVE: "left as they are", Blank.CLEAR: "cleared", Blank.DEFAULT: f"{lane.default!r}"}[lane.blank]
    if lane.blank == Blank.DEFAULT:
        words += " in all records" if lane.updates else " in new records"
    return words + (", filled only where empty" if lane.only_empty else "")


def _remap(trip: Trip, catalogue: Catalogue, said: Dict[str, str]) -> None:
    """Columns go where a person says; each field is taken once."""
    record_type = catalogue.type(trip.record_type)
    sheet = newest_sheet(trip)
    headers = set(sheet.mappings.values_list("header", flat=True))
    for header, name in said.items():
        if header not in headers:
            there = ", ".join(repr(h) for h in sorted(headers) if h) or "none"
            raise PlainError(f"The sheet has no column {header!r}. Its columns are: {there}.")
        field = record_type.field(name) if name else None
        other = Mapping.objects.filter(sheet=sheet, field=name).exclude(header=header).first() if name else None
        if other is not None and said.get(other.header) is None:
            raise PlainError(
                f"{field.label if field else name} is taken by the column {other.header!r}. Free it first."
            )
        carried = field is not None and not field.read_only
        Mapping.objects.filter(sheet=sheet, header=header).update(field=name, how="said", carried=carried)
    taken = [m.field for m in sheet.mappings.all() if m.field]
    twice = next((name for name in taken if taken.count(name) > 1), None)
    if twice:
        raise PlainError(f"Two columns would go into {record_type.field(twice).label}. Carry one of them.")


def change(
    trip: Trip,
    person: Person,
    *,
    said: Dict[str, str] | None = None,
    key: Sequence[str] | None = None,
    operation: str = "",
    lanes: Dict[str, Lane] | None = None,
    mine: bool = False,
) -> Job:
    """Say where columns go, the rules of fields, how rows find records, or what they are for; the rows are to be
    planned anew.

    Returns:
        the job that plans them.

    Raises:
        NotAllowed, PlainError, UnknownName, LaneError
    """
    require(person, Action.PREPARE)
    if operation and operation not in [o.value for o in Operation]:
        raise PlainError(f"{operation!r} is no operation; use {', '.join(Operation)}.")
    catalogue = known_of(trip.application)
    record_type = catalogue.type(trip.record_type)
    for name in key or ():
        record_type.field(name)
    for name, lane in (lanes or {}).items():
        check_lane(record_type.field(name), lane)
    with transaction.atomic():
        trip.refresh_from_db()
        sheet = newest_in(trip)
        words = []
        if said:
            _remap(trip, catalogue, said)
            trip.said = {**trip.said, **said}
            words.append("columns " + ", ".join(f"{header} → {name or 'not carried'}" for header, name in said.items()))
        if key is not None:
            trip.key = list(key)
            words.append(f"key {' + '.join(key) or 'by itself'}")
        if operation:
            trip.operation = operation
            words.append(f"operation {operation}")
        if lanes:
            told = {**trip.lanes, **{name: lane.to_json() for name, lane in lanes.items()}}
            trip.lanes = {name: rules for name, rules in told.items() if rules}
            words.append("blank cells of " + ", ".join(f"{name}: {lane_words(lane)}" for name, lane in lanes.items()))
        Trip.objects.filter(pk=trip.pk).update(said=trip.said, key=trip.key, operation=trip.operation, lanes=trip.lanes)
        if sheet is not None:
            tell_columns(trip, sheet, catalogue, whole=bool(said or lanes or operation or key is not None))
        note(person.username, "changed", f"Trip {trip.pk}: {'; '.join(words)}", trip.application, trip.pk)
        return enqueue("plan", person.username, trip, mine=mine, fresh=True)
