"""Asking for a sheet to be brought in, and doing it: read, recognised, matched, its rows numbered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from vexo.core.keys.record_keys import ignored_from
from vexo.core.operations import Operation
from vexo.core.sheets import Choices, SheetError
from vexo.core.sheets.overlay.versions import ROW_HEADER, row_column
from vexo.core.sheets.shape import column_titles

from ..applications.models import Application
from ..applications.services import client_of, describe
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..mapping.columns import check_reach
from ..mapping.mapped_sheet import known_catalogue
from ..mapping.questions import holdings
from ..people.models import Person
from ..people.rights import Action, require
from ..recognition.belonging import Incoming, incoming_of, refuse_unasked
from ..routes.saved_routes import routes_for
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.retries import until_unchanged
from ..trips.sheets import newest_sheet
from ..uploads.models import Upload
from ..uploads.upload_cells import read_upload
from ..uploads.waiting import _once
from .intake import BroughtIn, Intake
from .prepare_sheet import as_new_sheet, as_partial_update, import_settings


def bring_in_otherwise(view: PartView, person: Person, choices: Choices, *, run_here: bool = False) -> Job:
    """Read the file of the trip's newest sheet by other choices; it comes in as a newer version of the sheet.

    Raises:
        NotAllowed, PlainError: where the trip's sheet is not a file that was brought.
    """
    trip = view.trip
    sheet = newest_sheet(view)
    number = sheet.path.rpartition("/")[2]
    upload = Upload.objects.filter(pk=number).first() if number.isdecimal() else None
    if upload is None or upload.path != sheet.path:
        raise PlainError(f"{sheet.name} was not brought as a file. Bring it in again.", "no-upload")
    Upload.objects.filter(pk=upload.pk).update(bringing=None)
    upload.refresh_from_db()
    return start_bringing_in(
        trip.application,
        trip.record_type,
        upload,
        person,
        ImportRequest(trip=str(trip.pk), choices=choices),
        run_here=run_here,
    )


@dataclass(frozen=True)
class ImportRequest:
    """How a sheet is asked to come in.

    Attributes:
        trip: a number, ``new``, or empty to let the sheet tell.
        choices: how it is to be read, where that is said here and not before.
        lanes: field → lane as data, laid over those of the route.
        route: the number of the route that says how it comes in, where it begins a trip.
        fit_route: where none is said, the one route that the sheet fits wholly says it.
        ignores: what makes no difference between keys; None where nothing is said.
        reach: which records it may touch, as ``mapping.columns.Changes``.
    """

    key: Sequence[str] = ()
    operation: str = ""
    columns: Mapping[str, str] | None = None
    trip: str = ""
    title: str = ""
    choices: Choices | None = None
    lanes: Mapping[str, Any] | None = None
    route: int | None = None
    fit_route: bool = False
    ignores: Sequence[str] | None = None
    reach: str = ""


def start_bringing_in(
    application: Application,
    record_type: str,
    upload: Upload,
    person: Person,
    request: ImportRequest = ImportRequest(),
    *,
    run_here: bool = False,
    moved_from: tuple[int, int] | None = None,
) -> Job:
    """Ask for an upload to be brought in. Asked twice for the same upload, it is done once.

    Args:
        moved_from: the numbers of the trip and the sheet whose edits and rules it takes over (``ingest.move``).

    Raises:
        NotAllowed, PlainError
    """
    require(person, Action.PREPARE)
    if request.operation and request.operation not in list(Operation):
        raise PlainError(f"Unknown operation {request.operation!r}. Use {', '.join(Operation)}.")
    if request.reach:
        known = known_catalogue(application)
        check_reach(request.reach, record_type, known, went_out=request.trip != "new")
    if request.choices is not None:
        Upload.objects.filter(pk=upload.pk).update(choices=request.choices.to_json())

    def ask() -> Job:
        return enqueue(
            "bring in",
            person.username,
            run_here=run_here,
            large=upload.is_large,
            application=application.name,
            record_type=record_type,
            upload=upload.pk,
            key=list(request.key),
            ignores=None if request.ignores is None else sorted({ignored_from(one) for one in request.ignores}),
            reach=request.reach.strip(),
            operation=request.operation,
            columns=dict(request.columns or {}),
            asked_trip=request.trip,
            title=request.title,
            lanes=dict(request.lanes or {}),
            route=request.route,
            fit_route=request.fit_route,
            here=run_here,
            moved_from=moved_from,
        )

    return _once(upload, "bringing", ask)


def bring_in(lease: Lease) -> BroughtIn:
    """The job. Until its last step nothing of the trip is touched."""
    arguments = lease.job.arguments
    application = Application.objects.get(name=arguments["application"])
    upload = Upload.objects.get(pk=arguments["upload"])
    lease.progress(0, 4, "reading the file")
    read = read_upload(upload)
    if read[1].rows == 0:
        raise SheetError(f"{upload.name} has a header but no rows below it.")
    with client_of(application, lease.job.by) as client:
        catalogue = describe(application, client)
        record_type = catalogue.type(arguments["record_type"])
        lease.progress(1, 4, "looking where it belongs")
        incoming = incoming_of(str(arguments["asked_trip"]), application, upload, record_type, read)
        holds = holdings(client, record_type, ranges=not incoming.recognised)
    route = arguments.get("route") or _fitting_route(arguments, incoming, application)
    settings = import_settings({**arguments, "route": route}, incoming, record_type)
    newest = incoming.newest
    if newest and not settings.told and newest.digest == incoming.digest and _read_alike(upload, newest):
        return _as_it_was(lease, upload, newest)
    partial = row_column(incoming.profile) is not None and newest is not None
    _refuse_lost_rows(incoming, partial=partial)
    if not partial:
        refuse_unasked(incoming, upload.read_options)
    intake = Intake(lease, application, catalogue, record_type, incoming, settings, holds)

    def attempt() -> Trip | None:
        lease.progress(2, 4, "numbering rows")
        prepared = (
            as_partial_update(incoming, catalogue, record_type)
            if partial
            else as_new_sheet(incoming, settings, catalogue, record_type)
        )
        return intake.take_in(prepared)

    trip = until_unchanged(
        incoming.trip, attempt, "Sheets of this trip come in faster than they can be read. Bring this one in again."
    )
    return intake.follow_up(trip)


def _fitting_route(asked: Mapping[str, Any], incoming: Incoming, application: Application) -> int | None:
    """The one route of the application and type that a sheet which begins a trip fits wholly, where that was asked for
    and nothing else was said. That rows delete their records is never taken from a route that nobody named."""
    is_settled = any(asked.get(name) for name in ("columns", "lanes", "key", "operation"))
    if not asked.get("fit_route") or is_settled or incoming.trip is not None:
        return None
    headers = list(column_titles(incoming.profile.columns).values())
    fitting = [
        fit.route.pk
        for fit in routes_for(headers)
        if fit.whole and fit.route.application_id == application.pk and fit.route.record_type == asked["record_type"]
        if not Operation(fit.route.import_document.get("operation", Operation.UPDATE)).deletes
    ]
    return fitting[0] if len(fitting) == 1 else None


def _refuse_lost_rows(incoming: Incoming, *, partial: bool) -> None:
    """Raises SheetError where a sheet holds rows of its trip and no longer says which."""
    stamp = incoming.profile.stamp
    if stamp is not None and stamp.rows and not partial and incoming.trip is not None:
        raise SheetError(
            f"{incoming.upload.name} holds rows of trip {stamp.trip}, and its column {ROW_HEADER!r}, which says which "
            "ones, is gone. Download the rows again and leave that column in."
        )


def _read_alike(upload: Upload, newest: Sheet) -> bool:
    """Whether a file is read as the trip's newest sheet was; one that came anew, without a word on it, is."""
    return bool(upload.choices == newest.choices or (not upload.choices and upload.path != newest.path))


def _as_it_was(lease: Lease, upload: Upload, newest: Sheet) -> BroughtIn:
    """The very same file as the trip's newest sheet is not a new version."""
    trip = newest.trip
    with lease.writing():
        Job.objects.filter(pk=lease.job.pk).update(trip=trip)
        Upload.objects.filter(pk=upload.pk).update(trip=trip, belongs_to=None)
        words = f"{upload.name} came again, unchanged; trip {trip.pk} stands as it was"
        note(lease.job.by, "brought in", words, trip.application, trip.pk, newest.rows, upload.name)
    return BroughtIn(trip.pk, part=newest.part.number if newest.part else 1, unchanged=True)
