"""The job that finds out where a file belongs."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.sheets import SheetError, SheetProfile, Stamp
from vexo.core.sheets.foreign_findings import notice
from vexo.core.sheets.shape import column_titles
from vexo.core.sheets.totals import sheet_totals

from ..jobs.leases import Lease
from ..routes.saved_routes import routes_for
from ..trips.facts import to_json
from ..trips.models import Trip
from ..uploads.models import Upload
from ..uploads.upload_cells import forget_old, read_upload
from .belonging import Belonging, belonging_of
from .likely_trips import digest_of, worth_asking
from .record_types import fitting_types

_MOST_OFFERED = 8
"""Record types that are offered for a sheet."""
_MOST_ROUTES = 4
"""Routes that are offered for a sheet."""


def _named(trip: Trip) -> dict[str, Any]:
    return {
        "trip": trip.pk,
        "title": trip.title,
        "application": trip.application.name,
        "record_type": trip.record_type,
    }


def recognise(lease: Lease) -> dict[str, Any]:
    """The job: which trip a file belongs to, and if to none, which record types it could be. Its cells can be looked at
    as soon as they are read."""
    upload = Upload.objects.get(pk=lease.job.arguments["upload"])
    asked_for = Upload.objects.filter(pk=upload.pk, recognising=lease.job.pk)
    upload.choices = lease.job.arguments.get("choices", upload.choices)
    try:
        cells, profile = read_upload(upload)
    except SheetError as error:
        if upload.profile_json is None:
            asked_for.update(trouble=str(error))
        raise
    digest = upload.digest or digest_of(upload)
    asked_for.update(
        profile_json=profile.to_json(),
        choices=upload.choices,
        belongs_to=None,
        trouble="",
        digest=digest,
        cached=True,
    )
    forget_old()
    belongs_to = _told(belonging_of(profile, cells, digest), profile, cells)
    asked_for.update(belongs_to=belongs_to)
    different = {column.name: column.different for column in profile.columns}
    asked_for.update(totals=sheet_totals(cells, list(different), different))
    return belongs_to


def _unknown(belonging: Belonging, stamp: Stamp | None) -> str:
    """What is known of where a sheet comes from that belongs to no trip for sure."""
    if stamp is not None:
        return f"It was sent out from {stamp.application}, but not from here."
    if belonging.findings:
        return " ".join(["It is like no trip that was looked at.", *(one.text for one in belonging.findings)])
    return "" if belonging.likely else "It is like none that went out from here."


def _told(belonging: Belonging, profile: SheetProfile, cells: pl.DataFrame) -> dict[str, Any]:
    """Where a file belongs, as it is kept with it and told."""
    origin, stamp = belonging.found, profile.stamp
    if origin is not None:
        return {**_named(origin.trip), "how": origin.how, "account": origin.account}
    likely = [{**_named(one.trip), "account": one.account} for one in worth_asking(belonging.likely, profile.rows)]
    routes = [] if stamp else routes_for(list(column_titles(profile.columns).values()))
    whole = [fit for fit in routes if fit.whole]
    return {
        "trip": None,
        "rows": profile.rows,
        "account": _unknown(belonging, stamp),
        "route": whole[0].route.pk if len(whole) == 1 and not likely else None,
        "routes": to_json([fit.fact for fit in routes[:_MOST_ROUTES]]),
        "fits": fitting_types(profile, cells)[:_MOST_OFFERED],
        "likely": likely,
        "noticed": [finding.to_json() for finding in (*belonging.findings, *notice(cells, profile))],
    }
