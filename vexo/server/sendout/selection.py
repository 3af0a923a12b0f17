"""Saying what goes out: a new trip by a document."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from vexo.applications import Client
from vexo.core.documents import Picked, SendOut, check
from vexo.core.keys.key_lists import PLACE, in_their_order, typed_keys
from vexo.core.keys.near import near_keys
from vexo.core.records import Catalogue, RecordType
from vexo.core.sheets.writers.outgoing import read_fields
from vexo.core.wording import shortened

from ..applications.models import Application
from ..applications.services import describe
from ..routes.models import Route
from ..routes.saved_routes import fit_of
from ..trips.models import Trip

_MOST_NEAR = 50
"""Keys that found no record for which the nearest are looked for: more are another list, not slips."""
_MOST_READ = 20_000
"""Records of a type among which they are looked for: the keys of all are read for it."""


def begin(application: Application, document: SendOut, by: str, title: str = "", route: Route | None = None) -> Trip:
    """A trip that begins with records. Raises UnknownName, ConditionError, DocumentError."""
    catalogue = application.known or describe(application)
    whole = check(document, catalogue)
    record_type = catalogue.type(whole.record_type)
    bringing = fit_of(route).bringing if route is not None else None
    back: dict[str, Any] = {"operation": "create" if whole.headers_only else "update"}
    if bringing is not None and bringing.record_type == record_type.name:
        bringing_json = bringing.to_json()
        back = {name: bringing_json[name] for name in ("columns", "lanes", "key", "operation")}
        back |= {"ignores": list(bringing.ignores), "reach": bringing.reach}
        back["row_filter"] = {"condition": bringing.row_condition} if bringing.row_condition else {}
    return Trip.objects.create(
        title=shortened(title or (route.name if route else record_type.plural), 160),
        route=route,
        application=application,
        record_type=record_type.name,
        send_document=whole.to_json(),
        status={"plural": record_type.plural},
        created_by=by,
        **back,
    )


def order_of(document: SendOut, record_type: RecordType) -> Sequence[str]:
    """What a sheet is put in order by: as was said, else as the list of picked records is, else by the natural key."""
    if document.order or document.picked is not None:
        return document.order
    return record_type.natural_key


def read_picked(
    client: Client, picked: Picked, record_type: RecordType, fields: Sequence[str]
) -> tuple[pl.DataFrame, list[str]]:
    """The records that were picked, in the order of the list, and the keys that found none."""
    keys = typed_keys(picked, record_type).drop(PLACE)
    records = client.read_by_keys(record_type, list(fields), list(picked.key), keys)
    records_picked, missing = in_their_order(picked, record_type, records)
    return records_picked, _with_nearest(client, picked, record_type, missing)


def _with_nearest(client: Client, picked: Picked, record_type: RecordType, missing: list[str]) -> list[str]:
    """Keys that found no record, each with those that it may have been meant to be."""
    if len(picked.key) > 1 or not 0 < len(missing) <= _MOST_NEAR or client.count(record_type) > _MOST_READ:
        return missing
    [name] = picked.key
    known = pl.concat([chunk[name] for chunk in client.read(record_type, [name])]).cast(pl.String).drop_nulls()
    near = near_keys(missing, known.to_list())
    return [f"{key} (nearest: {' or '.join(near[key])})" if key in near else key for key in missing]


def all_read(document: SendOut, record_type: RecordType, catalogue: Catalogue) -> list[str]:
    """What has to be read for a document: its fields, and what it is put in order, shared out and picked by."""
    names = [*document.fields, *[name.removeprefix("-") for name in document.order]]
    names += [document.share.field] if document.share else []
    names += document.picked.key if document.picked else []
    names += record_type.natural_key
    return read_fields(list(dict.fromkeys(names)), record_type, catalogue)
