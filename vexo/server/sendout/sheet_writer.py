"""Writing what was read: a sheet and a kept copy for each part."""

from __future__ import annotations

import re
import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from vexo.core.documents import SendOut
from vexo.core.records import Catalogue, Field, Kind, RecordType
from vexo.core.sheets.writers.delimited import fill_csv
from vexo.core.sheets.writers.ods import fill_ods
from vexo.core.sheets.writers.outgoing import Head, Heads, cells_of
from vexo.core.sheets.writers.xlsx import Beside, fill_xlsx

from .. import artifacts
from ..data_folder import absolute, replacing
from ..errors import PlainError
from ..trips.models import Trip
from ..trips.sheets import stamp_of
from .part_plans import PartPlan
from .record_pieces import Pieces


@dataclass(frozen=True)
class Written:
    """A sheet that was written: its part, file and name, its kept copy, and how many records it holds."""

    plan: PartPlan
    name: str
    path: str
    kept: str
    rows: int


def file_name(trip: Trip, format_: str, label: str = "") -> str:
    """A file name that says what is in it, always with the trip's number; short enough for any disk."""
    words = [_words(trip.title, 120), str(trip.pk), _words(label, 80)]
    return f"{'-'.join(filter(None, words))}.{format_}"


def _words(text: str, most: int) -> str:
    """What of a text stands in a file's name: at most so many bytes of it, as disks count 255 of them."""
    words = re.sub(r"[^\w]+", "-", text.lower()).strip("-")
    return words.encode()[:most].decode(errors="ignore").strip("-")


def help_rows(fields: Sequence[Field], example: pl.DataFrame | None) -> list[list[str]]:
    """What the columns of a sheet to be filled by hand take, with an example of each where there is a record."""
    kinds = {Kind.CHOICES: "several of its choices", Kind.MOMENT: "date and time", Kind.REFERENCE: "another record"}
    rows = [["Column", "Needed", "Takes", "What it is", "Choices", "Example"]]
    for at, field in enumerate(fields):
        shown = None if example is None or example.is_empty() else example[f"c{at}"][0]
        takes = kinds.get(field.kind, field.kind.value)
        if field.max_length:
            takes += f", at most {field.max_length} characters"
        needed = "required" if field.required else ""
        if field.only_for:
            needed = f"for {field.only_for[1]} records only"
        choices = ", ".join(choice.value for choice in field.choices)
        rows.append([field.label, needed, takes, field.help, choices, shown or ""])
    return rows


class Writer:
    """Writes the sheets of one sending out."""

    def __init__(self, trip: Trip, document: SendOut, format_: str, catalogue: Catalogue) -> None:
        self.trip, self.document, self.format, self.catalogue = trip, document, format_, catalogue
        self.type: RecordType = catalogue.type(document.record_type)
        self.fields = [catalogue.field(self.type, name) for name in document.fields]
        self._heads = Heads(self.fields, self.type, catalogue)

    def cells(self, records: pl.DataFrame) -> pl.DataFrame:
        """Records as the text of a sheet."""
        return cells_of(self.fields, records, self.type, self.catalogue)

    def look(self, records: pl.DataFrame) -> None:
        """See some more records, to know how wide columns are and which hold long numbers."""
        self._heads.look(self.cells(records))

    def write(self, plan: PartPlan, pieces: Pieces, help_: Sequence[Sequence[str]] = ()) -> Written:
        """Write a part's sheet and its kept copy. Raises PlainError where the format cannot hold it."""
        heads, rows = self._heads.made(), len(plan.places)
        path = f"files/{self.trip.pk}/out-{uuid.uuid4().hex[:12]}.{self.format}"
        with artifacts.Keeping(self.trip.pk, "kept") as keeping:
            cells = (self.cells(keeping.add(records)) for records in pieces.windows(plan.places))
            try:
                with replacing(absolute(path)) as aside:
                    self._fill(heads, cells, rows, aside, plan, help_)
            except ValueError as error:
                raise PlainError(str(error)) from error
            if not rows:
                keeping.add(artifacts.read(pieces.paths[0]).head(0))
            kept = keeping.settle()
        return Written(plan, file_name(self.trip, self.format, plan.label), path, kept, rows)

    def _fill(
        self,
        heads: Sequence[Head],
        pieces: Iterator[pl.DataFrame],
        rows: int,
        path: Path,
        plan: PartPlan,
        help_: Sequence[Sequence[str]],
    ) -> None:
        title, stamp = plan.label or self.type.plural, stamp_of(self.trip, self.fields, plan.number)
        if self.format == "xlsx":
            fill_xlsx(heads, pieces, rows, path, title, stamp, Beside(help_) if help_ else None)
        elif self.format == "ods":
            fill_ods(heads, pieces, rows, path, title, stamp)
        else:
            fill_csv(heads, pieces, path, "\t" if self.format == "tsv" else ",")
