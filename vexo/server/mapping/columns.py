"""Columns, keys and what the rows are for: services that the API and the command line both go through."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from django.db import transaction

from vexo.core.columns.lanes import PLAIN, Lane, check_lane
from vexo.core.columns.matches import MappingError, MatchedBy, conflict_words, conflicts
from vexo.core.conditions import read_condition
from vexo.core.documents import ALL, SENT, lane_sentence
from vexo.core.keys.record_keys import check_key, ignored_from
from vexo.core.operations import Operation
from vexo.core.records import Catalogue, Field
from vexo.core.sheets.row_filter import safe_names
from vexo.core.sheets.shape import column_titles
from vexo.core.wording import shortened

from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.facts.columns import ColumnTotals, Question, SheetColumn, ShownLane
from ..trips.models import ColumnMapping, Sheet, Trip
from ..trips.open_items import route_now
from ..trips.part_view import PartView
from ..trips.plan_jobs import enqueue_plan
from ..trips.refusals import refuse_while_open
from ..trips.sheet_cells import columns_now
from ..trips.sheets import newest_in, newest_sheet
from ..trips.status import status_facts, update_status
from .lookup_tables import claim
from .mapped_sheet import MappedSheet, known_catalogue, matches_of
from .questions import ask, asks_of_values, file_column_of, may_hold_marks


def shown_lane(field: Field, lane: Lane, header: str) -> ShownLane:
    """A lane for people: as data, as one sentence, and short."""
    values = {name: getattr(lane, name) for name in lane.__dataclass_fields__}
    return ShownLane(
        **{
            **values,
            "treatments": [treatment.to_json() for treatment in lane.treatments],
            "settled": list(lane.settled),
        },
        says=lane_sentence(field, lane, header),
        short=", ".join(treatment.short for treatment in lane.treatments),
    )


def column_facts(mapped: MappedSheet) -> list[SheetColumn]:
    """Columns as a trip's status tells them, those of the sheet first."""
    sheet, record_type = mapped.sheet, mapped.record_type
    profile, totals = sheet.profile, sheet.totals.get("now", {})
    names = safe_names(profile.columns)
    naming = {name for key in record_type.keys[:1] for name in key}
    in_file = {column.name: column for column in profile.columns}
    doubled = {id(second) for _, second in conflicts(mapped.matches, record_type)}
    columns = []
    for at, match in enumerate(mapped.matches):
        field, figures = match.field, totals.get(match.column)
        place = in_file.get(match.column)
        columns.append(
            SheetColumn(
                column=match.column,
                header=match.header,
                field=field.name if field else None,
                label=field.label if field else None,
                kind=field.kind if field else None,
                how=match.how,
                carried=match.carried,
                check=match.check,
                open=match.open,
                conflict=id(match) in doubled,
                extra=at >= len(profile.columns),
                tells=field is not None and field.name in naming,
                filled=figures["filled"] if figures else place.filled if place else sheet.rows,
                different=figures["different"] if figures else place.different if place else 1,
                totals=ColumnTotals(**figures) if figures else None,
                name_in_conditions=names.get(match.column, ""),
                lane=shown_lane(field, mapped.lane(field.name), match.header) if field else None,
            )
        )
    return columns


def update_columns(mapped: MappedSheet, *, whole: bool = False, **facts: object) -> None:
    """Write down the newest sheet's columns and key; the newest plan no longer counts.

    Args:
        whole: the plans of the trip's other parts do not count either.
        facts: other facts of the same change.
    """
    changes = {"questions": _still_open(mapped), **facts}
    update_status(mapped.view, revised=True, whole=whole, columns=column_facts(mapped), key=mapped.key_fact, **changes)


def _still_open(mapped: MappedSheet) -> dict[str, list[Question]]:
    """Questions of columns and fields that are still there; whether they are answered is looked at with the plan."""
    keys_now = {f"column:{match.column}" for match in mapped.matches if match.open} | set(mapped.field_names)
    return {key: asked for key, asked in status_facts(mapped.view).questions.items() if key in keys_now}


