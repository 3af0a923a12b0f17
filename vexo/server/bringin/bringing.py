"""Bringing a sheet in: its file is kept, read, recognised, matched and planned; the application stays as it is."""

from __future__ import annotations

import hashlib
import re
import shutil
import uuid
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from vexo.core.columns.matching import match_columns
from vexo.core.planning.verdicts import Operation
from vexo.core.sheets import SheetError, SheetProfile, read_sheet

from ..applications.models import Application
from ..applications.services import client_of, describe
from ..data_folder import absolute
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.working import PlainError, enqueue
from ..journal.services import note
from .models import Mapping as ColumnMapping
from .models import Sheet, Trip
from .planning import plan_trip
from .recognising import by_header, by_stamp

NEW_TRIP = "new"


def keep_file(source: Path, name: str) -> str:
    """Take a file into the data folder, unchanged, and give its place there."""
    clean = re.sub(r"[^\w.\- ]+", "_", Path(name).name)[-120:] or "sheet"
    relative = f"files/in/{uuid.uuid4().hex}/{clean}"
    target = absolute(relative)
    target.parent.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(source, target)
    return relative


def start_bringing_in(
    application: Application,
    record_type: str,
    file: str,
    by: str,
    *,
    key: Sequence[str] = (),
    operation: str = "",
    said: Mapping[str, str] | None = None,
    trip: str = "",
    title: str = "",
) -> Job:
    """Ask for a kept file to be brought in. ``trip`` is a number, ``new``, or empty to let the sheet tell."""
    if operation and operation not in [o.value for o in Operation]:
        raise PlainError(f"{operation!r} is no operation; use {', '.join(Operation)}.")
    return enqueue(
        "bring in",
        by,
        application=application.name,
        record_type=record_type,
        file=file,
        key=list(key),
        operation=operation,
        said=dict(said or {}),
        asked_trip=trip,
        title=title,
    )


def _trip_of(
    job: Job, application: Application, profile: SheetProfile, cells: Path, catalogue: Any, record_type: Any
) -> tuple[Trip, bool]:
    """The trip the sheet belongs to, and whether it was sent out on that trip."""
    asked = str(job.arguments["asked_trip"])
    if asked and asked != NEW_TRIP:
        trip = Trip.objects.filter(pk=asked, application=application).first() if asked.isdigit() else None
        if trip is None:
            raise PlainError(f"There is no trip {asked} with {application.label}.")
        return trip, trip.kept_copies.exists()
    if asked != NEW_TRIP:
        found = by_stamp(profile, application) or by_header(profile, cells, application, record_type, catalogue)
        if found is not None:
            return found, True
    title = job.arguments["title"] or re.sub(r"[_\-]+", " ", Path(job.arguments["file"]).stem).strip().capitalize()
    trip = Trip.objects.create(title=title, application=application, record_type=record_type.name, created_by=job.by)
    return trip, False


def bring_in(lease: Lease) -> dict[str, Any]:
    """The job."""
    job = lease.job
    asked = job.arguments
    application = Application.objects.get(name=asked["application"])
    path = absolute(asked["file"])
    cells = f"stages/cells-{uuid.uuid4().hex}.parquet"
    lease.progress(0, 4, "reading the file")
    profile = read_sheet(path, absolute(cells))
    if profile.rows == 0:
        raise SheetError(f"{path.name} has a header but no rows below it.")
    with client_of(application) as client:
        catalogue = describe(application, client)
        record_type = catalogue.type(asked["record_type"])
        with lease.writing():
            trip, recognised = _trip_of(job, application, profile, absolute(cells), catalogue, record_type)
            matches = match_columns(
                profile, record_type, catalogue, profile.stamp if recognised else None, {**trip.said, **asked["said"]}
            )
            if not any(match.field for match in matches):
                headers = ", ".join(repr(c.header) for c in profile.columns[:12])
                raise PlainError(
                    f"No column of {path.name} is known as a field of {record_type.plural}: {headers}. "
                    "Say what goes where with --map COLUMN=FIELD, or check that the header is in the first row."
                )
            digest = hashlib.sha256(path.read_bytes()).hexdigest()
            sheet = Sheet.objects.create(
                trip=trip,
                direction=Sheet.IN,
                name=path.name,
                path=asked["file"],
                digest=digest,
                cells=cells,
                rows=profile.rows,
                profile=profile.to_json(),
                recognised=recognised,
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
                for match in matches
            )
            trip.decisions.update(undone=True)
            trip.said = {**trip.said, **asked["said"]}
            trip.operation = asked["operation"] or trip.operation or Operation.UPDATE
            trip.key = asked["key"] or trip.key
            trip.save()
            Job.objects.filter(pk=job.pk).update(trip=trip)
            said = f"Brought in {path.name}, {profile.rows:,} rows" + (", recognised" if recognised else "")
            note(job.by, "brought in", said, application, trip.pk, profile.rows, path.name)
        job.trip = trip
        plan_trip(trip, lease, client, fresh=True)
    return {"trip": trip.pk, "recognised": recognised}
