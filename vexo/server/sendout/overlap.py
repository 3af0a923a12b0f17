"""Records that other open trips have out already."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import polars as pl

from vexo.core.records import IDENTIFIER
from vexo.core.wording import thousands

from .. import artifacts
from ..applications.models import Application
from ..naming import names_of
from ..trips.facts.parts import AlsoOut
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.status import UNREADABLE, TripStatus

LOOKED_AT = 60
"""Trips that have records out, the newest first, in which these are looked for: their kept copies are read."""
_MOST = 1_000
"""Trips of which it is seen whether they are finished."""


@dataclass(frozen=True)
class Overlap:
    """Trips that have some records out; ``note`` says what was not looked at, empty where all was."""

    trips: list[AlsoOut] = field(default_factory=list)
    note: str = ""


def open_trips(application: Application, record_type: str, but: int = 0) -> tuple[list[Trip], bool]:
    """Trips that have records of a type out and are not finished, the newest first; and whether these are all."""
    trips = Trip.objects.filter(application=application, record_type=record_type, kept_copies__isnull=False)
    earlier_trips: list[Trip] = []
    for at, trip in enumerate(trips.exclude(pk=but).distinct().order_by("-pk")[: _MOST + 1]):
        if at == _MOST or len(earlier_trips) == LOOKED_AT:
            return earlier_trips, False
        try:
            if not TripStatus(PartView.of(trip)).finished:
                earlier_trips.append(trip)
        except UNREADABLE:
            continue
    return earlier_trips, True


def already_out(application: Application, record_type: str, ids: pl.Series, but: int = 0) -> Overlap:
    """Which open trips have some of these records out: whose, since when, how many."""
    others = []
    trips, whole = open_trips(application, record_type, but)
    for trip in trips:
        try:
            table = pl.concat([artifacts.read(copy.path, [IDENTIFIER])[IDENTIFIER] for copy in trip.kept_copies.all()])
        except artifacts.ArtifactLost:
            continue
        count = int(ids.is_in(table.implode()).sum())
        if count:
            by = names_of([trip.created_by])[trip.created_by]
            others.append(AlsoOut(trip.pk, trip.title, by, trip.created_at, count))
    if whole:
        return Overlap(others)
    return Overlap(
        others, f"Only the newest trips with records out were looked through, {thousands(len(trips))} of them."
    )


def also_out(trip: Trip, kept: Sequence[str]) -> Overlap:
    """Which other open trips have some of the records out that went out here."""
    ids = pl.concat([artifacts.read(path, [IDENTIFIER])[IDENTIFIER] for path in kept])
    return already_out(trip.application, trip.record_type, ids, trip.pk)
