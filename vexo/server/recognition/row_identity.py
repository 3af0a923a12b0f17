"""Which rows of a sheet the trip has seen before: by record ID, then by key, then by equal cells."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import polars as pl

from vexo.core.columns.lanes import Lane
from vexo.core.columns.matches import ColumnMatch
from vexo.core.records import RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.shape import column_titles
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import bare, normal

from .. import artifacts
from ..trips.models import Sheet, Trip

WAYS = ("identifier", "key", "cells")


@dataclass(frozen=True)
class Seen:
    """The cells of a sheet with what its columns are."""

    cells: pl.DataFrame
    fields: dict[str, str]
    headers: dict[str, str]


def _seen(cells: pl.DataFrame, profile: SheetProfile, fields: dict[str, str]) -> Seen:
    return Seen(cells, fields, {c.name: c.header or c.name for c in profile.columns})


def _texts(seen: Seen, names: Sequence[str]) -> pl.Expr | None:
    """Some fields' cells as one text in the form in which keys compare, null where one is blank."""
    columns = [seen.fields.get(name) for name in names]
    if any(column is None for column in columns):
        return None
    texts = [pl.col(str(c)).map_batches(lambda s: bare(normal(s)), return_dtype=pl.String) for c in columns]
    return pl.concat_str(texts, separator="\x1f")


def _all_cells(seen: Seen) -> pl.Expr:
    """A row's cells as one text, by header, so that a column moved elsewhere changes nothing."""
    order = sorted(seen.headers, key=lambda name: (seen.headers[name], name))
    texts = [
        pl.concat_str([pl.lit(json.dumps(seen.headers[name])), pl.col(name).fill_null("")], separator="=")
        for name in order
    ]
    return pl.concat_str(texts, separator="\x1f") if texts else pl.lit("")


def _meet(new: pl.DataFrame, old: pl.DataFrame, unique: bool) -> pl.DataFrame:
    """``place`` and ``row_id`` of rows with the same text: only where it is unique on both sides, or else the first
    with the first, the second with the second."""
    new, old = new.drop_nulls("text"), old.drop_nulls("text")
    if unique:
        new, old = (side.filter(pl.len().over("text") == 1) for side in (new, old))
    sides = [side.with_columns(pl.int_range(pl.len()).over("text").alias("nth")) for side in (new, old)]
    return sides[0].join(sides[1], on=["text", "nth"], how="inner").select("place", ROW_ID)


def number_rows(
    trip: Trip | None,
    cells: pl.DataFrame,
    profile: SheetProfile,
    matches: Sequence[ColumnMatch],
    record_type: RecordType,
    lanes: Mapping[str, Lane],
) -> tuple[pl.DataFrame, dict[str, int]]:
    """Give each row its number in the trip: that of its earlier self where it has one, else a new one.

    Args:
        matches: the columns, and the fields that ``lanes`` take from columns of their own. A key's fixed part, the same
            in every row, tells none apart.

    Returns:
        the cells with ``row_id``, and how many rows were known by which way.
    """
    fields = {m.field.name: m.column for m in matches if m.field and m.column}
    fixed = {name for name, lane in lanes.items() if lane.fixed}
    new = _seen(cells.with_row_index("place"), profile, fields)
    free = new.cells.select("place")
    met = pl.DataFrame(schema={"place": pl.UInt32, ROW_ID: pl.UInt32})
    counts = dict.fromkeys(WAYS, 0)
    own_key = list(trip.key) if trip and trip.key != [record_type.identifier] else []
    keys = [own_key] if own_key else [list(key) for key in record_type.keys]
    keys = [key for key in ([name for name in key if name not in fixed] for key in keys) if key]
    earlier = trip.sheets.filter(direction=Sheet.IN).exclude(cells="").order_by("-id") if trip else []
    for sheet in earlier:
        known = sheet.profile
        columns = {m.field: m.column for m in sheet.mappings.all() if m.field}
        headers = {title: column for column, title in column_titles(known.columns).items() if title}
        columns |= {name: headers[lane.source] for name, lane in lanes.items() if lane.source in headers}
        old = _seen(artifacts.read(sheet.cells), known, columns)
        ways = [("identifier", [record_type.identifier]), *[("key", key) for key in keys], ("cells", None)]
        for way, names in ways:
            left = new.cells.join(free, on="place", how="semi")
            before = old.cells.filter(~pl.col(ROW_ID).is_in(met[ROW_ID].implode()))
            mine = _all_cells(new) if names is None else _texts(new, names)
            theirs = _all_cells(old) if names is None else _texts(old, names)
            if mine is None or theirs is None or left.is_empty() or before.is_empty():
                continue
            known_rows = _meet(
                left.select("place", mine.alias("text")), before.select(ROW_ID, theirs.alias("text")), names is not None
            )
            met = pl.concat([met, known_rows.cast({"place": pl.UInt32, ROW_ID: pl.UInt32})])
            free = free.join(known_rows, on="place", how="anti")
            counts[way] += len(known_rows)
    first = trip.next_row if trip else 0
    ids = _numbers(new.cells["place"], met, first)
    others = [column for column in new.cells.get_columns() if column.name not in ("place", ROW)]
    return pl.DataFrame([ids, new.cells[ROW], *others]), counts


def _numbers(places: pl.Series, met: pl.DataFrame, first: int) -> pl.Series:
    """The number of each row: that of the earlier one that it was met as, else the next from ``first`` on."""
    if met.is_empty():
        return (places.cast(pl.Int64) + first).cast(pl.UInt32).alias(ROW_ID)
    known = places.to_frame().join(met, on="place", how="left", maintain_order="left")
    fresh = pl.col(ROW_ID).is_null()
    ids = pl.when(fresh).then(fresh.cum_sum().cast(pl.Int64) - 1 + first).otherwise(pl.col(ROW_ID).cast(pl.Int64))
    return known.select(ids.cast(pl.UInt32).alias(ROW_ID)).to_series()
