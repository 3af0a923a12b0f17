"""Files that come from a browser, in parts; what was received is never lost by a broken connection."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from django.db import transaction

from vexo.core.sheets import SheetError
from vexo.core.wording import thousands

from ..data_folder import absolute, replacing
from ..errors import PlainError
from .models import Upload

LARGEST = int(os.environ.get("VEXO_LARGEST_UPLOAD", str(512 * 1024 * 1024)))


_UNFINISHED_FILES = 20
"""Files that one person may have on their way at once: more than a browser sends."""
_UNFINISHED_BYTES = 2 * LARGEST
"""Bytes of all of them, as they were announced."""


def clean_name(name: str) -> str:
    """What a file was called, without its folder; for showing only, never for opening."""
    last = name.replace("\\", "/").rpartition("/")[2].strip()
    return "".join(c for c in last if c.isprintable())[-200:] or "sheet"


def begin(name: str, size: int, by: str) -> Upload:
    """A place for a file of this size. Raises PlainError where it is too large or empty."""
    name = clean_name(name)
    if size > LARGEST:
        raise PlainError(
            f"{name} has {thousands(size)} bytes; at most {thousands(LARGEST)} can be brought in. Divide it into "
            "several sheets."
        )
    if size <= 0:
        raise PlainError(f"{name} is empty. Put a header in its first row and the records below it.")
    with transaction.atomic():
        _refuse_more(by, size)
        upload = Upload.objects.create(name=name, size=size, by=by)
        path = absolute(upload.path)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.touch(mode=0o600)
    return upload


def _refuse_more(by: str, size: int) -> None:
    """Raises PlainError where a person has so much on its way that the rest of the office would find no room."""
    # Of a list in parts the first files have come whole before the last begins.
    files = list(Upload.objects.filter(by=by, complete=False, discarded=False).values_list("size", "received"))
    halves = sum(received < announced for announced, received in files)
    if halves >= _UNFINISHED_FILES or sum(announced for announced, _ in files) + size > _UNFINISHED_BYTES:
        raise PlainError(
            f"{thousands(len(files))} of your files have not come whole yet, or wait to be joined. Send the rest of "
            "them, or "
            "leave them; those that never come whole are deleted after a day.",
            "unfinished",
        )


def leave_unfinished(number: int, by: str) -> bool:
    """Leave a file of one's own that has not come whole; False where there is none with this number."""
    upload = Upload.objects.filter(pk=number, by=by, complete=False, discarded=False).first()
    if upload is None:
        return False
    path = upload.path
    upload.delete()
    absolute(path).unlink(missing_ok=True)
    return True


def find(number: int, by: str) -> Upload:
    """Someone's own upload. Raises PlainError; another's is as unknown as none."""
    upload = Upload.objects.filter(pk=number, by=by).first()
    if upload is None or not absolute(upload.path).exists():
        raise PlainError("That upload is not known any more. Bring the file in again.", "no-upload")
    return upload


def add(number: int, by: str, offset: int, content: bytes) -> int:
    """Add a part where the last one ended and give how much is there now; a part that came before is not taken again.

    Raises:
        PlainError: where a part is missing before this one, or more comes than was announced.
    """
    with transaction.atomic():
        upload = find(number, by)
        end = offset + len(content)
        if upload.complete or end <= upload.received:
            return int(upload.received)
        if offset > upload.received:
            raise PlainError(
                f"A part of the file is missing: {thousands(upload.received)} bytes are here. Go on from there."
            )
        if end > upload.size:
            raise PlainError(
                f"{upload.name} was announced with {thousands(upload.size)} bytes, and more came. Bring it anew."
            )
        with absolute(upload.path).open("r+b") as file:
            file.seek(offset)
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        Upload.objects.filter(pk=upload.pk).update(received=end)
    return end


def finish(number: int, by: str) -> Upload:
    """The upload, once all of it is there. Raises PlainError where it is not."""
    upload = find(number, by)
    if upload.received != upload.size:
        raise PlainError(
            f"Of {upload.name} {thousands(upload.received)} of {thousands(upload.size)} bytes are here. Send the "
            "rest first.",
            "half",
        )
    if not upload.complete:
        Upload.objects.filter(pk=upload.pk).update(complete=True)
        upload.complete = True
    return upload


def take_file(source: Path, by: str) -> Upload:
    """A file of this machine as an upload that is whole. Raises SheetError where there is none."""
    if not source.is_file():
        raise SheetError(f"There is no file {source}. Check its name and folder.")
    upload = Upload.objects.create(name=clean_name(source.name), size=source.stat().st_size, by=by)
    path = absolute(upload.path)
    try:
        with replacing(path) as aside:
            shutil.copyfile(source, aside)
    except OSError:
        upload.delete()
        raise
    size = path.stat().st_size
    Upload.objects.filter(pk=upload.pk).update(size=size, received=size, complete=True)
    upload.refresh_from_db()
    return upload
