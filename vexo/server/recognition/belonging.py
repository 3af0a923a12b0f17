"""A sheet that comes in: the trip that it belongs to, said or known, and where else it comes from."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import polars as pl

from vexo.core.records import RecordType
from vexo.core.sheets import Choices, SheetProfile
from vexo.core.sheets.findings import Finding
from vexo.core.sheets.foreign_findings import notice

from ..applications.models import Application
from ..errors import PlainError
from ..trips.models import OF_RECEIPT, Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheets import newest_in, stamp_fits
from ..uploads.models import Upload
from .likely_trips import (
    Found,
    Likely,
    as_it_came,
    by_stamp,
    digest_of,
    likely_trips,
    part_of_sheet,
    surely,
    worth_asking,
)

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
class Belonging:
    """Where a file belongs: the trip that it is known to belong to, or those that it is like, the likeliest first; and
    what a person should know of how it was looked for."""

    found: Found | None
    likely: list[Likely]
    findings: list[Finding]


def belonging_of(profile: SheetProfile, cells: pl.DataFrame, digest: str) -> Belonging:
    """Where a file belongs: by its stamp, as the very same file, as rows of a trip, or by its contents."""
    origin = by_stamp(profile) or as_it_came(digest)
    if origin is not None:
        return Belonging(origin, [], [])
    likely, findings = likely_trips(profile, cells)
    return Belonging(surely(likely), likely, findings)


@dataclass(frozen=True)
class Incoming:
    """A sheet wholly read: what is taken in, or is not, in one step.

    Attributes:
        view: the trip and the part that it belongs to; None where it begins a trip.
        known: by what it was recognised.
        elsewhere: the trip of another application or type that it comes from.
        recognised: it went out from here on that trip.
        here: that other trip is of the same application.
    """

    upload: Upload
    profile: SheetProfile
    cells: pl.DataFrame
    digest: str
    view: PartView | None
    known: Found | None
    elsewhere: Found | None
    recognised: bool
    here: bool = False

    @property
    def trip(self) -> Trip | None:
        """The trip that it belongs to."""
        return self.view.trip if self.view is not None else None

    @property
    def newest(self) -> Sheet | None:
        """The sheet of that part that came in last."""
        return newest_in(self.view) if self.view is not None else None

    @property
    def origin(self) -> dict[str, Any]:
        """What is told of where it comes from."""
        if self.view is not None and self.known is not None:
            return {"how": self.known.how, "account": self.known.account}
        if self.view is not None:
            return {"how": "chosen", "account": ""}
        if self.elsewhere is not None:
            source = self.elsewhere.trip.application
            named = {"application": source.name, "label": source.label, "stage": source.stage}
            stamp = self.profile.stamp
            if stamp is not None and stamp.rows and self.here:
                return {"how": OF_RECEIPT, "account": "", "record_type": self.elsewhere.trip.record_type, **named}
            return {"how": "elsewhere", "account": self.elsewhere.account, **named}
        stamp = self.profile.stamp
        if stamp is not None:
            named = {"application": stamp.application, "label": stamp.application, "stage": stamp.stage}
            return {"how": "elsewhere", "account": "its stamp names no trip that is known here", **named}
        return {"how": "", "account": ""}


def _asked_which(likely: list[Likely], rows: int, application: Application, record_type: RecordType) -> None:
    """Raises PlainError where a sheet may belong to a trip of the application; a person has to say."""
    here = [
        one
        for one in worth_asking(likely, rows)
        if one.trip.application_id == application.pk and one.trip.record_type == record_type.name
    ]
    if here:
        accounts = "; ".join(one.account for one in here)
        raise PlainError(
            f"This sheet may belong to a trip: {accounts}. Say which it is, or that it is none.", "which-trip"
        )


def _looked_before(upload: Upload) -> Found | None:
    """What was found out about a file while it waited."""
    known = upload.belongs_to or {}
    trip = Trip.objects.filter(pk=known["trip"]).first() if known.get("trip") else None
    return Found(trip, known["how"], known["account"]) if trip is not None else None


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
    trip: Trip | None = None
    known: Found | None = None
    elsewhere: Found | None = None
    if asked and asked != NEW_TRIP:
        trip = _trip_of(asked, application, profile, record_type)
        # Whose contents it has need not be found out where a person says it.
        origin = _looked_before(upload) or by_stamp(profile) or as_it_came(digest)
        known = origin if origin is not None and origin.trip.pk == trip.pk else None
    else:
        belonging = belonging_of(profile, cells, digest)
        origin = belonging.found
        profile = replace(profile, findings=(*profile.findings, *belonging.findings))
        if origin is None and not asked:
            _asked_which(belonging.likely, profile.rows, application, record_type)
        here = origin is not None and origin.trip.application_id == application.pk
        if origin is not None and here and origin.trip.record_type == record_type.name:
            known = origin if not asked else None
            trip = known.trip if known is not None else None
        elif origin is not None and origin.how != "same":
            elsewhere = origin
    if trip is None:
        same = elsewhere is not None and elsewhere.trip.application_id == application.pk
        return Incoming(upload, profile, cells, digest, None, None, elsewhere, recognised=False, here=same)
    view = PartView(trip, part_of_sheet(trip, profile, cells))
    newest = newest_in(view)
    went_out = trip.kept_copies.exists()
    recognised = went_out and (known is None or known.how != "same" or bool(newest and newest.recognised))
    return Incoming(upload, profile, cells, digest, view, known, None, recognised)


def refuse_unasked(incoming: Incoming, choices: Choices) -> None:
    """Raises PlainError where cells carry the guard against formulas and nobody said what becomes of it."""
    if incoming.recognised or choices.prefix:
        return
    findings = [finding for finding in notice(incoming.cells, incoming.profile) if finding.kind == "prefix"]
    if findings:
        raise PlainError(f"{findings[0].text} Say whether it is taken off or kept.", "prefix")
