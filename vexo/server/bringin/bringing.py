"""Bringing a sheet in: read, recognised, matched, its rows numbered; it counts once all of that is done."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from vexo.core.columns.matching import conflicts
from vexo.core.keys.finding import suggest_key
from vexo.core.planning.verdicts import Operation
from vexo.core.records import Catalogue, RecordType
from vexo.core.sheets import Choices, SheetError
from vexo.core.sheets.laying import ROW_HEADER, row_column
from vexo.core.sheets.sheet import ROW_ID

from .. import stages
from ..applications.models import Application
from ..applications.services import client_of, describe
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.working import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Mapping as ColumnMapping
from ..trips.models import Route, Sheet, Trip
from ..trips.sheets import newest_in, newest_sheet, part_of
from ..trips.standing import lay_on_table, tell
from .asking import holdings
from .columns import all_matches, ask_again, tell_columns
from .edits import tell_edited
from .incoming import Incoming, incoming_of, refuse_unasked
from .making import Made, Way, laid_over, numbered, way_of
from .models import Upload
from .reading import read_upload
from .tables import claim

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


def start_recognising(upload: Upload, person: Person, *, mine: bool = False) -> Job:
    """Ask which trip an upload belongs to."""
    require(person, Action.PREPARE)
    return _once(upload, "recognising", lambda: enqueue("recognise", person.username, mine=mine, upload=upload.pk))


def read_otherwise(upload: Upload, person: Person, choices: Choices) -> Job:
    """Read a file that waits by other choices, and find anew where it belongs; where it cannot be read so, it stays as
    it was. Raises NotAllowed, PlainError."""
    require(person, Action.PREPARE)
    if upload.trip_id is not None:
        raise PlainError(f"{upload.name} is in on trip {upload.trip_id} already.", "is-in")
    with transaction.atomic():
        job = enqueue("recognise", person.username, upload=upload.pk, choices=choices.to_json())
        Upload.objects.filter(pk=upload.pk).update(recognising=job.pk, bringing=None)
    return job


def bring_in_otherwise(trip: Trip, person: Person, choices: Choices, *, mine: bool = False) -> Job:
    """Read the file of the trip's newest sheet by other choices; it comes in as a newer version of the sheet.

    Raises:
        NotAllowed, PlainError: where the trip's sheet is no file that was brought.
    """
    sheet = newest_sheet(trip)
    number = sheet.path.rpartition("/")[2]
    upload = Upload.objects.filter(pk=number).first() if number.isdecimal() else None
    if upload is None or upload.path != sheet.path:
        raise PlainError(f"{sheet.name} was not brought as a file. Bring it in again.", "no-upload")
    Upload.objects.filter(pk=upload.pk).update(bringing=None)
    upload.refresh_from_db()
    return start_bringing_in(
        trip.application, trip.record_type, upload, person, trip=str(trip.pk), choices=choices, mine=mine
    )


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
    choices: Choices | None = None,
    lanes: Mapping[str, Any] | None = None,
    route: int | None = None,
    mine: bool = False,
) -> Job:
    """Ask for an upload to be brought in. ``trip`` is a number, ``new``, or empty to let the sheet tell.

    Asked twice for the same upload, it is done once.

    Args:
        choices: how it is to be read, where that is said here and not before.
        lanes: field → lane as data, laid over those of the route.
        route: the number of the route that says how it comes in, where it begins a trip.
    """
    require(person, Action.PREPARE)
    if operation and operation not in [o.value for o in Operation]:
        raise PlainError(f"{operation!r} is no operation; use {', '.join(Operation)}.")
    if choices is not None:
        Upload.objects.filter(pk=upload.pk).update(choices=choices.to_json())
    asked: dict[str, Any] = {
        "application": application.name,
        "record_type": record_type,
        "upload": upload.pk,
        "key": list(key),
        "operation": operation,
        "said": dict(said or {}),
        "asked_trip": trip,
        "title": title,
        "lanes": dict(lanes or {}),
        "route": route,
        "here": mine,
    }
    return _once(upload, "bringing", lambda: enqueue("bring in", person.username, mine=mine, **asked))


def bring_in(lease: Lease) -> dict[str, Any]:
    """The job. Until its last step nothing of the trip is touched."""
    job = lease.job
    asked = job.arguments
    application = Application.objects.get(name=asked["application"])
    upload = Upload.objects.get(pk=asked["upload"])
    lease.progress(0, 4, "reading the file")
    read = read_upload(upload)
    if read[1].rows == 0:
        raise SheetError(f"{upload.name} has a header but no rows below it.")
    with client_of(application) as client:
        catalogue = describe(application, client)
        record_type = catalogue.type(asked["record_type"])
        lease.progress(1, 4, "looking where it belongs")
        incoming = incoming_of(str(asked["asked_trip"]), application, upload, record_type, read)
        holds = holdings(client, record_type, ranges=not incoming.recognised)
    way = way_of(asked, incoming, record_type)
    newest = newest_in(incoming.trip) if incoming.trip is not None else None
    if newest and not way.told and newest.digest == incoming.digest and _read_alike(upload, newest):
        return _as_it_was(lease, upload, newest)
    rows = row_column(incoming.profile) is not None and newest is not None
    stamp = incoming.profile.stamp
    if stamp is not None and stamp.rows and not rows and incoming.trip is not None:
        raise SheetError(
            f"{upload.name} holds rows of trip {stamp.trip}, and its column {ROW_HEADER!r}, which says which ones, is "
            "gone. Download the rows again and leave that column in."
        )
    if not rows:
        refuse_unasked(incoming, upload.said)
    for _ in range(_TRIES):
        lease.progress(2, 4, "numbering rows")
        if incoming.trip is not None:
            incoming.trip.refresh_from_db()
        made = laid_over(incoming, catalogue, record_type) if rows else numbered(incoming, way, catalogue, record_type)
        kept = stages.keep(made.cells, "sheets", "cells")
        figures = made.totals
        with lease.writing():
            done = _take_in(job, application, catalogue, record_type, incoming, made, kept, figures, way, holds)
        if done is not None:
            trip = Trip.objects.get(pk=done["trip"])
            tell_edited(trip)
            sheet = newest_in(trip)
            if sheet is not None and "next" not in done:
                ask_again(trip, sheet, lease)
            return done
    raise PlainError("Sheets of this trip come in faster than they can be read. Bring this one in again.")


def _read_alike(upload: Upload, newest: Sheet) -> bool:
    """Whether a file is read as the trip's newest sheet was; one that came anew, without a word on it, is."""
    return bool(upload.choices == newest.choices or (not upload.choices and upload.path != newest.path))


