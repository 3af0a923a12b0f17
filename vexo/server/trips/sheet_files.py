"""The files of a trip, as they went out and came in."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from .. import artifacts
from ..naming import names_of
from .models import Sheet, Trip


@dataclass(frozen=True)
class SheetFile:
    """One file. ``number`` is that of its sheet among the trip's, from 1; of a list in parts with that of the part
    behind a point."""

    number: str
    sheet: int
    direction: str
    name: str
    path: str
    rows: int
    by: str
    at: datetime

    def there(self) -> str:
        """Where it is kept. Raises ArtifactLost."""
        if not artifacts.there(self.path):
            raise artifacts.ArtifactLost(self.path)
        return self.path

    def as_json(self) -> dict[str, Any]:
        """It as data, without where it is kept."""
        facts = {name: value for name, value in asdict(self).items() if name != "path"}
        return {**facts, "at": self.at.isoformat()}


def files_of(trip: Trip) -> list[SheetFile]:
    """All files of a trip, the first first."""
    sheets = list(trip.sheets.order_by("pk"))
    names = names_of(sheet.added_by for sheet in sheets)
    listed = []
    for number, sheet in enumerate(sheets, 1):
        parts = parts_of_sheet(sheet)
        for part, (name, path) in enumerate(parts, 1):
            which = f"{number}.{part}" if len(parts) > 1 else str(number)
            by = names[sheet.added_by]
            listed.append(SheetFile(which, sheet.pk, sheet.direction, name, path, sheet.rows, by, sheet.added_at))
    return listed


def parts_of_sheet(sheet: Sheet) -> list[tuple[str, str]]:
    """Name and place of the files that a sheet consists of: one, but for a list in parts."""
    return [(sheet.name, sheet.path), *((one["name"], one["path"]) for one in sheet.files)]
