"""Files that come from a browser, in parts; what was received is never lost by a broken connection."""

from __future__ import annotations

import os
import shutil
from collections.abc import Sequence
from pathlib import Path

from django.db import transaction
from django.db.models import QuerySet

from vexo.core.sheets import SheetError

from .. import stages
from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.models import Job
from ..jobs.working import enqueue
from ..journal.services import note
from .models import Upload
from .reading import forget

LARGEST = int(os.environ.get("VEXO_LARGEST_UPLOAD", str(512 * 1024 * 1024)))


def clean_name(name: str) -> str:
    """What a file was called, without its folder; for showing only, never for opening."""
    last = name.replace("\\", "/").rpartition("/")[2].strip()
    return "".join(c for c in last if c.isprintable())[-200:] or "sheet"


def begin(name: str, size: int, by: str) -> Upload:
    """A place for a file of this size. Raises PlainError where it is too large or empty."""
    name = clean_name(name)
    if size > LARGEST:
        raise PlainError(
            f"{name} has {size:,} bytes; at most {LARGEST:,} can be brought in. Divide it into several sheets."
        )
    if size <= 0:
        raise PlainError(f"{name} is empty. Put a header in its first row and the records below it.")
    with transaction.atomic():
        upload = Upload.objects.create(name=name, size=size, by=by)
        path = absolute(upload.path)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.touch(mode=0o600)
    return upload


def find(number: int, by: str) -> Upload:
    """Someone's own upload. Raises PlainError; another's is as unknown as none."""
    found = Upload.objects.filter(pk=number, by=by).first()
    if found is None or not absolute(found.path).exists():
        raise PlainError("That upload is not known any more. Bring the file in again.", "no-upload")
    return found


def add(number: int, by: str, offset: int, content: bytes) -> int:
    """Add a part where the last one ended and give how much is there now; a part that came before is not taken again.

    Raises:
        PlainError: where a part is missing before this one, or more comes than was announced.
    """
    with transaction.atomic():
        upload = find(number, by)
        end = offset + len(content)
        if upload.whole or end <= upload.received:
            return int(upload.received)
        if offset > upload.received:
            raise PlainError(f"A part of the file is missing: {upload.received:,} bytes are here. Go on from there.")
        if end > upload.size:
            raise PlainError(f"{upload.name} was announced with {upload.size:,} bytes, and more came. Bring it anew.")
        with absolute(upload.path).open("r+b") as file:
            file.seek(offset)
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        Upload.objects.filter(pk=upload.pk).update(received=end)
    return end


def waiting() -> QuerySet[Upload]:
    """Files that came whole and wait at File to be told what they are about, the newest first."""
    free = Upload.objects.filter(whole=True, left=False, trip=None, continues=None)
    return free.exclude(recognising=None).order_by("-id")


def waits(number: int) -> bool:
    """Whether a file came whole and was read."""
    return Upload.objects.filter(pk=number, whole=True, left=False).exclude(profile=None).exists()


def find_waiting(number: int) -> Upload:
    """A file that waits, whoever brought it. Raises PlainError."""
    found = Upload.objects.filter(pk=number, whole=True, left=False).exclude(recognising=None).first()
    if found is None:
        raise PlainError("That file does not wait here any more. Bring it in again.", "no-upload")
    return found


def read_again(upload: Upload) -> None:
    """What was read of a file that waits was forgotten: it is read anew, once."""
    with transaction.atomic():
        if not Job.objects.filter(pk=upload.recognising or 0, state__in=Job.OPEN).exists():
            job = enqueue("recognise", upload.by, upload=upload.pk)
            Upload.objects.filter(pk=upload.pk).update(recognising=job.pk, profile=None, known=None)


def leave(number: int, by: str) -> None:
    """Nobody wants a file that waits: it is gone, and no trip was touched. Raises PlainError."""
    upload = find_waiting(number)
    if upload.trip_id is not None:
        raise PlainError(f"{upload.name} is in on trip {upload.trip_id} already.", "is-in")
    if not Upload.objects.filter(pk=number, left=False, trip=None).update(left=True):
        return
    note(by, "left", f"Left {upload.name}, which belonged to no trip", file=upload.name)
    for one in upload.whole_list:
        forget(one)
        absolute(one.path).unlink(missing_ok=True)


def join(number: int, others: Sequence[int], by: str) -> Upload:
    """Say that files are one list in parts: the others continue the first, and all of it is looked at anew.

    Raises:
        PlainError: where one of them is not whole, is in on a trip, or is part of another list.
    """
    upload = finish(number, by) if not waits(number) else find_waiting(number)
    with transaction.atomic():
        upload.refresh_from_db()
        for other in others:
            one = finish(other, by)
            taken = one.trip_id is not None or one.left or one.continues_id is not None or one.parts.exists()
            if taken or one.pk == upload.pk or upload.trip_id is not None or upload.continues_id is not None:
                raise PlainError(f"{one.name} cannot be made a part of {upload.name}. Bring it in by itself.", "parts")
            Upload.objects.filter(pk=one.pk).update(continues=upload)
        Upload.objects.filter(pk=upload.pk).update(digest="", profile=None, known=None, recognising=None, trouble="")
        upload.refresh_from_db()
        names = ", ".join(one.name for one in upload.whole_list)
        note(by, "joined", f"Put together as one list: {names}"[:300], file=upload.name)
    return upload


def finish(number: int, by: str) -> Upload:
    """The upload, once all of it is there. Raises PlainError where it is not."""
    upload = find(number, by)
    if upload.received != upload.size:
        raise PlainError(
            f"Of {upload.name} {upload.received:,} of {upload.size:,} bytes are here. Send the rest first.", "half"
        )
    if not upload.whole:
        Upload.objects.filter(pk=upload.pk).update(whole=True)
        upload.whole = True
    return upload


def take_file(source: Path, by: str) -> Upload:
    """A file of this machine as an upload that is whole. Raises SheetError where there is none."""
    if not source.is_file():
        raise SheetError(f"There is no file {source}. Check its name and folder.")
    upload = Upload.objects.create(name=clean_name(source.name), size=source.stat().st_size, by=by)
    path = absolute(upload.path)
    path.parent.mkdir(parents=True, exist_ok=True)
    aside = path.with_name(f".{upload.pk}.part")
    try:
        shutil.copyfile(source, aside)
        stages.settle(aside, path)
    except OSError:
        aside.unlink(missing_ok=True)
        upload.delete()
        raise
    size = path.stat().st_size
    Upload.objects.filter(pk=upload.pk).update(size=size, received=size, whole=True)
    upload.refresh_from_db()
    return upload
