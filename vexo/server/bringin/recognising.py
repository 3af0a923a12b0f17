"""Which trip a sheet belongs to: by its stamp, or by its contents."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.core.columns.likeness import Likeness, likeness
from vexo.core.columns.matching import MappingError, match_columns
from vexo.core.records import Catalogue, RecordType, UnknownName
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.outgoing import outgoing_columns

from ..applications.models import Application
from ..errors import PlainError
from ..jobs.leases import Lease
from ..trips.models import Sheet, Trip
from ..trips.sheets import kept_records, stamp_fits
from .models import Upload
from .reading import read_upload

_ENOUGH = 0.5
_CLEARLY = 0.1
_SOME = 0.2
_LOOKED_AT = 60


def by_stamp(profile: SheetProfile, application: Application) -> Trip | None:
    """The trip that the sheet's stamp names, if that trip was made here for this very application."""
    stamp = profile.stamp
    if stamp is None or stamp.application != application.name:
        return None
    trip = Trip.objects.filter(pk=stamp.trip, application=application, record_type=stamp.record_type).first()
    return trip if trip and stamp_fits(trip, stamp) else None


@dataclass(frozen=True)
class Likely:
    """A trip that a sheet may belong to, and by how much it is known."""

    trip: Trip
    known: Likeness

    @property
    def account(self) -> str:
        """What it is known by, in words."""
        if not self.known.equal:
            return f"{self.known.rows:,} of its keys went out on trip {self.trip.pk}"
        return f"{self.known.equal:,} of {self.known.compared:,} cells are as trip {self.trip.pk} sent them out"


def likely_trips(profile: SheetProfile, cells: pl.DataFrame) -> list[Likely]:
    """Trips whose sheet this may be, of any application, the likeliest first."""
    found = []
    headers = {column.header for column in profile.columns if column.header}
    sent = Trip.objects.filter(sheets__direction=Sheet.OUT).select_related("application").distinct()
    for trip in sent.order_by("-id")[:_LOOKED_AT]:
        known, kept = trip.application.known, kept_records(trip)
        if known is None or kept is None:
            continue
        try:
            record_type = known.type(trip.record_type)
            fields = [known.field(record_type, name) for name in trip.fields]
            if not headers & {field.label for field in fields}:
                continue
            columns = outgoing_columns(fields, kept, record_type, known)
        except (UnknownName, pl.exceptions.ColumnNotFoundError):
            continue
        own = likeness(profile, cells, columns, [[record_type.identifier], *record_type.keys])
        if own.equal or own.rows:
            found.append(Likely(trip, own))
    return sorted(found, key=lambda one: (-one.known.equal, -one.known.rows))


def surely(likely: Sequence[Likely]) -> Trip | None:
    """The trip that a sheet is known to belong to: most of its cells are as they went out, and clearly more than any
    other trip's. Keys alone, few cells or a tie are no knowledge."""
    if not likely or likely[0].known.share < _ENOUGH or not likely[0].known.equal:
        return None
    second = likely[1].known.equal if len(likely) > 1 else 0
    clearly = likely[0].known.equal - second > _CLEARLY * likely[0].known.compared
    return likely[0].trip if clearly else None


def worth_asking(likely: Sequence[Likely], rows: int) -> list[Likely]:
    """The trips that a person is asked about where none is sure: half of the sheet's rows have keys that went out
    there, or a good part of its cells are as they went out."""
    return [one for one in likely if one.known.rows * 2 >= rows or one.known.share >= _SOME][:4]


def by_contents(
    profile: SheetProfile, cells: pl.DataFrame, application: Application, record_type: RecordType
) -> Trip | None:
    """The trip of an application that a sheet without a stamp is known to belong to.

    Raises:
        PlainError: where it may belong to one; a person has to say.
    """
    likely = likely_trips(profile, cells)
    found = surely(likely)
    if found is not None:
        own = found.application_id == application.pk and found.record_type == record_type.name
        return found if own else None
    here = [
        one
        for one in worth_asking(likely, profile.rows)
        if one.trip.application_id == application.pk and one.trip.record_type == record_type.name
    ]
    if here:
        told = "; ".join(one.account for one in here)
        raise PlainError(f"This sheet may belong to a trip: {told}. Say which it is, or that it is none.", "which-trip")
    return None


def _told(trip: Trip) -> dict[str, Any]:
    return {
        "trip": trip.pk,
        "title": trip.title,
        "application": trip.application.name,
        "record_type": trip.record_type,
    }


def recognise(lease: Lease) -> dict[str, Any]:
    """The job: which trip a file belongs to, and if to none, which record types it could be."""
    upload = Upload.objects.get(pk=lease.job.arguments["upload"])
    cells, profile = read_upload(upload)
    fits: list[dict[str, Any]] = []
    for application in Application.objects.all():
        known = application.known
        if known is None:
            continue
        trip = by_stamp(profile, application)
        if trip is not None:
            return _told(trip)
        fits += [_fit(application, known, record_type, profile) for record_type in known.types]
    likely = likely_trips(profile, cells)
    known_trip = surely(likely)
    if known_trip is not None:
        return {**_told(known_trip), "note": likely[0].account}
    fits = sorted((fit for fit in fits if fit["columns"]), key=lambda fit: -fit["columns"])
    stamp = profile.stamp
    elsewhere = f"It was sent out from {stamp.application}." if stamp else ""
    asked = [{**_told(one.trip), "account": one.account} for one in worth_asking(likely, profile.rows)]
    return {"trip": None, "rows": profile.rows, "fits": fits[:8], "note": elsewhere, "likely": asked}


def _fit(application: Application, known: Catalogue, record_type: RecordType, profile: SheetProfile) -> dict[str, Any]:
    try:
        matched = sum(1 for m in match_columns(profile, record_type, known) if m.field)
    except MappingError:
        matched = 0
    return {
        "application": application.name,
        "record_type": record_type.name,
        "plural": record_type.plural,
        "columns": matched,
    }
