"""Files that came whole and wait to be told what they are about."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from vexo.core.sheets import Choices

from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from .models import Upload
from .receive import leave_unfinished
from .upload_cells import forget


def waiting() -> QuerySet[Upload]:
    """Files that came whole and wait at File to be told what they are about, the newest first."""
    free = Upload.objects.filter(complete=True, discarded=False, trip=None, continues=None)
    return free.exclude(recognising=None).order_by("-id")


def waits(number: int) -> bool:
    """Whether a file came whole and was read."""
    return Upload.objects.filter(pk=number, complete=True, discarded=False).exclude(profile_json=None).exists()


def find_waiting(number: int) -> Upload:
    """A file that waits, whoever brought it. Raises PlainError."""
    upload = Upload.objects.filter(pk=number, complete=True, discarded=False).exclude(recognising=None).first()
    if upload is None:
        raise PlainError("That file does not wait here any more. Bring it in again.", "no-upload")
    return upload


def read_again(upload: Upload) -> None:
    """What was read of a file that waits was forgotten: it is read anew, once."""
    with transaction.atomic():
        if not Job.objects.filter(pk=upload.recognising or 0, state__in=Job.OPEN).exists():
            job = enqueue("recognise", upload.by, large=upload.is_large, upload=upload.pk)
            Upload.objects.filter(pk=upload.pk).update(recognising=job.pk, profile_json=None, belongs_to=None)


def leave(number: int, by: str) -> None:
    """Nobody wants a file that waits, or one's own that never came whole: it is gone, and no trip was touched. Raises
    PlainError."""
    if leave_unfinished(number, by):
        return
    upload = find_waiting(number)
    if upload.trip_id is not None:
        raise PlainError(f"{upload.name} is in on trip {upload.trip_id} already.", "is-in")
    if not Upload.objects.filter(pk=number, discarded=False, trip=None).update(discarded=True):
        return
    note(by, "left", f"Left {upload.name}, which belonged to no trip", file=upload.name)
    for one in upload.whole_list:
        forget(one)
        absolute(one.path).unlink(missing_ok=True)


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


def start_recognising(upload: Upload, person: Person, *, run_here: bool = False) -> Job:
    """Ask which trip an upload belongs to."""
    require(person, Action.PREPARE)

    def ask() -> Job:
        return enqueue("recognise", person.username, run_here=run_here, large=upload.is_large, upload=upload.pk)

    return _once(upload, "recognising", ask)


def read_otherwise(upload: Upload, person: Person, choices: Choices) -> Job:
    """Read a file that waits by other choices, and find anew where it belongs; where it cannot be read so, it stays as
    it was. Raises NotAllowed, PlainError."""
    require(person, Action.PREPARE)
    if upload.trip_id is not None:
        raise PlainError(f"{upload.name} is in on trip {upload.trip_id} already.", "is-in")
    with transaction.atomic():
        read_so = choices.to_json()
        job = enqueue("recognise", person.username, large=upload.is_large, upload=upload.pk, choices=read_so)
        Upload.objects.filter(pk=upload.pk).update(recognising=job.pk, bringing=None)
    return job
