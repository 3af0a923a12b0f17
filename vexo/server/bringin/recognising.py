"""Which trip a sheet belongs to: by its stamp, or by its header and keys."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.columns.matching import MappingError, match_columns
from vexo.core.records import IDENTIFIER, Catalogue, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.outgoing import column_of

from ..applications.models import Application
from ..errors import PlainError
from ..jobs.leases import Lease
from ..trips.models import Sheet, Trip
from ..trips.sheets import kept_records, stamp_fits
from .models import Upload
from .reading import read_upload

_ENOUGH = 0.5


def by_stamp(profile: SheetProfile, application: Application) -> Trip | None:
    """The trip that the sheet's stamp names, if that trip was made here for this very application."""
    stamp = profile.stamp
    if stamp is None or stamp.application != application.name:
        return None
    trip = Trip.objects.filter(pk=stamp.trip, application=application, record_type=stamp.record_type).first()
    return trip if trip and stamp_fits(trip, stamp) else None


def _share_known(
    trip: Trip, cells: pl.DataFrame, profile: SheetProfile, record_type: RecordType, catalogue: Catalogue
) -> float:
    """How much of the sheet's first key column stands in the kept copy."""
    kept = kept_records(trip)
    if kept is None:
        return 0.0
    key = record_type.identifier if record_type.identifier in trip.fields else trip.fields[0]
    header = catalogue.field(record_type, key).label
    column = next((c.name for c in profile.columns if c.header == header), None)
    if column is None:
        return 0.0
    texts = cells[column].drop_nulls().unique()
    field = catalogue.field(record_type, key)
    known = kept[IDENTIFIER if key == record_type.identifier else column_of(field, catalogue)].cast(pl.String)
    return float(texts.is_in(known.implode()).sum()) / max(1, len(texts))


def by_header(
    profile: SheetProfile, cells: pl.DataFrame, application: Application, record_type: RecordType, catalogue: Catalogue
) -> Trip | None:
    """The trip whose sheet had this header and these keys.

    Raises:
        PlainError: where two trips fit; a person has to say which.
    """
    header = [column.header for column in profile.columns if column.header]
    sent = Trip.objects.filter(application=application, record_type=record_type.name, sheets__direction=Sheet.OUT)
    fitting = []
    for trip in sent.distinct().order_by("-id")[:50]:
        labels = [catalogue.field(record_type, name).label for name in trip.fields]
        if set(labels) <= set(header) and _share_known(trip, cells, profile, record_type, catalogue) >= _ENOUGH:
            fitting.append(trip)
    if len(fitting) > 1:
        named = " or ".join(str(trip.pk) for trip in fitting[:4])
        raise PlainError(
            f"More than one trip fits this sheet: {named}. Say which it is, or that it is none.", "which-trip"
        )
    return fitting[0] if fitting else None


def _told(trip: Trip) -> dict[str, Any]:
    return {
        "trip": trip.pk,
        "title": trip.title,
        "application": trip.application.name,
        "record_type": trip.record_type,
    }


def recognise(lease: Lease) -> dict[str, Any]:
    """The job: which trip a file belongs to, and if to none, which record types it could be."""
    upload = Upload.objects.get(pk=lease.job.arguments["upload"])
    cells, profile = read_upload(upload)
    fits: list[dict[str, Any]] = []
    for application in Application.objects.all():
        known = application.known
        if known is None:
            continue
        trip = by_stamp(profile, application)
        if trip is not None:
            return _told(trip)
        fits += [_fit(application, known, record_type, profile) for record_type in known.types]
    fits = sorted((fit for fit in fits if fit["columns"]), key=lambda fit: -fit["columns"])
    for fit in fits[:4]:
        application = Application.objects.get(name=fit["application"])
        catalogue = application.known
        if catalogue is None:
            continue
        found = by_header(profile, cells, application, catalogue.type(fit["record_type"]), catalogue)
        if found is not None:
            return _told(found)
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
