"""What people can make lanes of: all treatments with their phrases, and the tables to look values up in."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from vexo.core.columns.lanes import lanes_from_json
from vexo.core.columns.treatments import KINDS
from vexo.core.records import Kind

from ..trips.models import Trip
from ..uploads.models import Upload
from .lookup_tables import SHEET, headers_of_table, look_ups
from .mapped_sheet import known_catalogue


def offered_treatments() -> list[dict[str, Any]]:
    """All treatments, as the screen and the command line show them."""
    return [
        {
            "do": kind.do,
            "title": kind.title,
            "says": kind.says,
            "initial": {"do": kind.do, **{argument.name: argument.default for argument in fields(kind)}},
            "arguments": [
                {
                    "name": argument.name,
                    "kind": argument.kind,
                    "title": argument.label,
                    "options": dict(argument.options),
                }
                for argument in kind.arguments
            ],
        }
        for kind in KINDS.values()
    ]


def offered_tables(trip: Trip) -> list[dict[str, Any]]:
    """The sheets that were brought to be looked up in, and the record types of the trip's application."""
    used = trip.sheets.values_list("path", flat=True)
    tables = {one.table for one in look_ups(lanes_from_json(trip.lanes).values())}
    sheets = [
        {"table": f"{SHEET}{one.pk}", "title": one.name, "names": {header: header for header in headers_of_table(one)}}
        for one in Upload.objects.filter(discarded=False, continues=None).exclude(profile_json=None).order_by("-id")
        if one.path not in used and (one.trip_id in (None, trip.pk) or f"{SHEET}{one.pk}" in tables)
    ]
    types = [
        {
            "table": record_type.name,
            "title": record_type.plural,
            "names": {field.name: field.label for field in record_type.fields if field.kind != Kind.CHOICES},
        }
        for record_type in known_catalogue(trip.application).types
    ]
    return [*sheets[:20], *types]
