"""A sheet made ready to be taken in: its columns matched, its rows numbered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import polars as pl

from vexo.core.columns.lanes import Lane, check_lane, lanes_from_json
from vexo.core.columns.likeness import ComparedSheet, renamed
from vexo.core.columns.matches import ColumnMatch, MatchedBy, Offer, match_columns, with_lanes
from vexo.core.documents import BringIn
from vexo.core.records import Catalogue, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.overlay.versions import differences, lay_over
from vexo.core.sheets.shape import column_titles
from vexo.core.sheets.totals import Figures, sheet_totals

from .. import artifacts
from ..errors import PlainError
from ..mapping.mapped_sheet import matches_of
from ..recognition.belonging import Incoming
from ..recognition.likely_trips import keys_of, sent_cells
from ..recognition.row_identity import number_rows
from ..routes.models import Route
from ..routes.saved_routes import SheetFit, fit_of, fit_of_sheet
from ..trips.facts.columns import Option
from ..trips.models import Sheet, Trip
from ..trips.sheet_cells import cells_now

_MOST_OFFERED = 3
"""Columns that are offered for one that a lane of the route lacks."""


@dataclass(frozen=True)
class ImportSettings:
    """How a sheet is to come in: what was said now, over what its route says.

    ``columns`` and ``route_columns`` are header → field, by a person and by the route; ``lost`` are the lanes
    of the route whose columns the sheet lacks, by field: no other column takes these by its name. ``fit`` tells how the
    sheet fits the route. ``ignores`` is None where nothing is said.
    """

    columns: Mapping[str, str]
    route_columns: Mapping[str, str] = field(default_factory=dict)
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    key: tuple[str, ...] = ()
    operation: str = ""
    row_condition: str = ""
    lost: Mapping[str, Lane] = field(default_factory=dict)
    fit: SheetFit | None = None
    ignores: tuple[str, ...] | None = None
    reach: str = ""

    @property
    def told(self) -> bool:
        """Whether anything was said now."""
        return bool(self.columns or self.key or self.operation or self.lanes or self.reach or self.ignores is not None)


def import_settings(asked: Mapping[str, Any], incoming: Incoming, record_type: RecordType) -> ImportSettings:
    """The way that is asked for. A route counts for a sheet that begins a trip; its lanes whose columns the sheet lacks
    are left out, and told.

    Raises:
        LaneError, TreatmentError: where a lane that was said now cannot be.
        PlainError: where the route is gone, or is of another record type.
    """
    headers = list(column_titles(incoming.profile.columns).values())
    lanes = lanes_from_json(asked.get("lanes", {}))
    for name, lane in lanes.items():
        check_lane(record_type.field(name), lane, headers)
    ignores = None if asked.get("ignores") is None else tuple(asked["ignores"])
    route = _route(asked.get("route")) if incoming.trip is None else None
    if route is None:
        return ImportSettings(
            asked["columns"],
            lanes=lanes,
            key=tuple(asked["key"]),
            operation=asked["operation"],
            ignores=ignores,
            reach=asked.get("reach", ""),
        )
    document = _document(route, record_type)
    columns = {header: name for header, name in document.columns.items() if headers.count(header) == 1}
    takes = {name: header for header, name in document.columns.items() if name}
    lost = {
        name: replace(lane, source=lane.source or takes.get(name, ""))
        for name, lane in document.lanes.items()
        if not lane.fixed and any(headers.count(h) != 1 for h in (lane.source or takes.get(name), *lane.headers) if h)
    }
    kept = {name: lane for name, lane in document.lanes.items() if name not in lost}
    return ImportSettings(
        asked["columns"],
        {header: name for header, name in columns.items() if header not in asked["columns"]},
        {**kept, **lanes},
        tuple(asked["key"]) or document.key,
        asked["operation"] or document.operation.value,
        document.row_condition,
        {name: lane for name, lane in lost.items() if name not in lanes and name not in asked["columns"].values()},
        fit_of_sheet(route, document, headers),
        document.ignores if ignores is None else ignores,
        asked.get("reach", "") or document.reach,
    )


def _route(number: Any) -> Route | None:
    if not number:
        return None
    route = Route.objects.select_related("application").filter(pk=number).first()
    if route is None:
        raise PlainError("This route was deleted. Choose another one, or bring the sheet in without.", "no-route")
    return route


def _document(route: Route, record_type: RecordType) -> BringIn:
    document = fit_of(route).bringing
    if document is None or document.record_type != record_type.name:
        raise PlainError(f"The route {route.name} does not say how {record_type.plural} come in.", "no-route")
    return document


@dataclass(frozen=True)
class PreparedSheet:
    """A sheet as the trip takes it: its numbered cells and their columns, how many rows were met by which way, how it
    is read and compared, and what it has other than the version before. ``as_profiled`` tells that the profile's counts
    are of these very cells."""

    cells: pl.DataFrame
    profile: SheetProfile
    matches: list[ColumnMatch]
    known: dict[str, int]
    recognised: bool
    choices: dict[str, Any]
    differs: dict[str, Any] | None
    instead: list[Option] = field(default_factory=list)
    as_profiled: bool = False

    @cached_property
    def totals(self) -> Figures:
        """The columns in figures."""
        columns = self.profile.columns
        different = {column.name: column.different for column in columns} if self.as_profiled else {}
        return sheet_totals(self.cells, [column.name for column in columns], different)


def _differs(newest: Sheet | None, cells: pl.DataFrame, profile: SheetProfile) -> dict[str, Any] | None:
    """What a sheet has other than the version before it."""
    if newest is None or not artifacts.there(newest.cells):
        return None
    return differences(artifacts.read(newest.cells), newest.profile.columns, cells, profile.columns)


def as_new_sheet(
    incoming: Incoming, settings: ImportSettings, catalogue: Catalogue, record_type: RecordType
) -> PreparedSheet:
    """A sheet whose columns are matched and whose rows have their numbers. Raises MappingError, UnknownName."""
    trip, profile = incoming.trip, incoming.profile
    titles = set(column_titles(profile.columns).values())
    before = trip.columns if trip else {}
    chosen = {**{header: name for header, name in before.items() if header in titles}, **settings.columns}
    stamp = profile.stamp if incoming.recognised else None
    matches = match_columns(
        profile,
        record_type,
        catalogue,
        stamp=stamp,
        chosen=chosen,
        cells=incoming.cells,
        route=settings.route_columns,
    )
    matches = [_without_lost(match, settings.lost) for match in matches]
    if incoming.recognised and trip is not None:
        matches = _with_renamed(trip, incoming, record_type, matches)
    lanes = {**(lanes_from_json(trip.lanes) if trip else {}), **settings.lanes}
    with_own = with_lanes(matches, lanes, record_type)
    cells, known = number_rows(trip, incoming.cells, profile, with_own, record_type, lanes)
    differs = _differs(incoming.newest, cells, profile)
    instead = _instead(matches, settings.lost, set(titles), record_type)
    choices = incoming.upload.choices
    return PreparedSheet(
        cells, profile, matches, known, incoming.recognised, choices, differs, instead, as_profiled=True
    )


def _instead(
    matches: Sequence[ColumnMatch], lost: Mapping[str, Lane], headers: set[str], record_type: RecordType
) -> list[Option]:
    """Columns of which nothing is known and that may be what a lane of the route lacks, with that lane on them."""
    options = []
    for name, lane in lost.items():
        if lane.source in headers or not headers.issuperset(lane.headers):
            continue
        label = record_type.field(name).label
        likely = [m for m in matches if m.open and any(offer.field == name for offer in m.offers)]
        for match in likely[:_MOST_OFFERED]:
            moved = replace(lane, source=match.header)
            says = f"Take {label} from “{match.header}”, as the route takes it from “{lane.source}”"
            options.append(Option(says, {}, {name: moved.to_json()}))
    return options


def _without_lost(match: ColumnMatch, lost: Mapping[str, Lane]) -> ColumnMatch:
    """A column that only its name makes that of a lost field is asked about instead."""
    if match.field is None or match.field.name not in lost or match.how in (MatchedBy.CHOSEN, MatchedBy.ROUTE):
        return match
    others = [offer for offer in match.offers if offer.field != match.field.name]
    return replace(match, field=None, how=MatchedBy.OPEN, offers=(Offer(match.field.name, 0.0, 1.0), *others))


def _with_renamed(
    trip: Trip, incoming: Incoming, record_type: RecordType, matches: list[ColumnMatch]
) -> list[ColumnMatch]:
    """Columns of a sheet that went out whose header was changed are known by what stands in them."""
    sent = sent_cells(trip)
    free = [match.column for match in matches if match.field is None and match.how != MatchedBy.CHOSEN]
    if sent is None or not free:
        return matches
    taken = {match.field.name for match in matches if match.field}
    fields = {field.name: field for field in sent.fields if field.name not in taken}
    sheet = ComparedSheet(incoming.profile, incoming.cells)
    header_names = renamed(sheet, sent, keys_of(record_type), free, list(fields))
    return [
        replace(m, field=fields[header_names[m.column]], how=MatchedBy.CONTENTS) if m.column in header_names else m
        for m in matches
    ]


def as_partial_update(incoming: Incoming, catalogue: Catalogue, record_type: RecordType) -> PreparedSheet:
    """Rows of the trip that come back by themselves: laid over its newest sheet, whose other rows stay."""
    newest = incoming.newest
    assert newest is not None
    profile = newest.profile
    base = artifacts.read(cells_now(newest))
    cells, laid = lay_over(base, profile.columns, incoming.cells, incoming.profile)
    differs = differences(base, profile.columns, cells, profile.columns) | {"laid_over": laid}
    matches = matches_of(newest, record_type, catalogue)
    return PreparedSheet(cells, profile, matches, {"row": len(cells)}, newest.recognised, newest.choices, differs)
