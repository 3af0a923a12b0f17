"""A sheet that comes in: the trip that it belongs to, said or known, and where else it comes from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.core.records import RecordType
from vexo.core.sheets import Choices, SheetProfile
from vexo.core.sheets.noticing import notice

from ..applications.models import Application
from ..errors import PlainError
from ..trips.models import Trip
from ..trips.sheets import newest_in, stamp_fits
from .models import Upload
from .recognising import Found, digest_of, known_trip, part_of_sheet

NEW_TRIP = "new"


def _trip_of(asked: str, application: Application, profile: SheetProfile, record_type: RecordType) -> Trip:
    """The trip that a person says. Raises PlainError where the sheet cannot be that trip's."""
    trip = Trip.objects.filter(pk=asked, application=application).first() if asked.isdecimal() else None
    if trip is None:
        raise PlainError(f"There is no trip {asked} with {application.label}.")
    if trip.record_type != record_type.name:
        raise PlainError(f"Trip {trip.pk} is about {trip.record_type}, not {record_type.name}. Begin a new trip.")
    stamp = profile.stamp
    if stamp is None:
        return trip
    if stamp.record_type != trip.record_type:
        raise PlainError(
            f"This sheet holds {stamp.record_type} records by its stamp, and trip {trip.pk} is about "
            f"{trip.record_type}. Begin a new trip."
        )
    if not stamp_fits(trip, stamp) and Trip.objects.filter(pk=stamp.trip, application__name=stamp.application).exists():
        raise PlainError(
            f"This sheet went out on trip {stamp.trip} by its stamp. Bring it in there, or begin a new trip.",
            "which-trip",
        )
    return trip


@dataclass(frozen=True)
class Incoming:
    """A sheet wholly read: what is taken in, or is not, in one step.

    ``known`` is by what it was recognised, ``elsewhere`` the trip of another application or type that it comes from.
    """

    upload: Upload
    profile: SheetProfile
    cells: pl.DataFrame
    digest: str
    trip: Trip | None
    known: Found | None
    elsewhere: Found | None
    recognised: bool

    @property
    def origin(self) -> dict[str, Any]:
        """What is told of where it comes from."""
        if self.trip is not None and self.known is not None:
            return {"how": self.known.how, "account": self.known.account}
        if self.trip is not None:
            return {"how": "said", "account": ""}
        if self.elsewhere is not None:
            own = self.elsewhere.trip.application
            told = {"application": own.name, "label": own.label, "stage": own.stage}
            return {"how": "elsewhere", "account": self.elsewhere.account, **told}
        stamp = self.profile.stamp
        if stamp is not None:
            told = {"application": stamp.application, "label": stamp.application, "stage": stamp.stage}
            return {"how": "elsewhere", "account": "its stamp names no trip that is known here", **told}
        return {"how": "", "account": ""}


def incoming_of(
    asked: str,
    application: Application,
    upload: Upload,
    record_type: RecordType,
    read: tuple[pl.DataFrame, SheetProfile],
) -> Incoming:
    """Where a sheet belongs.

    Args:
        asked: the number of the trip that a person says, ``new``, or nothing to let the sheet tell.

    Raises:
        PlainError: where it cannot belong there, or a person has to say.
    """
    cells, profile = read
    digest = upload.digest or digest_of(upload)
    trip, known, elsewhere = None, None, None
    try:
        known, elsewhere = known_trip(profile, cells, digest, application, record_type)
    except PlainError:
        if not asked:
            raise
    if asked and asked != NEW_TRIP:
        trip = _trip_of(asked, application, profile, record_type)
        known = known if known is not None and known.trip.pk == trip.pk else None
    elif asked == NEW_TRIP:
        known = None
    elif known is not None:
        trip = known.trip
    if trip is None:
        return Incoming(upload, profile, cells, digest, None, None, elsewhere, recognised=False)
    trip.at(part_of_sheet(trip, profile, cells))
    newest = newest_in(trip)
    went_out = trip.kept_copies.exists()
    recognised = went_out and (known is None or known.how != "same" or bool(newest and newest.recognised))
    return Incoming(upload, profile, cells, digest, trip, known, None, recognised)


def refuse_unasked(incoming: Incoming, choices: Choices) -> None:
    """Raises PlainError where cells carry the guard against formulas and nobody said what becomes of it."""
    if incoming.recognised or choices.prefix:
        return
    found = [finding for finding in notice(incoming.cells, incoming.profile) if finding.kind == "prefix"]
    if found:
        raise PlainError(
            f"{found[0].text} Say whether it is taken off or kept: --prefix off or --prefix keep.", "prefix"
        )
