"""Tables in which treatments look values up: another sheet, or another record type."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import polars as pl

from vexo.applications import Client
from vexo.core.columns.lanes import Lane
from vexo.core.columns.treatments import LookUp, TreatmentError, make_table
from vexo.core.records import Catalogue, UnknownName
from vexo.core.sheets.shape import column_titles
from vexo.core.values import to_text
from vexo.core.wording import thousands

from .. import artifacts
from ..trips.models import Trip
from ..uploads.models import Upload
from ..uploads.upload_cells import place_of, read_upload

SHEET = "sheet:"
_MOST = 2_000_000
"""Records that a treatment looks up in: they are all in memory, with a gigabyte for these many."""


def look_ups(lanes: Iterable[Lane]) -> list[LookUp]:
    """The treatments that look something up, each once."""
    steps = [one for lane in lanes for one in lane.treatments if isinstance(one, LookUp)]
    return list({one.name: one for one in steps}.values())


def tables_of(lanes: Mapping[str, Lane], catalogue: Catalogue, client: Client) -> dict[str, pl.DataFrame]:
    """The tables of all lanes, by their names. Raises TreatmentError."""
    return {one.name: _table(one, catalogue, client) for one in look_ups(lanes.values())}


def _table(asked: LookUp, catalogue: Catalogue, client: Client) -> pl.DataFrame:
    if asked.table.startswith(SHEET):
        return _of_sheet(asked)
    try:
        record_type = catalogue.type(asked.table)
        fields = [catalogue.field(record_type, name) for name in (asked.by, asked.take)]
    except UnknownName as error:
        raise TreatmentError(str(error)) from error
    if client.count(record_type) > _MOST:
        raise TreatmentError(f"{record_type.plural} are too many to look up in: more than {thousands(_MOST)}.")
    names = [field.name for field in fields]
    records = pl.concat(list(client.read(record_type, list(dict.fromkeys(names)))))
    keys, values = (to_text(field, records[field.name]) for field in fields)
    return make_table(keys, values, fields[0].label)


def sheet_of(table: str) -> Upload:
    """The sheet that a treatment names. Raises TreatmentError."""
    number = table.removeprefix(SHEET)
    uploads = Upload.objects.filter(pk=int(number)).first() if number.isdecimal() and len(number) < 18 else None
    if uploads is None or uploads.discarded:
        raise TreatmentError(f"There is no sheet {number} to look up in. Bring it in again.")
    return uploads


def headers_of_table(upload: Upload) -> list[str]:
    """The headers of a sheet to look up in."""
    return [title for title in column_titles(upload.profile.columns if upload.profile else ()).values() if title]


def _of_sheet(asked: LookUp) -> pl.DataFrame:
    upload = sheet_of(asked.table)
    place = place_of(upload, upload.read_options)
    known = upload.profile
    if known is not None and artifacts.there(place):
        cells, profile = artifacts.read(place), known
    else:
        cells, profile = read_upload(upload)
    columns = {title: column for column, title in column_titles(profile.columns).items() if title}
    for header in (asked.by, asked.take):
        if header not in columns:
            words = ", ".join(columns) or "none"
            raise TreatmentError(f"{upload.name} has no column {header!r}. Its columns are: {words}.")
    return make_table(cells[columns[asked.by]], cells[columns[asked.take]], asked.by)


def claim(trip: Trip, lanes: Iterable[Lane]) -> None:
    """Sheets that a trip's lanes look up in belong to it from now on, and wait for nothing. Raises TreatmentError."""
    for one in look_ups(lanes):
        if one.table.startswith(SHEET):
            upload = sheet_of(one.table)
            if upload.trip_id is None:
                Upload.objects.filter(pk=upload.pk, trip=None).update(trip=trip, belongs_to=None)
