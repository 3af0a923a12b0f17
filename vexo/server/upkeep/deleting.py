"""Deleting a trip with all that belongs to it; the journal keeps what was done, without values."""

from __future__ import annotations

import re
import shutil
import uuid
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from django.db import connection, transaction

from ..applications.use_rules import rules_of
from ..data_folder import absolute, data_folder
from ..errors import PlainError
from ..jobs.models import Job
from ..journal.services import note
from ..passes.models import Pass, Scheduled
from ..passes.receipts import write_receipt
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..uploads.models import Upload
from ..uploads.upload_cells import forget
from .disk import size_of
from .models import KeptReceipt

_NAMED = re.compile(r"files/[^\s\"'\\]+")


@dataclass(frozen=True)
class Deleted:
    """What was deleted: bytes that are free now, and how many receipts are kept of it."""

    bytes: int
    receipts: int


def refuse_deleting(trip: Trip) -> None:
    """Raises PlainError while something of the trip is under way, or is still to be answered by a person."""
    open_pass = Pass.objects.filter(trip=trip, state__in=Pass.OPEN).first()
    if open_pass is not None:
        raise PlainError(
            f"Pass {open_pass.number} of trip {trip.pk} has not ended. Go on with it or give it up, then delete.",
            "pass-open",
        )
    if Scheduled.objects.filter(trip=trip, state=Scheduled.WAITING).exists():
        raise PlainError(f"A plan of trip {trip.pk} waits for its time. Cancel that, then delete.", "at")
    if Job.objects.filter(trip=trip, state__in=Job.OPEN).exists():
        raise PlainError(f"Work on trip {trip.pk} is under way. Delete it when that is done.", "under-way")


def _own_files(trip: Trip) -> set[str]:
    """The files of a trip: what is in its folder, and what its rows name elsewhere."""
    folder = data_folder() / "files" / str(trip.pk)
    files = {str(path.relative_to(data_folder())) for path in folder.rglob("*") if path.is_file()}
    for sheet in trip.sheets.all():
        files |= {sheet.path, sheet.cells, *[one.get("path", "") for one in sheet.files]}
    files |= {upload.path for upload in Upload.objects.filter(trip=trip)}
    return {name for name in files if name.startswith("files/")}


def _cached(trip: Trip) -> list[Path]:
    """What the cache holds of a trip."""
    stages = data_folder() / "stages"
    read = [path for upload in Upload.objects.filter(trip=trip) for path in (stages / "reading").glob(f"{upload.pk}-*")]
    return [*(stages / str(trip.pk)).rglob("*"), *read]


def room_of(trip: Trip) -> int:
    """Bytes that deleting a trip would free, but for its receipt."""
    return size_of([absolute(name) for name in _own_files(trip)]) + size_of(_cached(trip))


def _named_now(names: set[str]) -> set[str]:
    """Those of some files that a row still names, alone or within a document."""
    named: set[str] = set()
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'journal%'")
        tables = [name for (name,) in cursor.fetchall()]
        for table in tables:
            cursor.execute(f'PRAGMA table_info("{table}")')
            columns = [line[1] for line in cursor.fetchall() if re.search("char|text|json", line[2].lower())]
            for column in columns:
                query = f'SELECT DISTINCT "{column}" FROM "{table}" WHERE "{column}" LIKE ?'  # noqa: S608
                cursor.execute(query, ["%files/%"])
                for (value,) in cursor.fetchall():
                    named |= names & set(_NAMED.findall(str(value)))
    return named


def _keep_receipts(trip: Trip) -> list[KeptReceipt]:
    """Write down what was written, for each part of a trip that wrote. Raises PlainError where that cannot be done."""
    receipts = []
    parts = Pass.objects.filter(trip=trip).values_list("plan__sheet__part__number", flat=True)
    for part in sorted({part or 1 for part in parts}):
        relative = f"files/receipts/receipt-{trip.pk}-{part}-{uuid.uuid4().hex[:12]}.xlsx"
        absolute(relative).parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        masked = rules_of(trip.application).of(trip.record_type).masked
        write_receipt(PartView.of(trip, part), absolute(relative), masked=masked)
        receipts.append(
            KeptReceipt(
                trip=trip.pk,
                part=part,
                title=trip.title,
                application=trip.application.name,
                record_type=trip.record_type,
                path=relative,
                size=absolute(relative).stat().st_size,
            )
        )
    return receipts


def delete_trip(
    by: str, trip: Trip, why: str, *, keep_receipts: bool = True, untouched_since: datetime | None = None
) -> Deleted:
    """Delete a trip, its sheets, kept copies, plans, decisions and passes.

    Args:
        by: who the journal says did it.
        why: how the journal goes on.
        keep_receipts: a receipt of what was written stays, where anything was.
        untouched_since: it is deleted only if nobody has touched it since then.

    Raises:
        PlainError: while something of it is under way, or where its receipt cannot be made.
    """
    refuse_deleting(trip)
    receipts = _keep_receipts(trip) if keep_receipts else []
    number, application, title = trip.pk, trip.application, trip.title
    try:
        with transaction.atomic():
            # Asked again under the lock of the database: work may have begun meanwhile.
            refuse_deleting(trip)
            if untouched_since is not None and not Trip.objects.filter(pk=trip.pk, touched_at__lt=untouched_since):
                raise PlainError(f"Somebody works on trip {trip.pk} again.", "touched")
            files = _own_files(trip)
            uploads, cached = list(Upload.objects.filter(trip=trip)), _cached(trip)
            Job.objects.filter(trip=trip).delete()
            Upload.objects.filter(trip=trip).delete()
            trip.delete()
            files -= _named_now(files)
            KeptReceipt.objects.bulk_create(receipts)
            words = f"Deleted trip {number}, {title}, {why}"
            if receipts:
                words += "; its receipt is kept"
            note(by, "deleted", words, application, number)
    except BaseException:
        for receipt in receipts:
            absolute(receipt.path).unlink(missing_ok=True)
        raise
    freed = size_of([absolute(name) for name in files]) + size_of(cached)
    for upload in uploads:
        forget(upload)
    for name in files:
        absolute(name).unlink(missing_ok=True)
    shutil.rmtree(data_folder() / "stages" / str(number), ignore_errors=True)
    folder = data_folder() / "files" / str(number)
    if folder.is_dir() and not any(path.is_file() for path in folder.rglob("*")):
        shutil.rmtree(folder, ignore_errors=True)
    return Deleted(freed, len(receipts))


def delete_by_hand(person: Person, number: int, *, keep_receipts: bool = True) -> Deleted:
    """Delete a trip as an administrator. Raises NotAllowed, PlainError."""
    require(person, Action.TIDY)
    trip = Trip.objects.select_related("application").filter(pk=number).first()
    if trip is None:
        raise PlainError(f"There is no trip {number}.", "gone")
    return delete_trip(person.username, trip, "by hand", keep_receipts=keep_receipts)
