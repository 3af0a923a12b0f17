"""Columns, keys and what the rows are for: services that the API and the command line both go through."""

from __future__ import annotations

from collections.abc import Mapping as Dict
from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

import polars as pl
from django.db import transaction

from vexo.core.columns.carrying import Reading
from vexo.core.columns.lanes import PLAIN, Lane, check_lane, lanes_from_json
from vexo.core.columns.matching import (
    ColumnMatch,
    MappingError,
    Offer,
    conflict_words,
    conflicts,
    one_for_editing,
    with_lanes,
)
from vexo.core.documents import lane_sentence
from vexo.core.keys.finding import suggest_key
from vexo.core.planning.verdicts import Operation
from vexo.core.records import Catalogue, Field, RecordType, UnknownName
from vexo.core.sheets import Choices, SheetProfile
from vexo.core.sheets.choosing import safe_names

from ..applications.models import Application
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.working import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Mapping, Sheet, Trip
from ..trips.sheets import newest_in, newest_sheet, was_delimited
from ..trips.standing import facts_of, tell
from .asking import ask, asks_of_values
from .edits import columns_now, edits_of
from .tables import claim


def known_of(application: Application) -> Catalogue:
    """What the application last said that it holds. Raises PlainError where it has not said yet."""
    known = application.known
    if known is None:
        raise PlainError(
            f"What {application.label} holds is not known, or cannot be understood. Test its connection.",
            "no-catalogue",
        )
    return known


def lane_json(own: Field, lane: Lane, header: str) -> dict[str, Any]:
    """A lane for people: as data, as one sentence, and short."""
    short = [treatment.short for treatment in lane.treatments]
    return {
        **asdict(replace(lane, treatments=())),
        "from": lane.source,
        "treatments": [treatment.to_json() for treatment in lane.treatments],
        "says": lane_sentence(own, lane, header),
        "short": ", ".join(short),
    }


def column_facts(
    matches: Sequence[ColumnMatch], sheet: Sheet, record_type: RecordType, lanes: Dict[str, Lane]
) -> list[dict[str, Any]]:
    """Columns as a trip's standing tells them, those of the sheet first; ``tells`` are those by which people know a
    record."""
    profile, totals = SheetProfile.from_json(sheet.profile or {}), sheet.totals.get("now", {})
    names = safe_names(profile.columns)
    known = {name for key in record_type.keys[:1] for name in key}
    found = {column.name: column for column in profile.columns}
    doubled = {id(second) for _, second in conflicts(matches, record_type)}
    return [
        {
            "column": m.column,
            "header": m.header,
            "field_name": m.field.name if m.field else None,
            "field_label": m.field.label if m.field else None,
            "kind": m.field.kind.value if m.field else None,
            "how": m.how,
            "carried": m.carried,
            "check": m.check,
            "open": m.open,
            "conflict": id(m) in doubled,
            "extra": at >= len(profile.columns),
            "tells": m.field is not None and m.field.name in known,
            "filled": totals.get(m.column, {}).get("filled", found[m.column].filled) if m.column else sheet.rows,
            "different": totals.get(m.column, {}).get("different", found[m.column].different) if m.column else 1,
            "totals": totals.get(m.column),
            "name_in_conditions": names.get(m.column, ""),
            "lane": lane_json(m.field, lanes.get(m.field.name, PLAIN), m.header) if m.field else None,
        }
        for at, m in enumerate(matches)
    ]


def matches_of(sheet: Sheet, record_type: RecordType, catalogue: Catalogue) -> list[ColumnMatch]:
    """The columns of a sheet with their fields, as written down; what the application no longer has is open."""
    made = []
    for m in sheet.mappings.all():
        try:
            field = catalogue.field(record_type, m.field) if m.field else None
        except UnknownName:
            field = None
        how = m.how if field is not None or not m.field else ""
        made.append(ColumnMatch(m.column, m.header, field, how, tuple(Offer(**offer) for offer in m.offers)))
    return one_for_editing(made, record_type) if sheet.recognised else made


def all_matches(trip: Trip, sheet: Sheet, record_type: RecordType, catalogue: Catalogue) -> list[ColumnMatch]:
    """The columns of a sheet, then the fields whose lanes take a column of their own or a fixed value."""
    return with_lanes(matches_of(sheet, record_type, catalogue), lanes_from_json(trip.lanes), record_type)


