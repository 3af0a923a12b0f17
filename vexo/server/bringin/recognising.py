"""Which trip a sheet belongs to: by its stamp, as the very same file, as rows of a trip, or by its contents."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.core.columns.likeness import Likeness, likeness
from vexo.core.columns.matching import match_columns
from vexo.core.records import Catalogue, Kind, RecordType, UnknownName
from vexo.core.sheets import SheetError, SheetProfile
from vexo.core.sheets.laying import row_column, share_as_they_were
from vexo.core.sheets.noticing import notice
from vexo.core.sheets.outgoing import OutgoingColumn, outgoing_columns
from vexo.core.sheets.totals import sheet_totals
from vexo.core.values import bare, normal

from .. import stages
from ..applications.models import Application
from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.leases import Lease
from ..routes.keeping import routes_for
from ..trips.models import Part, Sheet, Trip
from ..trips.sheets import kept_records, newest_in, stamp_fits
from .models import Upload
from .reading import forget_old, read_upload

_ENOUGH = 0.5
_CLEARLY = 0.1
_SOME = 0.2
_LOOKED_AT = 60
_FEWEST = 5


@dataclass(frozen=True)
class Likely:
    """A trip that a sheet may belong to, and by how much it is known. ``rows``: it is some rows of that trip's sheet,
    and not the sheet."""

    trip: Trip
    known: Likeness
    rows: bool = False

    @property
    def account(self) -> str:
        """What it is known by, in words."""
        cells = f"{self.known.equal:,} of {self.known.compared:,} cells"
        if self.rows:
            return f"{cells} are as in the newest sheet of trip {self.trip.pk}"
        if not self.known.equal:
            return f"{self.known.rows:,} of its keys went out on trip {self.trip.pk}"
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
        newest = newest_in(sheet.trip, sheet.part.number if sheet.part else 0)
        if newest is not None and newest.digest == digest:
            return Found(sheet.trip, "same", f"the very same file is the newest sheet of trip {sheet.trip_id}")
    return None


def sent_columns(trip: Trip, part: Part | None = None) -> list[OutgoingColumn] | None:
    """The columns of a trip, or of a part of it, as they went out; None where none did, or its fields are not known."""
    known, kept = trip.application.known, kept_records(trip, part)
    if known is None or kept is None:
        return None
    try:
        record_type = known.type(trip.record_type)
        fields = [known.field(record_type, name) for name in trip.fields]
        return outgoing_columns(fields, kept, record_type, known)
    except (UnknownName, pl.exceptions.ColumnNotFoundError):
        return None


def part_of_sheet(trip: Trip, profile: SheetProfile, cells: pl.DataFrame) -> int:
    """Which part of a shared-out trip a sheet is: by its stamp, else the one whose records most of it is like."""
    stamp = profile.stamp
    numbers = list(trip.parts.values_list("number", flat=True))
    if stamp is not None and stamp_fits(trip, stamp) and stamp.part in numbers:
        return stamp.part
    if len(numbers) < 2 or trip.application.known is None:
        return numbers[0] if numbers else 1
    keys = keys_of(trip.application.known.type(trip.record_type))
    best, most = trip.part, (0, 0)
    for part in trip.parts.all():
        columns = sent_columns(trip, part)
        alike = likeness(profile, cells, columns, keys) if columns is not None else None
        if alike is not None and (alike.rows, alike.equal) > most:
            best, most = part.number, (alike.rows, alike.equal)
    return best


def keys_of(record_type: RecordType) -> list[Sequence[str]]:
    """What tells the records of a type apart: its identifier, then its keys."""
    return [[record_type.identifier], *record_type.keys]


def _sent(profile: SheetProfile, cells: pl.DataFrame) -> list[Likely]:
    found = []
    headers = {column.header for column in profile.columns if column.header}
    sent = Trip.objects.filter(sheets__direction=Sheet.OUT).select_related("application").distinct()
    for trip in sent.order_by("-id")[:_LOOKED_AT]:
        columns = sent_columns(trip)
        if columns is None or trip.application.known is None or not headers & {one.header for one in columns}:
            continue
        own = likeness(profile, cells, columns, keys_of(trip.application.known.type(trip.record_type)))
        if own.equal or own.rows:
            found.append(Likely(trip, own))
    return found


def _left(profile: SheetProfile, cells: pl.DataFrame) -> list[Likely]:
    """Trips of whose newest sheet these may be some rows."""
    if row_column(profile) is None:
        return []
    found = []
    written = Trip.objects.filter(ledger__isnull=False).select_related("application").distinct()
    newest_sheets = [
        (trip, newest_in(trip, part.number))
        for trip in written.order_by("-touched_at")[:_LOOKED_AT]
        for part in trip.parts.all()
    ]
    for trip, newest in newest_sheets:
        if newest is None or not stages.there(newest.cells):
            continue
        columns = SheetProfile.from_json(newest.profile or {}).columns
        equal, filled = share_as_they_were(stages.read(newest.cells), columns, cells, profile)
        if equal:
            found.append(Likely(trip, Likeness(equal, filled, len(cells)), rows=True))
    return found


def likely_trips(profile: SheetProfile, cells: pl.DataFrame) -> list[Likely]:
    """Trips whose sheet this may be, of any application, the likeliest first."""
    found = _left(profile, cells) or _sent(profile, cells)
    return sorted(found, key=lambda one: (-one.known.equal, -one.known.rows))


def surely(likely: Sequence[Likely]) -> Found | None:
    """The trip that a sheet is known to belong to: most of its cells are as they went out, and clearly more than any
    other trip's. Keys alone, few cells or a tie are no knowledge."""
    if not likely or likely[0].known.share < _ENOUGH or not likely[0].known.equal:
        return None
    second = likely[1].known.equal if len(likely) > 1 else 0
    clearly = likely[0].known.equal - second > _CLEARLY * likely[0].known.compared
    first = likely[0]
    return Found(first.trip, "rows" if first.rows else "cells", first.account) if clearly else None