def ask_again(mapped: MappedSheet, lease: Lease, *, reads_all: bool = False) -> None:
    """Write down what is still asked about the columns; it makes no plan another one.

    Args:
        reads_all: all cells are read after this anyway.
    """
    looked = {match.column for match in mapped.matches if asks_of_values(match) or may_hold_marks(match, mapped)}
    beside = {header for lane in mapped.lanes.values() for header in lane.headers}
    looked |= {match.column for match in mapped.matches if match.header in beside}
    names_file = file_column_of(mapped)
    looked |= {names_file.column} if names_file else set()
    cells = mapped.cells if reads_all else columns_now(mapped.sheet, mapped.edits, sorted(looked - {""}))
    facts = status_facts(mapped.view)
    questions = ask(cells, mapped, facts.holds)
    if questions != facts.questions:
        with lease.writing():
            update_status(mapped.view, questions=questions)


def lane_words(field: Field, lane: Lane) -> str:
    """A field's lane for the journal."""
    return f"{field.label}: {lane_sentence(field, lane, lane.source).rstrip('.')}"


def _remap(view: PartView, catalogue: Catalogue, columns: Mapping[str, str]) -> None:
    """Columns go where a person says; each field is taken once."""
    trip = view.trip
    record_type = catalogue.type(trip.record_type)
    sheet = newest_sheet(view)
    by_column = column_titles(sheet.profile.columns)
    titles = {title: column for column, title in by_column.items() if title}
    headers = [column.header for column in sheet.profile.columns]
    for header, name in columns.items():
        if header not in titles:
            words = ", ".join(repr(title) for title in sorted(titles)) or "none"
            what = "no column" if header not in headers else "more than one column"
            raise PlainError(f"The sheet has {what} {header!r}. Its columns are: {words}.")
        column = titles[header]
        field = record_type.field(name) if name else None
        other = ColumnMapping.objects.filter(sheet=sheet, field=name).exclude(column=column).first() if name else None
        if other is not None and columns.get(by_column.get(other.column, "")) is None:
            raise PlainError(
                f"{field.label if field else name} is taken by the column {other.header!r}. Free it first."
            )
        carried = field is not None and not field.read_only
        ColumnMapping.objects.filter(sheet=sheet, column=column).update(
            field=name, how=MatchedBy.CHOSEN, carried=carried
        )
    for first, second in conflicts(matches_of(sheet, record_type, catalogue), record_type):
        if any(columns.get(by_column.get(one.column, one.header)) for one in (first, second)):
            raise MappingError(conflict_words(first, second))


@dataclass(frozen=True)
class Changes:
    """What is said anew about a trip's sheet; what is not said stays.

    Attributes:
        columns: header → field, empty for a column that is not carried.
        key: the fields by which rows find records; empty lets the sheet tell.
        ignores: what makes no difference between keys.
        lanes: field → its rules.
        reach: which records may be touched: ``all``, ``sent`` (those that went out), a condition, or empty for what the
            sheet says by itself.
    """

    columns: Mapping[str, str] | None = None
    key: Sequence[str] | None = None
    ignores: Sequence[str] | None = None
    operation: str = ""
    lanes: Mapping[str, Lane] | None = None
    reach: str | None = None

    @property
    def are_none(self) -> bool:
        """Whether nothing is said."""
        whole = (self.key, self.ignores, self.reach)
        return not (self.columns or self.lanes or self.operation) and all(one is None for one in whole)

    @property
    def only_lanes(self) -> bool:
        """Whether at most what is done to values is said: the records are those that were read before."""
        others = (self.key, self.ignores, self.reach)
        return not (self.columns or self.operation or any(one is not None for one in others))


NOTHING_WENT_OUT = "Nothing of this trip went out. Say which records it may touch, or all."


def check_reach(reach: str, record_type: str, catalogue: Catalogue, *, went_out: bool) -> None:
    """Raises PlainError, ConditionError, UnknownName where records cannot be limited so.

    Args:
        went_out: records of the trip went out.
    """
    text = reach.strip()
    if text == SENT and not went_out:
        raise PlainError(NOTHING_WENT_OUT, "reach")
    if text not in ("", ALL, SENT):
        read_condition(text, catalogue.type(record_type), catalogue)