def reading_of(trip: Trip, sheet: Sheet, tables: Dict[str, pl.DataFrame] | None = None) -> Reading:
    """How a sheet's cells are read."""
    choices = Choices(**sheet.choices)
    return Reading(
        marks=sheet.recognised or choices.marks,
        prefixed=(sheet.recognised and was_delimited(trip)) or choices.prefix == "off",
        tables=tables or {},
    )


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
    matches = all_matches(trip, sheet, record_type, catalogue)
    columns = column_facts(matches, sheet, record_type, lanes_from_json(trip.lanes))
    told = {"questions": _still_open(trip, matches), **(facts or {})}
    tell(trip, revised=True, whole=whole, columns=columns, key=key_facts(trip, sheet, record_type, matches), **told)


def _still_open(trip: Trip, matches: Sequence[ColumnMatch]) -> dict[str, Any]:
    """Questions of columns and fields that are still there; whether they are answered is looked at with the plan."""
    there = {f"column:{m.column}" for m in matches if m.open} | {m.field.name for m in matches if m.field}
    return {key: asked for key, asked in facts_of(trip).get("questions", {}).items() if key in there}


def ask_again(trip: Trip, sheet: Sheet, lease: Lease) -> None:
    """Write down what is still asked about the columns; it makes no plan another one."""
    catalogue = trip.application.known
    if catalogue is None:
        return
    record_type, lanes = catalogue.type(trip.record_type), lanes_from_json(trip.lanes)
    matches = all_matches(trip, sheet, record_type, catalogue)
    looked = {m.column for m in matches if asks_of_values(m)}
    looked |= {m.column for m in matches for lane in lanes.values() if m.header in lane.headers}
    cells = columns_now(sheet, edits_of(trip), sorted(looked - {""}))
    holds = facts_of(trip).get("holds", {})
    asked = ask(cells, matches, lanes, record_type, holds, reading_of(trip, sheet))
    if asked != facts_of(trip).get("questions", {}):
        with lease.writing():
            tell(trip, questions=asked)


def lane_words(own: Field, lane: Lane) -> str:
    """A field's lane for the journal."""
    return f"{own.label}: {lane_sentence(own, lane, lane.source).rstrip('.')}"


def _remap(trip: Trip, catalogue: Catalogue, said: Dict[str, str]) -> None:
    """Columns go where a person says; each field is taken once."""
    record_type = catalogue.type(trip.record_type)
    sheet = newest_sheet(trip)
    headers = list(sheet.mappings.values_list("header", flat=True))
    for header, name in said.items():
        if headers.count(header) != 1:
            there = ", ".join(repr(h) for h in sorted(headers) if h) or "none"
            what = "no column" if header not in headers else "more than one column"
            raise PlainError(f"The sheet has {what} {header!r}. Its columns are: {there}.")
        field = record_type.field(name) if name else None
        other = Mapping.objects.filter(sheet=sheet, field=name).exclude(header=header).first() if name else None
        if other is not None and said.get(other.header) is None:
            raise PlainError(
                f"{field.label if field else name} is taken by the column {other.header!r}. Free it first."
            )
        carried = field is not None and not field.read_only
        Mapping.objects.filter(sheet=sheet, header=header).update(field=name, how="said", carried=carried)
    for first, second in conflicts(matches_of(sheet, record_type, catalogue), record_type):
        if any(said.get(one.header) for one in (first, second)):
            raise MappingError(conflict_words(first, second))


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
    with transaction.atomic():
        trip.refresh_from_db()
        sheet = newest_in(trip)
        headers = [column.header for column in SheetProfile.from_json(sheet.profile or {}).columns] if sheet else None
        for name, lane in (lanes or {}).items():
            if lane != PLAIN:
                check_lane(record_type.field(name), lane, headers)
        claim(trip, (lanes or {}).values())
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
            words.append("lanes of " + ", ".join(lane_words(record_type.field(n), lane) for n, lane in lanes.items()))
        Trip.objects.filter(pk=trip.pk).update(said=trip.said, key=trip.key, operation=trip.operation, lanes=trip.lanes)
        if sheet is not None:
            tell_columns(trip, sheet, catalogue, whole=bool(said or lanes or operation or key is not None))
        changed = f"Trip {trip.pk}: {'; '.join(words)}"[:300]
        note(person.username, "changed", changed, trip.application, trip.pk)
        # Whoever puts columns right is not told each time that the key is still to be said: the stations say it.
        waits = not mine and key is None
        return enqueue("plan", person.username, trip, mine=mine, fresh=True, waits=waits)
