"""Which trip a sheet belongs to: by its stamp, as the very same file, as rows of a trip, or by its contents."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache

import polars as pl
from django.db.models import F, Max, QuerySet

from vexo.core.columns.likeness import ComparedSheet, Likeness, Sent, form, likeness
from vexo.core.records import IDENTIFIER, Field, RecordType, UnknownName
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.findings import Finding
from vexo.core.sheets.overlay.versions import alike_cells, row_column, share_as_they_were
from vexo.core.sheets.writers.outgoing import cells_of, column_of
from vexo.core.wording import thousands

from .. import artifacts
from ..artifacts import ArtifactLost
from ..data_folder import absolute
from ..trips.models import Part, Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheets import kept_paths, newest_in, stamp_fits
from ..trips.status import UNREADABLE, TripStatus
from ..uploads.models import Upload

_SURE_SHARE = 0.5
"""Share of a sheet's cells that have to be as they went out before it counts as that trip's (``semantics.md`` 10.1)."""
_CLEAR_LEAD = 0.1
"""Share of the compared cells by which the likeliest trip has to lead the next one."""
_ASKED_SHARE = 0.2
"""Share of a sheet's cells as they went out from which a person is asked about a trip."""
_CORRECTED_SHARE = 0.8
"""Share of a sheet's cells that are those of a sheet that came before, from which it may be that one, corrected."""
_MOST_TRIPS = 60
"""Trips that are looked through, the newest first."""
_MANY = 5_000
"""Rows from which whole columns are read instead of the rows that are asked for."""
_MOST_ASKED = 4
"""Trips that a person is asked about."""


@dataclass(frozen=True)
class Likely:
    """A trip that a sheet may belong to, and by how much it is known. ``rows``: it is some rows of that trip's sheet,
    and not the sheet; ``came``: it is like a sheet from elsewhere that came in there and has not wholly gone."""

    trip: Trip
    known: Likeness
    rows: bool = False
    came: bool = False

    @property
    def account(self) -> str:
        """What it is known by, in words."""
        cells = f"{thousands(self.known.equal)} of {thousands(self.known.compared)} cells"
        if self.rows or self.came:
            return f"{cells} are as in the newest sheet of trip {self.trip.pk}"
        if not self.known.equal:
            return f"{thousands(self.known.rows)} of its keys went out on trip {self.trip.pk}"
        return f"{cells} are as trip {self.trip.pk} sent them out"


@dataclass(frozen=True)
class Found:
    """The trip that a sheet is known to belong to, and how: by its stamp, as the same file, its rows or its cells."""

    trip: Trip
    how: str
    account: str


def digest_of(upload: Upload) -> str:
    """A file's content as one text; of a list in parts that of all its files."""
    digests = []
    for one in upload.whole_list:
        with absolute(one.path).open("rb") as file:
            digests.append(hashlib.file_digest(file, "sha256").hexdigest())
    return digests[0] if len(digests) == 1 else hashlib.sha256(" ".join(digests).encode()).hexdigest()


def by_stamp(profile: SheetProfile) -> Found | None:
    """The trip that the sheet's stamp names, if that trip was made here."""
    stamp = profile.stamp
    if stamp is None:
        return None
    trips = Trip.objects.select_related("application")
    trip = trips.filter(pk=stamp.trip, application__name=stamp.application, record_type=stamp.record_type).first()
    if trip is None or not stamp_fits(trip, stamp):
        return None
    return Found(trip, "stamp", f"its stamp names trip {trip.pk}")


def as_it_came(digest: str) -> Found | None:
    """The trip whose newest sheet is this very file."""
    for sheet in (
        Sheet.objects.filter(direction=Sheet.IN, digest=digest).select_related("trip__application").order_by("-id")
    ):
        newest = newest_in(PartView.of(sheet.trip, sheet.part.number if sheet.part else 0))
        if newest is not None and newest.digest == digest:
            return Found(sheet.trip, "same", f"the very same file is the newest sheet of trip {sheet.trip_id}")
    return None