def change(view: PartView, person: Person, said: Changes, *, run_here: bool = False) -> Job:
    """Say where columns go, the rules of fields, how rows find records, or what they are for; the rows are to be
    planned anew.

    Returns:
        the job that plans them.

    Raises:
        NotAllowed, PlainError, UnknownName, LaneError, RecordKeyError
    """
    columns, key, operation, lanes, ignores = said.columns, said.key, said.operation, said.lanes, said.ignores
    trip = view.trip
    require(person, Action.PREPARE)
    if operation and operation not in [o.value for o in Operation]:
        raise PlainError(f"Unknown operation {operation!r}. Use {', '.join(Operation)}.")
    catalogue = known_catalogue(trip.application)
    record_type = catalogue.type(trip.record_type)
    for name in key or ():
        record_type.field(name)
    if said.reach is not None:
        check_reach(said.reach, trip.record_type, catalogue, went_out=trip.kept_copies.exists())
    with transaction.atomic():
        trip.refresh_from_db()
        refuse_while_open(trip)
        sheet = newest_in(view)
        headers = list(column_titles(sheet.profile.columns).values()) if sheet else None
        for name, lane in (lanes or {}).items():
            if lane != PLAIN:
                check_lane(record_type.field(name), lane, headers)
        claim(trip, (lanes or {}).values())
        words = []
        if columns:
            _remap(view, catalogue, columns)
            trip.columns = {**trip.columns, **columns}
            words.append(
                "columns " + ", ".join(f"{header} → {name or 'not carried'}" for header, name in columns.items())
            )
        if key is not None:
            trip.key = list(key)
            words.append(f"key {' + '.join(key) or 'by itself'}")
        if ignores is not None:
            trip.ignores = sorted({ignored_from(one) for one in ignores})
            words.append(f"keys compared whatever their {' and '.join(trip.ignores)}" if ignores else "keys exactly")
        if said.reach is not None:
            trip.reach = said.reach.strip()
            words.append(f"reach {trip.reach or 'by itself'}")
        if operation:
            trip.operation = operation
            words.append(f"operation {operation}")
        if lanes:
            lanes_json = {**trip.lanes, **{name: lane.to_json() for name, lane in lanes.items()}}
            trip.lanes = {name: rules for name, rules in lanes_json.items() if rules}
            words.append("lanes of " + ", ".join(lane_words(record_type.field(n), lane) for n, lane in lanes.items()))
        Trip.objects.filter(pk=trip.pk).update(
            columns=trip.columns,
            key=trip.key,
            operation=trip.operation,
            lanes=trip.lanes,
            ignores=trip.ignores,
            reach=trip.reach,
        )
        if sheet is not None:
            changes_all = bool(lanes) or not said.only_lanes
            mapped = MappedSheet.of(view, sheet, catalogue)
            _refuse_keys(mapped, said)
            update_columns(mapped, whole=changes_all)
        changed = shortened(f"Trip {trip.pk}: {'; '.join(words)}", 300)
        note(person.username, "changed", changed, trip.application, trip.pk)
        # Whoever puts columns right is not told each time that the key is still to be said: the stations say it.
        waits = not run_here and key is None
        fresh = not (lanes and said.only_lanes)
        return enqueue_plan(person.username, view, run_here=run_here, fresh=fresh, waits=waits)


def _refuse_keys(mapped: MappedSheet, said: Changes) -> None:
    """Raises RecordKeyError where what was said of keys cannot be used; it is not kept then."""
    if said.key:
        check_key(said.key, mapped.record_type, mapped.field_names)
    if said.operation == Operation.CREATE_UNMATCHED:
        mapped.refuse_keyed()


def take_marks(view: PartView, person: Person) -> None:
    """Marks such as [clear] count in the newest sheet; the rows are to be planned anew.

    Raises:
        NotAllowed, PlainError
    """
    require(person, Action.PREPARE)
    with transaction.atomic():
        view.trip.refresh_from_db()
        refuse_while_open(view.trip)
        sheet = newest_sheet(view)
        Sheet.objects.filter(pk=sheet.pk).update(choices={**sheet.choices, "marks": True})
        update_status(view, revised=True)
        words = f"Marks count in {sheet.name}"
        note(person.username, "changed", words, view.trip.application, view.trip.pk, file=sheet.name)


def go_on_without(view: PartView, person: Person) -> None:
    """Go on without the columns of the trip's route that the sheet lacks; it makes no plan another one.

    Raises:
        NotAllowed, PlainError
    """
    require(person, Action.PREPARE)
    with transaction.atomic():
        view.trip.refresh_from_db()
        facts = status_facts(view)
        route, kept = route_now(facts), facts.on_route
        if route is None or kept is None or not route.missing:
            raise PlainError("The sheet lacks no column of its route.", "no-question")
        update_status(view, on_route=replace(kept, without=True))
        missing = ", ".join(route.missing)
        words = shortened(f"Trip {view.trip.pk} goes on without {missing} of the route {route.name}", 300)
        note(person.username, "changed", words, view.trip.application, view.trip.pk)
