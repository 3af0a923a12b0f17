"""Records that other open trips have out already."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from vexo.core.records import IDENTIFIER

from .. import artifacts
from ..applications.models import Application
from ..naming import names_of
from ..trips.facts.parts import AlsoOut
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.status import UNREADABLE, TripStatus

_LOOKED_AT = 60
"""Trips, the newest first, among which rows that are out already are looked for."""


def open_trips(application: Application, record_type: str, but: int = 0) -> list[Trip]:
    """Trips that have records of a type out and are not finished, the newest first."""
    trips = Trip.objects.filter(application=application, record_type=record_type, kept_copies__isnull=False)
    earlier_trips = []
    for trip in trips.exclude(pk=but).distinct().order_by("-pk")[:_LOOKED_AT]:
        try:
            if not TripStatus(PartView.of(trip)).finished:
                earlier_trips.append(trip)
        except UNREADABLE:
            continue
    return earlier_trips


def already_out(application: Application, record_type: str, ids: pl.Series, but: int = 0) -> list[AlsoOut]:
    """Which open trips have some of these records out: whose, since when, how many."""
    others = []
    for trip in open_trips(application, record_type, but):
        try:
            table = pl.concat([artifacts.read(copy.path, [IDENTIFIER])[IDENTIFIER] for copy in trip.kept_copies.all()])
        except artifacts.ArtifactLost:
            continue
        count = int(ids.is_in(table.implode()).sum())
        if count:
            by = names_of([trip.created_by])[trip.created_by]
            others.append(AlsoOut(trip.pk, trip.title, by, trip.created_at, count))
    return others


def also_out(trip: Trip, kept: Sequence[str]) -> list[AlsoOut]:
    """Which other open trips have some of the records out that went out here."""
    ids = pl.concat([artifacts.read(path, [IDENTIFIER])[IDENTIFIER] for path in kept])
    return already_out(trip.application, trip.record_type, ids, trip.pk)