def sent_cells(trip: Trip, part: Part | None = None) -> Sent | None:
    """What went out of a trip, or of a part of it; None where nothing did, or its fields are not known."""
    known, paths = trip.application.known, kept_paths(trip, part)
    if known is None or not paths:
        return None
    try:
        record_type = known.type(trip.record_type)
        fields = [known.field(record_type, name) for name in trip.fields]
    except UnknownName:
        return None
    columns_of_copy = {path: artifacts.columns_of(path) for path in paths}
    if not {column_of(field, known) for field in fields} <= set().union(*columns_of_copy.values()):
        return None

    @cache
    def cells(field: Field) -> pl.Series:
        name = column_of(field, known)
        copies = [
            artifacts.read(path, [name if name in columns else IDENTIFIER]) for path, columns in columns_of_copy.items()
        ]
        return cells_of([field], pl.concat(copies, how="diagonal"), record_type, known).to_series()

    def forms(field: Field) -> pl.Series:
        signature = known.field(record_type, field.name).signature
        name = artifacts.named(trip.pk, "form", paths, field.name, signature, column_of(field, known))
        if artifacts.there(name):
            return artifacts.read(name)["form"]
        forms_made = form(field, cells(field)).alias("form")
        artifacts.write(forms_made.to_frame(), name)
        return forms_made

    def some(places: pl.Series) -> Callable[[Field], pl.Series]:
        known_places = places.drop_nulls()
        if len(known_places) > _MANY:
            return lambda field: cells(field).gather(places)
        rows = _rows_of(paths, known_places)
        beside = places.is_not_null().cum_sum().cast(pl.Int64) - 1
        beside = beside.set(places.is_null(), None)
        return lambda field: cells_of([field], rows, record_type, known).to_series().gather(beside)

    return Sent(fields, cells, forms, some)


def _rows_of(paths: Sequence[str], places: pl.Series) -> pl.DataFrame:
    """Rows of tables by their places in all of them, one table after the other."""
    if len(paths) == 1:
        return artifacts.read_rows(paths[0], places)
    return pl.concat([artifacts.read(path) for path in paths], how="diagonal")[places.to_list()]


def part_of_sheet(trip: Trip, profile: SheetProfile, cells: pl.DataFrame) -> int:
    """Which part of a shared-out trip a sheet is: by its stamp, else the one whose records most of it is like."""
    stamp = profile.stamp
    numbers = list(trip.parts.values_list("number", flat=True))
    if stamp is not None and stamp_fits(trip, stamp) and stamp.part in numbers:
        return stamp.part
    if len(numbers) < 2 or trip.application.known is None:
        return numbers[0] if numbers else 1
    keys = keys_of(trip.application.known.type(trip.record_type))
    best, most = trip.last_part, (0, 0)
    sheet = ComparedSheet(profile, cells)
    for part in trip.parts.all():
        sent = sent_cells(trip, part)
        alike = likeness(sheet, sent, keys) if sent is not None else None
        if alike is not None and (alike.rows, alike.equal) > most:
            best, most = part.number, (alike.rows, alike.equal)
    return best


def keys_of(record_type: RecordType) -> list[Sequence[str]]:
    """What tells the records of a type apart: its identifier, then its keys."""
    return [[record_type.identifier], *record_type.keys]


