"""What the application is asked for a plan: the records that rows are about, counts, sums."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from vexo.applications import ApplicationError, Client
from vexo.applications.base import NoAnswer, NotTaken
from vexo.core.columns.carried_columns import CarriedColumns
from vexo.core.conditions import read_condition
from vexo.core.keys.likeness import like_records, naming_of
from vexo.core.keys.near import near_records
from vexo.core.keys.record_keys import key_texts, normal_key, row_keys
from vexo.core.operations import Operation
from vexo.core.planning.inputs import OTHER_PARTS, Settings
from vexo.core.records import IDENTIFIER, Ignored, RecordType
from vexo.core.writing.totals import as_texts

from .. import artifacts
from ..trips.models import Sheet
from ..trips.part_view import PartView
from .context import PlanContext

_SMALL_TYPE = 500
"""Records of a type up to which all of them are read: they are one short answer."""
_ALL_AT = 3
"""Records of a type for each row, up to which all of them are read: in pages of thousands that is no dearer than asking
for those of the rows in groups of 100 keys."""
_ALL_WANTED = 10_000
"""Records of a type up to which all of them are read where anything about all of them is asked, or asking for some does
not do: they are a few pages, and to ask for a spread is half a dozen questions for each field."""
MOST_KEYS = 2_000_000
"""Records of a type up to which all their keys are read before rows count as new (``semantics.md`` 5.1), and the values
of a unique field of which rows bring new ones (7.3)."""
_IN_ANY_CAPITALS = frozenset({Ignored.CAPITALS})
_MOST_SUMMED = 50_000
"""Records of a selection up to which its sums are asked for: an application that cannot add up is read for them."""


def _by_identifier(context: PlanContext, fields: list[str], wanted: pl.Series, client: Client) -> pl.DataFrame:
    """Records by their IDs; texts that can be none are passed over."""
    identifier = context.record_type.identifier
    identifiers = wanted.drop_nulls().unique()
    if not context.record_type.field(identifier).quoted:
        identifiers = identifiers.filter(identifiers.str.contains(r"^\d{1,18}$"))
    return client.read_by_keys(context.record_type, fields, [identifier], identifiers.alias(identifier).to_frame())


def records_now(
    context: PlanContext, carried: pl.DataFrame, known: pl.Series, total: int, client: Client, *, all_wanted: bool
) -> pl.DataFrame:
    """The application's records that rows are or may be about, with all fields the plan compares.

    Args:
        known: IDs of records that rows were about before.
        total: how many records the type has.
        all_wanted: the plan looks at all records, too, where they are not too many.
    """
    record_type, key = context.record_type, context.settings.key
    settings = context.settings
    fields = list(dict.fromkeys([*settings.carried, *settings.checks, *key, *record_type.natural_key]))
    all_in_reach = settings.operation == Operation.MAKE_SAME and not settings.reach
    if settings.operation == Operation.DELETE or all_in_reach:
        fields = [f.name for f in record_type.fields]
    few = total <= _SMALL_TYPE or (all_wanted and total <= _ALL_WANTED)
    if few or len(carried) * _ALL_AT > total or all_in_reach:
        return pl.concat(list(client.read(record_type, fields)))
    try:
        some = _some_records(context, carried, known, total, client, fields)
        return _with_owners(context, carried, some, total, client, fields)
    except (NoAnswer, NotTaken):
        raise
    except ApplicationError:
        # Not every service finds records by their keys; few enough are read without it.
        if total > _ALL_WANTED:
            raise
        return pl.concat(list(client.read(record_type, fields)))


def _with_owners(
    context: PlanContext, carried: pl.DataFrame, records: pl.DataFrame, total: int, client: Client, fields: list[str]
) -> pl.DataFrame:
    """Records, and those that have a unique value which rows say and none of these has: another one's, if it is. Of a
    type that is too large to look through it is found as it is written, and not in other capitals."""
    record_type, settings = context.record_type, context.settings
    if settings.operation == Operation.DELETE:
        return records
    for key in record_type.keys:
        if key == settings.key or not set(key) <= {*settings.carried}:
            continue
        values = row_keys(carried, key, record_type).drop_nulls().unique(maintain_order=True)
        known = records.select(normal_key(name, record_type.field(name)).alias(name) for name in key)
        new = values.join(known, on=list(key), how="anti", maintain_order="left")
        if len(new):
            if total <= MOST_KEYS:
                owners = _by_identifier(context, fields, _owners(record_type, key, new, client), client)
            else:
                owners = client.read_by_keys(record_type, fields, list(key), new)
            records = pl.concat([records, owners]).unique(IDENTIFIER, keep="first", maintain_order=True)
    return records


def _owners(record_type: RecordType, key: Sequence[str], values: pl.DataFrame, client: Client) -> pl.Series:
    """IDs of the records that have one of these values of a unique field, whatever its capitals."""
    every = pl.concat(list(client.read(record_type, list(key))))
    texts = key_texts(every, key, record_type, _IN_ANY_CAPITALS)
    wanted = key_texts(values, key, record_type, _IN_ANY_CAPITALS).drop_nulls()
    return every.select(IDENTIFIER).hstack(texts).join(wanted, on=list(key), how="semi")[IDENTIFIER]


def _some_records(
    context: PlanContext, carried: pl.DataFrame, known: pl.Series, total: int, client: Client, fields: list[str]
) -> pl.DataFrame:
    """The records that rows are or may be about, of a type that is not read whole."""
    record_type, settings = context.record_type, context.settings
    key = settings.key
    if not key:
        return _by_identifier(context, fields, pl.concat([known, _by_likeness(context, carried, client)]), client)
    keys = row_keys(carried, key, record_type, settings.ignores)
    if key == (record_type.identifier,) and record_type.field(key[0]).read_only:
        return _by_identifier(context, fields, pl.concat([known, keys[key[0]].cast(pl.String)]), client)
    if (settings.operation.creates or settings.ignores) and total <= MOST_KEYS:
        return _by_identifier(context, fields, pl.concat([known, _by_all_keys(context, keys, client)]), client)
    by_key = client.read_by_keys(record_type, fields, key, keys)
    if total <= MOST_KEYS:
        lost = keys.drop_nulls().join(_normal_keys(by_key, settings, record_type), on=list(key), how="anti")
        if len(lost):
            known = pl.concat([known, _by_all_keys(context, keys, client)])
    missing = known.filter(~known.is_in(by_key[IDENTIFIER].implode()))
    by_identifier = _by_identifier(context, fields, missing, client)
    return pl.concat([by_key, by_identifier]).unique(IDENTIFIER, keep="first", maintain_order=True)


def _by_likeness(context: PlanContext, carried: pl.DataFrame, client: Client) -> pl.Series:
    """IDs of the records that rows without a key may be, by how all records of the type are named."""
    naming = naming_of(context.record_type, context.settings.carried)
    if not naming.fields:
        return pl.Series([], dtype=pl.String)
    all_records = pl.concat(list(client.read(context.record_type, list(naming.fields))))
    rows = carried.select(pl.col(CarriedColumns(name).value).alias(name) for name in naming.fields)
    return like_records(rows, all_records, naming)[IDENTIFIER].unique(maintain_order=True)


def _normal_keys(records: pl.DataFrame, settings: Settings, record_type: RecordType) -> pl.DataFrame:
    return records.select(
        normal_key(name, record_type.field(name), settings.ignores).alias(name) for name in settings.key
    )


def _by_all_keys(context: PlanContext, keys: pl.DataFrame, client: Client) -> pl.Series:
    """IDs of the records that rows find or whose keys are near to those of rows that find none, by the keys of all
    records of the type: the application's own exact search may miss a key that is only written otherwise (composed
    accents, spaces at its ends), and a record be made twice."""
    names, record_type = list(context.settings.key), context.record_type
    all_records = pl.concat(list(client.read(record_type, names)))
    normal = _normal_keys(all_records, context.settings, record_type)
    all_keys = all_records.select(IDENTIFIER).hstack(normal).drop_nulls(names)
    record_ids = all_keys.join(keys, on=names, how="semi")[IDENTIFIER]
    lost = keys.drop_nulls().unique(maintain_order=True).join(all_keys, on=names, how="anti", maintain_order="left")
    free = all_keys.filter(~pl.col(IDENTIFIER).is_in(record_ids.implode()))
    texts = free.select(IDENTIFIER).hstack(key_texts(free, names, record_type))
    near = near_records(key_texts(lost, names, record_type), texts, names)
    return pl.concat([record_ids, near[IDENTIFIER].unique(maintain_order=True)])


def counts_of(context: PlanContext, client: Client, total: int) -> dict[str, Any]:
    """How many records the type and the trip's selection have now, and the selection's sums."""
    trip, record_type = context.trip, context.record_type
    counts: dict[str, Any] = {"type": total}
    by_key = context.settings.key != (record_type.identifier,)
    looks_at_all = context.settings.operation.creates or context.settings.ignores
    if looks_at_all and total > MOST_KEYS and by_key:
        counts["keys_not_read"] = total
    if trip.sheets.filter(direction=Sheet.OUT).exists():
        condition = read_condition(trip.condition, record_type, context.catalogue)
        count = client.count(record_type, condition) if condition else total
        counts["selection"] = {"records": count}
        numbers = [n for n in context.settings.carried if record_type.field(n).is_number]
        if numbers and count <= _MOST_SUMMED:
            counts["selection"]["totals"] = as_texts(client.totals(record_type, numbers, condition))
    return counts


def records_elsewhere(view: PartView) -> pl.DataFrame:
    """The records that went out in other parts than the one that the trip is looked at, and in which."""
    trip = view.trip
    parts = [pl.DataFrame(schema=OTHER_PARTS)]
    newest = {copy.part_id: copy for copy in trip.kept_copies.exclude(part__number=view.part).select_related("part")}
    for copy in newest.values():
        if copy.part is not None:
            ids = artifacts.read(copy.path, [IDENTIFIER])
            parts.append(ids.with_columns(pl.lit(copy.part.label).alias("part")))
    return pl.concat(parts)