def _as_it_was(lease: Lease, upload: Upload, newest: Sheet) -> dict[str, Any]:
    """The very same file as the trip's newest sheet is no new version."""
    trip = newest.trip
    with lease.writing():
        Job.objects.filter(pk=lease.job.pk).update(trip=trip)
        Upload.objects.filter(pk=upload.pk).update(trip=trip, known=None)
        words = f"{upload.name} came again, unchanged; trip {trip.pk} stands as it was"
        note(lease.job.by, "brought in", words, trip.application, trip.pk, newest.rows, upload.name)
    return {"trip": trip.pk, "unchanged": True}


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
    catalogue: Catalogue,
    record_type: RecordType,
    incoming: Incoming,
    made: Made,
    kept: str,
    figures: dict[str, Any],
    way: Way,
    holds: dict[str, Any],
) -> dict[str, Any] | None:
    """The last step, in one transaction; None where another sheet of the trip came in meanwhile."""
    asked, profile, trip, upload = job.arguments, made.profile, incoming.trip, incoming.upload
    if trip is None:
        trip = _new_trip(job, application, upload, record_type)
    elif Trip.objects.values_list("next_row", "revision").get(pk=trip.pk) != (trip.next_row, trip.revision):
        return None
    part = part_of(trip, trip.part)
    lay_on_table(trip, part.number)
    sheet = Sheet.objects.create(
        trip=trip,
        part=part,
        direction=Sheet.IN,
        name=upload.name,
        path=upload.path,
        digest=incoming.digest,
        cells=kept,
        rows=len(made.cells),
        first_row=trip.next_row,
        known_rows=made.known,
        profile=profile.to_json(),
        choices=made.choices,
        recognised=made.recognised,
        origin=incoming.origin,
        differs=made.differs,
        files=[{"name": part.name, "path": part.path} for part in upload.whole_list[1:]],
        totals={"came": figures, "now": figures},
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
            offers=[asdict(offer) for offer in match.offers],
        )
        for match in made.matches
    )
    trip.next_row += int((made.cells[ROW_ID] >= trip.next_row).sum())
    trip.said = {**trip.said, **way.columns, **way.said}
    trip.operation = way.operation or trip.operation or Operation.UPDATE
    trip.key = list(way.key) or trip.key
    told_lanes = {name: lane.to_json() for name, lane in way.lanes.items()}
    trip.lanes = {name: rules for name, rules in {**trip.lanes, **told_lanes}.items() if rules}
    if way.only:
        trip.only = {**trip.only, "condition": way.only}
    claim(trip, way.lanes.values())
    facts: dict[str, Any] = {}
    if way.fit is not None:
        trip.route = way.fit.route
        facts["on_route"] = way.fit.to_json()
        used = {"used": F("used") + 1, "used_at": timezone.now(), "rows": sheet.rows}
        Route.objects.filter(pk=trip.route.pk).update(**used)
    names = ("next_row", "said", "operation", "key", "lanes", "only", "route")
    Trip.objects.filter(pk=trip.pk).update(**{name: getattr(trip, name) for name in names})
    Upload.objects.filter(pk__in=[one.pk for one in upload.whole_list]).update(trip=trip, known=None)
    told = {
        "id": sheet.pk,
        "rows": sheet.rows,
        "name": sheet.name,
        "at": sheet.added_at.isoformat(),
        "recognised": made.recognised,
    }
    facts |= {"sheet": told, "plural": record_type.plural, "holds": holds}
    tell_columns(trip, sheet, catalogue, facts, whole=way.told)
    Job.objects.filter(pk=job.pk).update(trip=trip)
    _tell_parts(trip)
    words = f"Brought in {upload.name}, {incoming.profile.rows:,} rows" + (", recognised" if made.recognised else "")
    if part.label:
        words += f", {part.label}"
    note(job.by, "brought in", words, application, trip.pk, incoming.profile.rows, upload.name)
    result = {"trip": trip.pk, "recognised": made.recognised, "known": made.known}
    if not _can_be_planned(trip, sheet, made, record_type, catalogue):
        return result
    following = enqueue("plan", job.by, trip, mine=bool(asked.get("here")), fresh=True)
    return {**result, "next": following.pk}


def _tell_parts(trip: Trip) -> None:
    """Write down how many of a shared-out trip's parts are back."""
    parts = trip.parts.count()
    if parts > 1:
        back = trip.parts.filter(sheets__direction=Sheet.IN).distinct().count()
        tell(trip, parts={"all": parts, "back": back})


def _can_be_planned(trip: Trip, sheet: Sheet, made: Made, record_type: RecordType, catalogue: Catalogue) -> bool:
    """Whether anything is carried, a key is known and no two columns are in each other's way; else the sheet lies at
    Columns and Keys, to be put right."""
    matches = all_matches(trip, sheet, record_type, catalogue)
    there = [match.field.name for match in matches if match.field]
    carried = any(match.carried for match in matches) and not conflicts(matches, record_type)
    carried = carried and not any(match.how == "lost" for match in matches)
    return carried and bool(trip.key or suggest_key(record_type, there, own=made.recognised))
