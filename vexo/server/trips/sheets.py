"""A trip's sheets, parts, kept copies and stamps."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import polars as pl
from django.db.models import QuerySet

from vexo.core.planning.merge_base import LEDGER, Ledger
from vexo.core.records import Field
from vexo.core.sheets import Stamp
from vexo.core.sheets.sheet import ROW_ID

from .. import artifacts
from ..errors import PlainError
from ..journal.services import note
from ..people.models import Person
from .models import KeptCopy, Part, Sheet, Trip
from .part_view import PartView


def part_of(trip: Trip, number: int = 1) -> Part:
    """A part of a trip, made where it is not there yet."""
    return Part.objects.get_or_create(trip=trip, number=number)[0]


def newest_in(view: PartView, part: int = 0) -> Sheet | None:
    """The sheet of a part that came in last, if any did: of the one that is looked at, where none is said."""
    trip = view.trip
    return sheets_in(trip, part or view.part).select_related("part").last()


def sheets_in(trip: Trip, part: int) -> QuerySet[Sheet]:
    """The sheets of a part that came in, oldest first."""
    return trip.sheets.filter(direction=Sheet.IN, part__number=part).order_by("id")


def newest_sheet(view: PartView) -> Sheet:
    """The sheet that came in last. Raises PlainError where none has."""
    trip = view.trip
    sheet = newest_in(view)
    if sheet is None:
        raise PlainError(f"No sheet has come in on trip {trip.pk} yet. Bring one in first.", "no-sheet")
    return sheet


def kept_paths(trip: Trip, part: Part | None = None) -> list[str]:
    """Where the records are kept that went out (of one part, or all); nothing where the sheet came from elsewhere."""
    copies = trip.kept_copies.filter(part=part) if part is not None else trip.kept_copies.all()
    newest: dict[int | None, KeptCopy] = {copy.part_id: copy for copy in copies}
    return [copy.path for copy in newest.values()]


def kept_records(trip: Trip, part: Part | None = None) -> pl.DataFrame | None:
    """The records as they went out (of one part, or all), or None for a trip whose sheet came from elsewhere."""
    paths = kept_paths(trip, part)
    return pl.concat([artifacts.read(path) for path in paths], how="diagonal") if paths else None


def keep_copy(trip: Trip, part: Part, records: pl.DataFrame) -> KeptCopy:
    """Keep records with the trip. The file is new each time; earlier copies stay as they are."""
    path = artifacts.keep_artifact(records, trip.pk, "kept")
    return KeptCopy.objects.create(trip=trip, part=part, path=path, rows=len(records))


def ledger_pages(trip: Trip) -> list[str]:
    """The pages of a trip's ledger, one for each pass; one that is written again has another name."""
    return list(trip.ledger.order_by("number").values_list("path", flat=True))


def ledger_of(pages: Sequence[str], rows: pl.Series | None = None) -> Ledger:
    """What the passes have done that wrote these pages: with all rows of the trip, or with some."""
    if rows is None:
        return Ledger.merged([artifacts.read(page) for page in pages])
    wanted = rows.implode()
    places = [artifacts.read(page, [ROW_ID])[ROW_ID].is_in(wanted).arg_true() for page in pages]
    return Ledger.merged([artifacts.read_rows(page, at) for page, at in zip(pages, places, strict=True)])


def rows_bound(pages: Sequence[str]) -> pl.DataFrame:
    """Which rows these passes bound to a record or left in doubt, as ``Ledger.rows``."""
    return Ledger.merged([artifacts.read(page, list(LEDGER)) for page in pages]).rows


def was_delimited(trip: Trip) -> bool:
    """Whether the trip's sheet went out as delimited text, where formulas were made harmless."""
    last = trip.sheets.filter(direction=Sheet.OUT).last()
    return last is not None and last.format in ("csv", "tsv")


def stamp_of(trip: Trip, fields: Sequence[Field], part: int = 1, *, rows: bool = False) -> Stamp:
    """What a sheet of this trip carries to be recognised by."""
    columns = tuple((field.name, field.label) for field in fields)
    digest = hashlib.sha256(f"{trip.pk} {trip.created_at}".encode()).hexdigest()[:16]
    return Stamp(trip.pk, part, digest, trip.application.name, trip.application.stage, trip.record_type, columns, rows)


def stamp_fits(trip: Trip, stamp: Stamp) -> bool:
    """Whether a stamp was made here, for this trip."""
    return stamp_of(trip, []).origin == stamp.origin


def downloaded(trip: Trip, person: Person, name: str, rows: int | None = None) -> None:
    """Write down that someone took a file with records out of Vexo."""
    note(person.username, "downloaded", f"Downloaded {name}", trip.application, trip.pk, rows, name)
