"""Bringing a sheet in: read, recognised, matched, its rows numbered; it counts once all of that is done."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl
from django.db import transaction

from vexo.core.columns.matching import ColumnMatch, match_columns
from vexo.core.planning.verdicts import Operation
from vexo.core.records import Catalogue, RecordType
from vexo.core.sheets import SheetError, SheetProfile

from .. import stages
from ..applications.models import Application
from ..applications.services import client_of, describe
from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.working import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Mapping as ColumnMapping
from ..trips.models import Sheet, Trip
from ..trips.sheets import part_of
from .columns import tell_columns
from .identity import number_rows
from .models import Upload
from .reading import forget, read_upload
from .recognising import by_contents, by_stamp

NEW_TRIP = "new"
_TRIES = 3


def _once(upload: Upload, column: str, make: Any) -> Job:
    """The job that was asked for before, or a new one; one that failed may be asked for again."""
    with transaction.atomic():
        upload.refresh_from_db()
        number = getattr(upload, column)
        before = Job.objects.filter(pk=number).first() if number else None
        if before is not None and before.state not in (Job.FAILED, Job.STOPPED):
            return before
        job: Job = make()
        Upload.objects.filter(pk=upload.pk).update(**{column: job.pk})
    return job


def start_recognising(upload: Upload, person: Person) -> Job:
    """Ask which trip an upload belongs to."""
    require(person, Action.PREPARE)
    return _once(upload, "recognising", lambda: enqueue("recognise", person.username, upload=upload.pk))


def start_bringing_in(
    application: Application,
    record_type: str,
    upload: Upload,
    person: Person,
    *,
    key: Sequence[str] = (),
    operation: str = "",
    said: Mapping[str, str] | None = None,
    trip: str = "",
    title: str = "",
    mine: bool = False,
) -> Job:
    """Ask for an upload to be brought in. ``trip`` is a number, ``new``, or empty to let the sheet tell.

    Asked twice for the same upload, it is done once.
    """
    require(person, Action.PREPARE)
    if operation and operation not in [o.value for o in Operation]:
        raise PlainError(f"{operation!r} is no operation; use {', '.join(Operation)}.")
    asked: dict[str, Any] = {
        "application": application.name,
        "record_type": record_type,
        "upload": upload.pk,
        "key": list(key),
        "operation": operation,
        "said": dict(said or {}),
        "asked_trip": trip,
        "title": title,
        "here": mine,
    }
    return _once(upload, "bringing", lambda: enqueue("bring in", person.username, mine=mine, **asked))


def _trip_of(
    job: Job, application: Application, upload: Upload, profile: SheetProfile, cells: Any, catalogue: Any, own: Any
) -> tuple[Trip | None, bool]:
    """The trip the sheet belongs to, or None for a new one; and whether it was sent out on that trip."""
    asked = str(job.arguments["asked_trip"])
    if asked and asked != NEW_TRIP:
        trip = Trip.objects.filter(pk=asked, application=application).first() if asked.isdecimal() else None
        if trip is None:
            raise PlainError(f"There is no trip {asked} with {application.label}.")
        if trip.record_type != own.name:
            raise PlainError(f"Trip {trip.pk} is about {trip.record_type}, not {own.name}. Begin a new trip.")
        return trip, trip.kept_copies.exists()
    if asked != NEW_TRIP:
        found = by_stamp(profile, application) or by_contents(profile, cells, application, own)
        if found is not None:
            return found, True
    return None, False


def bring_in(lease: Lease) -> dict[str, Any]:
    """The job. Until its last step nothing of the trip is touched."""
    job = lease.job
    asked = job.arguments
    application = Application.objects.get(name=asked["application"])
    upload = Upload.objects.get(pk=asked["upload"])
    lease.progress(0, 4, "reading the file")
    cells, profile = read_upload(upload)
    if profile.rows == 0:
        raise SheetError(f"{upload.name} has a header but no rows below it.")
    with client_of(application) as client:
        catalogue = describe(application, client)
    record_type = catalogue.type(asked["record_type"])
    lease.progress(1, 4, "looking where it belongs")
    trip, recognised = _trip_of(job, application, upload, profile, cells, catalogue, record_type)
    said = {**(trip.said if trip else {}), **asked["said"]}
    headers = {column.header for column in profile.columns}
    if trip is not None:
        said = {header: field for header, field in said.items() if header in headers or header in asked["said"]}
    matches = match_columns(profile, record_type, catalogue, profile.stamp if recognised else None, said)
    if not any(match.field for match in matches):
        named = ", ".join(repr(c.header) for c in profile.columns[:12])
        raise PlainError(
            f"No column of {upload.name} is known as a field of {record_type.plural}: {named}. "
            "Say what goes where, or check that the header is in the first row.",
            "columns",
        )
    with absolute(upload.path).open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    for _ in range(_TRIES):
        lease.progress(2, 4, "numbering rows")
        if trip is not None:
            trip.refresh_from_db()
        numbered, known = number_rows(trip, cells, profile, matches, record_type)
        found = Found(profile, numbered, known, matches, recognised, digest)
        kept = stages.keep(numbered, "sheets", "cells")
        with lease.writing():
            done = _take_in(job, application, upload, catalogue, record_type, trip, found, kept)
        if done is not None:
            forget(upload)
            return done
    raise PlainError("Sheets of this trip come in faster than they can be read. Bring this one in again.")


@dataclass(frozen=True)
class Found:
    """A sheet wholly read: what is taken in, or is not, in one step."""

    profile: SheetProfile
    cells: pl.DataFrame
    known: dict[str, int]
    matches: list[ColumnMatch]
    recognised: bool
    digest: str


def _new_trip(job: Job, application: Application, upload: Upload, record_type: RecordType) -> Trip:
    named = re.sub(r"[_\-]+", " ", Path(upload.name).stem).strip().capitalize()
    return Trip.objects.create(
        title=(job.arguments["title"] or named or "Sheet")[:160],
        application=application,
        record_type=record_type.name,
        standing={"plural": record_type.plural},
        created_by=job.by,
    )


def _take_in(
    job: Job,
    application: Application,
    upload: Upload,
    catalogue: Catalogue,
    record_type: RecordType,
    trip: Trip | None,
    found: Found,
    kept: str,
) -> dict[str, Any] | None:
    """The last step, in one transaction; None where another sheet of the trip came in meanwhile."""
    asked, profile = job.arguments, found.profile
    if trip is None:
        trip = _new_trip(job, application, upload, record_type)
    elif Trip.objects.values_list("next_row", "revision").get(pk=trip.pk) != (trip.next_row, trip.revision):
        return None
    stamped = profile.stamp.part if found.recognised and profile.stamp else 1
    sheet = Sheet.objects.create(
        trip=trip,
        part=part_of(trip, stamped),
        direction=Sheet.IN,
        name=upload.name,
        path=upload.path,
        digest=found.digest,
        cells=kept,
        rows=profile.rows,
        first_row=trip.next_row,
        known_rows=found.known,
        profile=profile.to_json(),
        recognised=found.recognised,
        added_by=job.by,
    )
    ColumnMapping.objects.bulk_create(
        ColumnMapping(
            sheet=sheet,
            column=match.column,
            header=match.header,
            field=match.field.name if match.field else "",
            how=match.how,
            carried=match.carried,
        )
        for match in found.matches
    )
    trip.next_row += len(found.cells) - sum(found.known.values())
    trip.said = {**trip.said, **asked["said"]}
    trip.operation = asked["operation"] or trip.operation or Operation.UPDATE
    trip.key = asked["key"] or trip.key
    values = {"next_row": trip.next_row, "said": trip.said, "operation": trip.operation, "key": trip.key}
    Trip.objects.filter(pk=trip.pk).update(**values)
    told = {
        "id": sheet.pk,
        "rows": sheet.rows,
        "name": sheet.name,
        "at": sheet.added_at.isoformat(),
        "recognised": found.recognised,
    }
    tell_columns(trip, sheet, catalogue, {"sheet": told, "plural": record_type.plural})
    Job.objects.filter(pk=job.pk).update(trip=trip)
    words = f"Brought in {upload.name}, {profile.rows:,} rows" + (", recognised" if found.recognised else "")
    note(job.by, "brought in", words, application, trip.pk, profile.rows, upload.name)
    following = enqueue("plan", job.by, trip, mine=bool(asked.get("here")), fresh=True)
    return {"trip": trip.pk, "recognised": found.recognised, "known": found.known, "next": following.pk}
