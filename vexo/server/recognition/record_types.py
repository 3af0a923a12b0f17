"""The record types that a sheet could be about."""

from __future__ import annotations

from functools import cache
from typing import Any

import polars as pl

from vexo.core.columns.matches import match_columns
from vexo.core.records import Catalogue, Kind, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.values import bare, normal
from vexo.core.wording import thousands

from ..applications.models import Application
from ..artifacts import ArtifactLost
from ..trips.models import Trip
from ..trips.sheets import kept_records

_MOST_LIKE_A_KEY = 0.5
"""Share of a column's values that have to be known as a key's, before that speaks for a record type."""
_FEWEST_VALUES = 5
"""Different values of a column from which a likeness to a key is more than chance."""
_MOST_TYPES = 60
"""Record types that are looked through, the newest trips' first."""


def fitting_types(profile: SheetProfile, cells: pl.DataFrame) -> list[dict[str, Any]]:
    """The record types that a sheet could be about, the likeliest first, and what speaks for each."""
    fits: list[dict[str, Any]] = []
    accounts = _by_values(profile, cells)
    for application in Application.objects.all():
        known = application.known
        if known is None:
            continue
        for record_type in known.types:
            columns = _known_columns(known, record_type, profile)
            share, account = accounts.get(record_type.name, (0.0, ""))
            if columns or account:
                facts = {"application": application.name, "record_type": record_type.name, "plural": record_type.plural}
                fits.append({**facts, "columns": columns, "account": account, "share": share})
    return sorted(fits, key=lambda fit: (-fit["columns"], -fit["share"]))


def _by_values(profile: SheetProfile, cells: pl.DataFrame) -> dict[str, tuple[float, str]]:
    """For each record type whose records went out before: the column whose values are most like a key's, in words."""
    best: dict[str, tuple[float, str]] = {}
    seen: set[tuple[int, str]] = set()

    @cache
    def values_of(column: str) -> pl.Series:
        return bare(normal(cells[column])).drop_nulls()

    for trip in Trip.objects.filter(kept_copies__isnull=False).select_related("application").order_by("-id").distinct():
        known = trip.application.known
        if known is None or (trip.application_id, trip.record_type) in seen or len(seen) > _MOST_TYPES:
            continue
        try:
            kept = kept_records(trip)
        except ArtifactLost:
            # Another trip of the type serves as well.
            continue
        seen.add((trip.application_id, trip.record_type))
        record_type = next((one for one in known.types if one.name == trip.record_type), None)
        if kept is None or record_type is None:
            continue
        keys = [record_type.field(name) for key in record_type.keys for name in key if name in kept.columns]
        for field in (field for field in keys if field.kind == Kind.TEXT):
            theirs = bare(normal(kept[field.name].cast(pl.String))).drop_nulls()
            for column in profile.columns:
                values = values_of(column.name)
                alike = int(values.is_in(theirs.implode()).sum())
                share = alike / len(values) if len(values) else 0.0
                if (
                    share > max(_MOST_LIKE_A_KEY, best.get(record_type.name, (0.0, ""))[0])
                    and values.n_unique() >= _FEWEST_VALUES
                ):
                    header = column.header or column.name
                    shares = (
                        f"{thousands(alike)} of {thousands(len(values))} values of “{header}” are like {field.label}"
                    )
                    best[record_type.name] = (share, f"{shares} of {record_type.plural} that went out before.")
    return best


def _known_columns(known: Catalogue, record_type: RecordType, profile: SheetProfile) -> int:
    """How many columns of a sheet are known as fields of a type, by their headers."""
    return sum(1 for m in match_columns(profile, record_type, known) if m.field)
