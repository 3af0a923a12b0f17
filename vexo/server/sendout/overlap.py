"""Records that other open trips have out already."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from vexo.core.records import IDENTIFIER

from .. import stages
from ..applications.models import Application
from ..naming import names_of
from ..trips.models import Trip
from ..trips.standing import Standing

_LOOKED_AT = 60


def open_trips(application: Application, record_type: str, but: int = 0) -> list[Trip]:
    """Trips that have records of a type out and are not finished, the newest first."""
    trips = Trip.objects.filter(application=application, record_type=record_type, kept_copies__isnull=False)
    found = []
    for trip in trips.exclude(pk=but).distinct().order_by("-pk")[:_LOOKED_AT]:
        try:
            if not Standing(trip).as_json()["finished"]:
                found.append(trip)
        except (KeyError, TypeError, ValueError, AttributeError, IndexError):
            continue
    return found


def told(application: Application, record_type: str, ids: pl.Series, but: int = 0) -> list[dict[str, Any]]:
    """Which open trips have some of these records out: whose, since when, how many."""
    made = []
    for trip in open_trips(application, record_type, but):
        try:
            there = pl.concat([stages.read(copy.path, [IDENTIFIER])[IDENTIFIER] for copy in trip.kept_copies.all()])
        except stages.StageLost:
            continue
        count = int(ids.is_in(there.implode()).sum())
        if count:
            by = names_of([trip.created_by])[trip.created_by]
            since = trip.created_at.isoformat()
            made.append({"trip": trip.pk, "title": trip.title, "by": by, "since": since, "count": count})
    return made


def also_out(trip: Trip, kept: Sequence[str]) -> list[dict[str, Any]]:
    """Which other open trips have some of the records out that went out here."""
    ids = pl.concat([stages.read(path, [IDENTIFIER])[IDENTIFIER] for path in kept])
    return told(trip.application, trip.record_type, ids, trip.pk)
