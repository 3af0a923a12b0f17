"""All sheets that went out on a trip, in one file."""

from __future__ import annotations

import zipfile
from tempfile import TemporaryFile
from typing import Any

from .. import artifacts
from ..data_folder import absolute
from ..errors import PlainError
from ..trips.models import Sheet, Trip


def zipped(trip: Trip) -> Any:
    """All sheets that went out on a trip in one ZIP file, open for reading. Raises PlainError where nothing did."""
    if not trip.sheets.filter(direction=Sheet.OUT).exists():
        raise PlainError(f"Nothing has gone out on trip {trip.pk}.", "no-sheet")
    file = TemporaryFile()  # noqa: SIM115 - whoever reads it closes it
    taken: set[str] = set()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as out:
        for sheet in trip.sheets.filter(direction=Sheet.OUT):
            if not artifacts.there(sheet.path):
                raise artifacts.ArtifactLost(sheet.path)
            stem, dot, ending = sheet.name.rpartition(".")
            name = sheet.name if sheet.name not in taken else f"{stem}-{sheet.pk}{dot}{ending}"
            taken.add(name)
            kind = zipfile.ZIP_STORED if ending in ("xlsx", "ods") else zipfile.ZIP_DEFLATED
            out.write(absolute(sheet.path), name, kind)
    file.seek(0)
    return file