def worth_asking(likely: Sequence[Likely], rows: int) -> list[Likely]:
    """The trips that a person is asked about where none is sure: half of the sheet's rows have keys that went out
    there, or a good part of its cells are as they went out."""
    return [one for one in likely if one.known.rows * 2 >= rows or one.known.share >= _SOME][:4]


def known_trip(
    profile: SheetProfile, cells: pl.DataFrame, digest: str, application: Application, record_type: RecordType
) -> tuple[Found | None, Found | None]:
    """The trip of an application that a sheet is known to belong to; and the one of elsewhere that it comes from.

    Raises:
        PlainError: where it may belong to one; a person has to say.
    """
    found = by_stamp(profile) or as_it_came(digest)
    likely = [] if found else likely_trips(profile, cells)
    found = found or surely(likely)
    if found is not None:
        own = found.trip.application_id == application.pk and found.trip.record_type == record_type.name
        if own:
            return found, None
        return None, None if found.how == "same" else found
    here = [
        one
        for one in worth_asking(likely, profile.rows)
        if one.trip.application_id == application.pk and one.trip.record_type == record_type.name
    ]
    if here:
        told = "; ".join(one.account for one in here)
        raise PlainError(f"This sheet may belong to a trip: {told}. Say which it is, or that it is none.", "which-trip")
    return None, None


def _told(trip: Trip) -> dict[str, Any]:
    return {
        "trip": trip.pk,
        "title": trip.title,
        "application": trip.application.name,
        "record_type": trip.record_type,
    }


def recognise(lease: Lease) -> dict[str, Any]:
    """The job: which trip a file belongs to, and if to none, which record types it could be. Its cells can be looked at
    as soon as they are read."""
    upload = Upload.objects.get(pk=lease.job.arguments["upload"])
    mine = Upload.objects.filter(pk=upload.pk, recognising=lease.job.pk)
    upload.choices = lease.job.arguments.get("choices", upload.choices)
    try:
        cells, profile = read_upload(upload)
    except SheetError as error:
        if upload.profile is None:
            mine.update(trouble=str(error))
        raise
    digest = upload.digest or digest_of(upload)
    told = profile.to_json()
    mine.update(profile=told, choices=upload.choices, known=None, trouble="", digest=digest, read=True)
    forget_old()
    known = _known(profile, cells, digest)
    mine.update(known=known)
    mine.update(totals=sheet_totals(cells, [column.name for column in profile.columns]))
    return known


