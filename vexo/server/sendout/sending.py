"""Sending records out as a sheet."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence
from typing import Any

import polars as pl

from vexo.core.conditions import read_condition
from vexo.core.records import Catalogue, Field, Kind, RecordType
from vexo.core.sheets.csv_writing import write_csv
from vexo.core.sheets.outgoing import column_of, outgoing_columns
from vexo.core.sheets.sheet import Stamp
from vexo.core.sheets.xlsx_writing import write_xlsx

from ..applications.models import Application
from ..applications.services import client_of, describe
from ..data_folder import absolute
from ..jobs.leases import Lease
from ..jobs.working import PlainError
from ..journal.services import note
from .kept import keep_copy
from .models import Sheet, Trip

FORMATS = ("xlsx", "csv", "tsv")


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
    catalogue = describe(application)
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


def stamp_of(trip: Trip, fields: Sequence[Field]) -> Stamp:
    """What a sheet of this trip carries to be recognised by."""
    columns = tuple((field.name, field.label) for field in fields)
    created = hashlib.sha256(f"{trip.pk} {trip.created_at}".encode()).hexdigest()[:16]
    return Stamp(trip.pk, created, trip.application.name, trip.application.stage, trip.record_type, columns)


def stamp_fits(trip: Trip, stamp: Stamp) -> bool:
    """Whether a stamp was made here, for this trip."""
    return stamp_of(trip, []).origin == stamp.origin


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
    relative = f"files/{trip.pk}/{file_name(trip, format_)}"
    path = absolute(relative)
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name("." + path.name)
    if format_ == "xlsx":
        try:
            write_xlsx(columns, part, record_type.plural, stamp_of(trip, fields))
        except ValueError as error:
            raise PlainError(str(error)) from error
    else:
        write_csv(columns, part, "\t" if format_ == "tsv" else ",")
    part.replace(path)
    with lease.writing():
        keep_copy(trip, records)
        values = {"name": path.name, "path": relative, "rows": len(records), "profile": {"format": format_}}
        sheet = Sheet.objects.create(trip=trip, direction=Sheet.OUT, added_by=job.by, **values)
        said = f"Sent out {len(records):,} {record_type.plural.lower()} as {path.name}"
        note(job.by, "sent out", said, trip.application, trip.pk, len(records), path.name)
    return {"trip": trip.pk, "rows": len(records), "sheet": sheet.pk, "file": relative}
