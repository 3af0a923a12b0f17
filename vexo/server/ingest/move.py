"""A trip that was tried on one application moved to another: a new trip there with the same sheet, edits, columns,
lanes, key and rules. Records are matched anew, by keys."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vexo.core.records import Catalogue, RecordType, UnknownName

from ..applications.models import Application
from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.models import Job
from ..mapping.mapped_sheet import known_catalogue
from ..people.models import Person
from ..people.rights import Action, require
from ..routes.saved_routes import document_of_sheet
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheets import newest_sheet
from ..uploads.models import Upload
from ..uploads.receive import take_file
from .bring_in import ImportRequest, start_bringing_in


def move_trip(view: PartView, person: Person, target: Application, *, run_here: bool = False) -> Job:
    """Bring the newest sheet of a trip in as a trip of its own on another application.

    Raises:
        NotAllowed
        PlainError: where it cannot be: the application is the trip's own, has no such record type, the sheet was put
            together from several files, or no key of its records is in the sheet.
    """
    require(person, Action.PREPARE)
    trip, sheet = view.trip, newest_sheet(view)
    if target.pk == trip.application_id:
        raise PlainError(f"Trip {trip.pk} is one of {target.label} already.", "move")
    if sheet.files:
        raise PlainError("This sheet was put together from several files. Bring these in there.", "move")
    record_type = _type_there(trip, target, known_catalogue(target))
    document = document_of_sheet(view, sheet)
    columns = {h: n for h, n in document.columns.items() if not n or _goes(record_type, n)}
    request = ImportRequest(
        key=_key_there(document.key, columns, record_type),
        operation=document.operation.value,
        columns=columns,
        trip="new",
        title=trip.title,
        lanes={n: lane.to_json() for n, lane in document.lanes.items() if record_type.find(n) is not None},
        ignores=document.ignores,
        reach=document.reach if document.reach not in ("", "sent") else "",
    )
    upload = _copied(sheet, person)
    return start_bringing_in(
        target, record_type.name, upload, person, request, run_here=run_here, moved_from=(trip.pk, sheet.pk)
    )


def _type_there(trip: Trip, target: Application, catalogue: Catalogue) -> RecordType:
    try:
        return catalogue.type(trip.record_type)
    except UnknownName as error:
        raise PlainError(f"{target.label} has no record type {trip.record_type!r}.", "move") from error


def _goes(record_type: RecordType, name: str) -> bool:
    """Whether a column's field is one there, other than the record ID: that is another one."""
    return name != record_type.identifier and record_type.find(name) is not None


def _key_there(key: Sequence[str], columns: Mapping[str, str], record_type: RecordType) -> tuple[str, ...]:
    """The key by which rows find their records there: the trip's own, or a declared one that the sheet has."""
    carried = set(columns.values())
    if key and record_type.identifier not in key:
        return tuple(key)
    for declared in record_type.keys:
        if carried.issuperset(declared):
            return declared
    ways = " or ".join(" + ".join(record_type.field(name).label for name in one) for one in record_type.keys)
    raise PlainError(
        f"Rows were found by record ID, which is another one there. Carry a key of {record_type.plural} too: {ways}.",
        "move",
    )


def _copied(sheet: Sheet, person: Person) -> Upload:
    """The file of a sheet as another upload, read by the same choices."""
    upload = take_file(absolute(sheet.path), person.username)
    Upload.objects.filter(pk=upload.pk).update(name=sheet.name, choices=sheet.choices)
    upload.refresh_from_db()
    return upload