def _known(profile: SheetProfile, cells: pl.DataFrame, digest: str) -> dict[str, Any]:
    found = by_stamp(profile) or as_it_came(digest)
    likely = [] if found else likely_trips(profile, cells)
    found = found or surely(likely)
    if found is not None:
        return {**_told(found.trip), "how": found.how, "account": found.account}
    fits = _fits(profile, cells)
    stamp = profile.stamp
    elsewhere = f"It was sent out from {stamp.application}, but not from here." if stamp else ""
    asked = [{**_told(one.trip), "account": one.account} for one in worth_asking(likely, profile.rows)]
    noticed = [finding.to_json() for finding in notice(cells, profile)]
    routes = [] if stamp else routes_for([column.header for column in profile.columns])
    whole = [fit for fit in routes if fit.whole]
    told = {
        "trip": None,
        "rows": profile.rows,
        "account": elsewhere,
        "route": whole[0].route.pk if len(whole) == 1 and not asked else None,
        "routes": [fit.to_json() for fit in routes[:4]],
    }
    return {**told, "fits": fits[:8], "likely": asked, "noticed": noticed}


def _fits(profile: SheetProfile, cells: pl.DataFrame) -> list[dict[str, Any]]:
    """The record types that a sheet could be about, the likeliest first, and what speaks for each."""
    fits: list[dict[str, Any]] = []
    accounts = _by_values(profile, cells)
    for application in Application.objects.all():
        known = application.known
        if known is None:
            continue
        for record_type in known.types:
            columns = _known_columns(known, record_type, profile)
            share, account = accounts.get(record_type.name, (0.0, ""))
            if columns or account:
                told = {"application": application.name, "record_type": record_type.name, "plural": record_type.plural}
                fits.append({**told, "columns": columns, "account": account, "share": share})
    return sorted(fits, key=lambda fit: (-fit["columns"], -fit["share"]))


def _by_values(profile: SheetProfile, cells: pl.DataFrame) -> dict[str, tuple[float, str]]:
    """For each record type whose records went out before: the column whose values are most like a key's, in words."""
    found: dict[str, tuple[float, str]] = {}
    seen: set[tuple[int, str]] = set()
    for trip in Trip.objects.filter(kept_copies__isnull=False).select_related("application").order_by("-id").distinct():
        known = trip.application.known
        if known is None or (trip.application_id, trip.record_type) in seen or len(seen) > _LOOKED_AT:
            continue
        seen.add((trip.application_id, trip.record_type))
        kept = kept_records(trip)
        record_type = next((one for one in known.types if one.name == trip.record_type), None)
        if kept is None or record_type is None:
            continue
        keys = [record_type.field(name) for key in record_type.keys for name in key if name in kept.columns]
        for field in (field for field in keys if field.kind == Kind.TEXT):
            theirs = bare(normal(kept[field.name].cast(pl.String))).drop_nulls()
            for column in profile.columns:
                own = bare(normal(cells[column.name])).drop_nulls()
                alike = int(own.is_in(theirs.implode()).sum())
                share = alike / len(own) if len(own) else 0.0
                if share > max(_ENOUGH, found.get(record_type.name, (0.0, ""))[0]) and own.n_unique() >= _FEWEST:
                    told = (
                        f"{alike:,} of {len(own):,} values of “{column.header or column.name}” are like {field.label}"
                    )
                    found[record_type.name] = (share, f"{told} of {record_type.plural} that went out before.")
    return found


def _known_columns(known: Catalogue, record_type: RecordType, profile: SheetProfile) -> int:
    """How many columns of a sheet are known as fields of a type, by their headers."""
    return sum(1 for m in match_columns(profile, record_type, known) if m.field)