class _Search:
    """Looking for the trips that a sheet may belong to; ``findings`` are what stood in its way."""

    def __init__(self, profile: SheetProfile, cells: pl.DataFrame) -> None:
        self._profile, self._cells = profile, cells
        self.findings: list[Finding] = []

    def _newest(self, trips: QuerySet[Trip], order: str) -> list[Trip]:
        """The trips that are looked through."""
        some = list(trips.select_related("application").distinct().order_by(order)[: _MOST_TRIPS + 1])
        if len(some) > _MOST_TRIPS:
            words = (
                f"Only the newest {_MOST_TRIPS} trips were looked through for this sheet. If it is of an older one, "
            )
            self.findings.append(Finding("older-trips", f"{words}say which."))
        return some[:_MOST_TRIPS]

    def _lost(self, trip: Trip, error: ArtifactLost) -> None:
        words = f"Whether this sheet is of trip {trip.pk} could not be looked at: {error}"
        self.findings.append(Finding("trip-lost", words))

    def sent(self) -> list[Likely]:
        """Trips whose records, as they went out, this may be."""
        candidates = []
        sheet = ComparedSheet(self._profile, self._cells)
        headers = {column.header for column in self._profile.columns if column.header}
        for trip in self._newest(Trip.objects.filter(sheets__direction=Sheet.OUT), "-id"):
            try:
                sent = sent_cells(trip)
                if sent is None or trip.application.known is None or not headers & {f.label for f in sent.fields}:
                    continue
                known = likeness(sheet, sent, keys_of(trip.application.known.type(trip.record_type)))
            except ArtifactLost as error:
                self._lost(trip, error)
                continue
            if known.equal or known.rows:
                candidates.append(Likely(trip, known))
        return candidates

    def left(self) -> list[Likely]:
        """Trips of whose newest sheet these may be some rows."""
        if row_column(self._profile) is None:
            return []
        candidates = []
        for trip in self._newest(Trip.objects.filter(ledger__isnull=False), "-touched_at"):
            for part in trip.parts.all():
                newest = newest_in(PartView(trip, part.number))
                if newest is None or not newest.cells:
                    continue
                try:
                    cells = artifacts.read(newest.cells)
                except ArtifactLost as error:
                    self._lost(trip, error)
                    continue
                equal, filled = share_as_they_were(cells, newest.profile.columns, self._cells, self._profile)
                if equal:
                    candidates.append(Likely(trip, Likeness(equal, filled, len(self._cells)), rows=True))
        return candidates

    def came(self) -> list[Likely]:
        """Trips of whose sheet from elsewhere this may be a corrected version: those that still wait for something."""
        headers = sorted(column.header for column in self._profile.columns)
        candidates = []
        trips = self._newest(Trip.objects.exclude(sheets__direction=Sheet.OUT), "-id")
        sheets = _newest_sheets(trips)
        for trip in trips:
            try:
                known = self._as_it_came(trip, sheets.get(trip.pk), headers)
            except ArtifactLost as error:
                self._lost(trip, error)
                continue
            except UNREADABLE:
                # Its page says what is wrong with it; it stands in no other's way.
                continue
            if known is not None and known[0] >= _CORRECTED_SHARE * max(known[1], 1):
                candidates.append(Likely(trip, Likeness(*known, 0), came=True))
        return candidates

    def _as_it_came(self, trip: Trip, newest: Sheet | None, headers: list[str]) -> tuple[int, int] | None:
        """How many cells are those of a trip's newest sheet, and of how many; None where it has other columns, or waits
        for nothing."""
        if newest is None or headers != sorted(column.header for column in newest.profile.columns):
            return None
        if trip.passes.exists() and not TripStatus(PartView.of(trip)).open:
            return None
        before = artifacts.read(newest.cells)
        return alike_cells(self._cells, self._profile.columns, before, newest.profile.columns)


def _newest_sheets(trips: Sequence[Trip]) -> dict[int, Sheet]:
    """The sheet of each trip that came in last, by the trip's number, in one question."""
    came = Sheet.objects.filter(direction=Sheet.IN, trip__in=trips, part__number=F("trip__last_part"))
    newest = came.order_by().values("trip").annotate(newest=Max("id")).values("newest")
    return {sheet.trip_id: sheet for sheet in Sheet.objects.filter(pk__in=newest).only("trip", "cells", "profile_json")}


def likely_trips(profile: SheetProfile, cells: pl.DataFrame) -> tuple[list[Likely], list[Finding]]:
    """Trips whose sheet this may be, of any application, the likeliest first; and what a person should know of the
    search."""
    search = _Search(profile, cells)
    trips = search.left() or [*search.sent(), *search.came()]
    return sorted(trips, key=lambda one: (-one.known.equal, -one.known.rows)), list(dict.fromkeys(search.findings))


def surely(likely: Sequence[Likely]) -> Found | None:
    """The trip that a sheet is known to belong to: most of its cells are as they went out, and clearly more than any
    other trip's. Keys alone, few cells or a tie prove nothing."""
    likely = [one for one in likely if not one.came]
    if not likely or likely[0].known.share < _SURE_SHARE or not likely[0].known.equal:
        return None
    second = likely[1].known.equal if len(likely) > 1 else 0
    clearly = likely[0].known.equal - second > _CLEAR_LEAD * likely[0].known.compared
    first = likely[0]
    return Found(first.trip, "rows" if first.rows else "cells", first.account) if clearly else None


def worth_asking(likely: Sequence[Likely], rows: int) -> list[Likely]:
    """The trips that a person is asked about where none is sure: half of the sheet's rows have keys that went out
    there, or a good part of its cells are as they went out."""
    return [one for one in likely if one.known.rows * 2 >= rows or one.known.share >= _ASKED_SHARE][:_MOST_ASKED]
