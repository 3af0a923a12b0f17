"""Files that come from a browser, in parts; what was received is never lost by a broken connection."""

from __future__ import annotations

import os
import re
import uuid
from pathlib import Path
from typing import Any

from vexo.core.columns.matching import MappingError, match_columns
from vexo.core.records import Catalogue, RecordType
from vexo.core.sheets import SheetProfile, read_sheet

from ..applications.models import Application
from ..data_folder import absolute
from ..jobs.leases import Lease
from ..jobs.working import PlainError
from .recognising import by_header, by_stamp

LARGEST = int(os.environ.get("VEXO_LARGEST_UPLOAD", str(512 * 1024 * 1024)))
_NAME = re.compile(r"[0-9a-f]{32}")


def begin(name: str, size: int) -> str:
    """A place for a file of this size. Raises PlainError where it is too large."""
    if size > LARGEST:
        raise PlainError(
            f"{name} has {size:,} bytes; at most {LARGEST:,} can be brought in. Divide it into several sheets."
        )
    if size == 0:
        raise PlainError(f"{name} is empty. Put a header in its first row and the records below it.")
    identifier = uuid.uuid4().hex
    clean = re.sub(r"[^\w.\- ]+", "_", Path(name).name)[-120:] or "sheet"
    folder = absolute(f"files/in/{identifier}")
    folder.mkdir(parents=True)
    (folder / "name").write_text(clean)
    (folder / "part").touch()
    return identifier


def _folder(identifier: str) -> Path:
    folder = absolute(f"files/in/{identifier}")
    if not _NAME.fullmatch(identifier) or not (folder / "name").exists():
        raise PlainError("That upload is not known any more. Bring the file in again.")
    return folder


def add(identifier: str, offset: int, content: bytes) -> int:
    """Add a part at its place and give how much is there now; a part sent twice is written once."""
    part = _folder(identifier) / "part"
    size = part.stat().st_size if part.exists() else offset
    if offset > size or size + len(content) > LARGEST:
        raise PlainError(f"A part of the file is missing: {size:,} bytes are here. Go on from there.")
    with part.open("r+b") as file:
        file.seek(offset)
        file.write(content)
    return max(size, offset + len(content))


def finish(identifier: str) -> str:
    """The file's place once all parts are there."""
    folder = _folder(identifier)
    target = folder / (folder / "name").read_text()
    if (folder / "part").exists():
        (folder / "part").replace(target)
    return str(target.relative_to(absolute(".")))


def recognise(lease: Lease) -> dict[str, Any]:
    """The job: which trip a file belongs to, and if to none, which record types it could be."""
    file = str(lease.job.arguments["file"])
    cells = f"stages/cells-{uuid.uuid4().hex}.parquet"
    try:
        profile = read_sheet(absolute(file), absolute(cells))
        fits: list[dict[str, Any]] = []
        for application in Application.objects.all():
            known = application.known
            if known is None:
                continue
            trip = by_stamp(profile, application)
            if trip is not None:
                return {
                    "trip": trip.pk,
                    "title": trip.title,
                    "application": application.name,
                    "record_type": trip.record_type,
                }
            fits += [_fit(application, known, record_type, profile) for record_type in known.types]
        fits = sorted((fit for fit in fits if fit["columns"]), key=lambda fit: -fit["columns"])
        for fit in fits[:4]:
            application = Application.objects.get(name=fit["application"])
            catalogue = application.known
            if catalogue is None:
                continue
            found = by_header(profile, absolute(cells), application, catalogue.type(fit["record_type"]), catalogue)
            if found is not None:
                return {
                    "trip": found.pk,
                    "title": found.title,
                    "application": application.name,
                    "record_type": found.record_type,
                }
    finally:
        absolute(cells).unlink(missing_ok=True)
    stamp = profile.stamp
    elsewhere = f"It was sent out from {stamp.application}." if stamp else ""
    return {"trip": None, "rows": profile.rows, "of": len(profile.columns), "fits": fits[:8], "note": elsewhere}


def _fit(application: Application, known: Catalogue, record_type: RecordType, profile: SheetProfile) -> dict[str, Any]:
    try:
        matched = sum(1 for m in match_columns(profile, record_type, known) if m.field)
    except MappingError:
        matched = 0
    return {
        "application": application.name,
        "record_type": record_type.name,
        "plural": record_type.plural,
        "columns": matched,
    }
