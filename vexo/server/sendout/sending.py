"""Sending records out as a sheet."""

from __future__ import annotations

import re
import uuid
from collections.abc import Sequence
from typing import Any

import polars as pl

from vexo.core.conditions import read_condition
from vexo.core.records import Catalogue, Kind, RecordType
from vexo.core.sheets.csv_writing import write_csv
from vexo.core.sheets.ods_writing import write_ods
from vexo.core.sheets.outgoing import column_of, outgoing_columns
from vexo.core.sheets.xlsx_writing import write_xlsx

from .. import stages
from ..applications.models import Application
from ..applications.services import client_of, describe
from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.leases import Lease
from ..journal.services import note
from ..trips.models import Sheet, Trip
from ..trips.sheets import keep_copy, part_of, stamp_of
from ..trips.standing import tell

FORMATS = ("xlsx", "ods", "csv", "tsv")
_BOOKS = {"xlsx": write_xlsx, "ods": write_ods}


def default_fields(record_type: RecordType) -> list[str]:
    """Fields of a sheet when nobody chose: the identifier, the keys, then all that can be carried back."""
    keys = list(record_type.keys[0]) if record_type.keys else []
    rest = [f.name for f in record_type.fields if not f.read_only]
    return list(dict.fromkeys([record_type.identifier, *keys, *rest]))


def with_keys(fields: Sequence[str], record_type: RecordType) -> list[str]:
    """The chosen fields in their order, behind the identifier and the keys where those were not chosen."""
    first = [record_type.identifier, *(record_type.keys[0] if record_type.keys else ())]
    return [*[name for name in first if name not in fields], *fields]


def new_trip(
    application: Application,
    record_type: str,
    by: str,
    fields: Sequence[str] = (),
    condition: str = "",
    title: str = "",
) -> Trip:
    """A trip that begins with records. Raises UnknownName and ConditionError."""
    catalogue = application.known or describe(application)
    own = catalogue.type(record_type)
    chosen = with_keys(list(dict.fromkeys(fields)), own) if fields else default_fields(own)
    for name in chosen:
        catalogue.field(own, name)
    read_condition(condition, own, catalogue)
    return Trip.objects.create(
        title=title or own.plural,
        application=application,
        record_type=own.name,
        condition=condition,
        fields=chosen,
        standing={"plural": own.plural},
        created_by=by,
    )


def read_fields(names: Sequence[str], record_type: RecordType, catalogue: Catalogue) -> list[str]:
    """What has to be read for a sheet with these fields: references also as people know them."""
    wanted: list[str] = []
    for name in names:
        field = catalogue.field(record_type, name)
        wanted.append(name)
        if field.kind == Kind.REFERENCE and field.path is None:
            wanted.append(column_of(field, catalogue))
    return list(dict.fromkeys(wanted))


def file_name(trip: Trip, format_: str) -> str:
    """A file name that says what is in it."""
    words = re.sub(r"[^\w]+", "-", f"{trip.title} {trip.pk}".lower()).strip("-")
    return f"{words or 'sheet'}.{format_}"


def send_out(lease: Lease) -> dict[str, Any]:
    """The job: read the records, keep a copy, write the sheet."""
    job = lease.job
    trip = lease.trip
    format_ = str(job.arguments.get("format", "xlsx"))
    if format_ not in FORMATS:
        raise PlainError(f"{format_!r} is no format for a sheet here; use {', '.join(FORMATS)}.")
    with client_of(trip.application) as client:
        catalogue = describe(trip.application, client)
        record_type = catalogue.type(trip.record_type)
        fields = [catalogue.field(record_type, name) for name in trip.fields]
        condition = read_condition(trip.condition, record_type, catalogue)
        total = client.count(record_type, condition)
        lease.progress(0, total, "reading records")
        order = trip.order or (record_type.keys[0] if record_type.keys else ())
        chunks: list[pl.DataFrame] = []
        for chunk in client.read(record_type, read_fields(trip.fields, record_type, catalogue), condition, order):
            chunks.append(chunk)
            lease.progress(sum(map(len, chunks)), total, "reading records")
    records = pl.concat(chunks)
    columns = outgoing_columns(fields, records, record_type, catalogue)
    name = file_name(trip, format_)
    relative = f"files/{trip.pk}/out-{uuid.uuid4().hex[:12]}.{format_}"
    path = absolute(relative)
    path.parent.mkdir(parents=True, exist_ok=True)
    aside = path.with_name("." + path.name)
    if format_ in _BOOKS:
        try:
            _BOOKS[format_](columns, aside, record_type.plural, stamp_of(trip, fields))
        except ValueError as error:
            raise PlainError(str(error)) from error
    else:
        write_csv(columns, aside, "\t" if format_ == "tsv" else ",")
    stages.settle(aside, path)
    with lease.writing():
        part = part_of(trip)
        keep_copy(trip, part, records)
        values = {"name": name, "path": relative, "rows": len(records), "profile": {"format": format_}}
        sheet = Sheet.objects.create(trip=trip, part=part, direction=Sheet.OUT, added_by=job.by, **values)
        sent = {"id": sheet.pk, "rows": len(records), "name": name, "at": sheet.added_at.isoformat()}
        tell(trip, plural=record_type.plural, sent=sent)
        said = f"Sent out {len(records):,} {record_type.plural.lower()} as {name}"
        note(job.by, "sent out", said, trip.application, trip.pk, len(records), name)
    return {"trip": trip.pk, "rows": len(records), "sheet": sheet.pk, "file": relative, "name": name}
