"""Which trip a sheet belongs to: by its stamp, or by its header and keys."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from vexo.core.records import IDENTIFIER, Catalogue, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.outgoing import column_of

from ..applications.models import Application
from ..jobs.working import PlainError
from .kept import newest_copy
from .models import Sheet, Trip
from .sending import stamp_fits

_ENOUGH = 0.5


def by_stamp(profile: SheetProfile, application: Application) -> Trip | None:
    """The trip that the sheet's stamp names, if that trip was made here for this very application."""
    stamp = profile.stamp
    if stamp is None or stamp.application != application.name:
        return None
    trip = Trip.objects.filter(pk=stamp.trip, application=application, record_type=stamp.record_type).first()
    return trip if trip and stamp_fits(trip, stamp) else None


def _share_known(
    trip: Trip, cells: Path, profile: SheetProfile, record_type: RecordType, catalogue: Catalogue
) -> float:
    """How much of the sheet's first key column stands in the kept copy."""
    kept = newest_copy(trip)
    if kept is None:
        return 0.0
    key = record_type.identifier if record_type.identifier in trip.fields else trip.fields[0]
    header = catalogue.field(record_type, key).label
    column = next((c.name for c in profile.columns if c.header == header), None)
    if column is None:
        return 0.0
    texts = pl.scan_parquet(cells).select(column).collect()[column].drop_nulls().unique()
    field = catalogue.field(record_type, key)
    known = kept[IDENTIFIER if key == record_type.identifier else column_of(field, catalogue)].cast(pl.String)
    return float(texts.is_in(known.implode()).sum()) / max(1, len(texts))


def by_header(
    profile: SheetProfile, cells: Path, application: Application, record_type: RecordType, catalogue: Catalogue
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
        raise PlainError(f"More than one trip fits this sheet: {named}. Say which with --trip, or --trip new for none.")
    return fitting[0] if fitting else None


def was_delimited(trip: Trip) -> bool:
    """Whether the trip's sheet went out as delimited text, where formulas were made harmless."""
    last = trip.sheets.filter(direction=Sheet.OUT).last()
    return bool(last and last.profile and last.profile.get("format") in ("csv", "tsv"))
