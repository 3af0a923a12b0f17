"""Reading what goes out: page by page into pieces on the disk, so that a reading that breaks off can go on."""

from __future__ import annotations

import shutil
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.applications import Application as Client
from vexo.core.conditions import Condition
from vexo.core.records import IDENTIFIER, Catalogue, RecordType
from vexo.core.sheets.outgoing import PIECE, column_of

from .. import stages
from ..data_folder import absolute
from ..jobs.leases import Lease
from ..jobs.working import Stopped
from ..trips.models import Trip

_PIECE = 10_000
"""Rows that a reading may lose when it is killed."""


@dataclass(frozen=True)
class Pieces:
    """The records that were read, in files of some thousand rows each."""

    paths: tuple[str, ...]
    lengths: tuple[int, ...]

    @property
    def rows(self) -> int:
        return sum(self.lengths)

    def column(self, names: Sequence[str]) -> pl.DataFrame:
        """Some columns of all of them."""
        return pl.concat([stages.read(path, names) for path in self.paths])

    def __iter__(self) -> Iterator[pl.DataFrame]:
        return (stages.read(path) for path in self.paths)

    def windows(self, places: pl.Series) -> Iterator[pl.DataFrame]:
        """The records at these places, in their order, in pieces of rows to be written one by one."""
        begins = [sum(self.lengths[:at]) for at in range(len(self.lengths))]
        for start in range(0, len(places), PIECE):
            some = pl.DataFrame({"place": places.slice(start, PIECE)}).with_row_index("at")
            parts = []
            for begin, length, path in zip(begins, self.lengths, self.paths, strict=True):
                mine = some.filter(pl.col("place").is_between(begin, begin + length - 1))
                if len(mine):
                    parts.append(stages.read(path)[(mine["place"] - begin).to_list()].with_columns(mine["at"]))
            yield pl.concat(parts).sort("at").drop("at")


def folder_of(trip: Trip) -> str:
    """Where a trip's reading lies until its sheets are written."""
    return f"files/{trip.pk}/reading"


def forget(trip: Trip) -> None:
    """Drop a reading that is not needed any more."""
    shutil.rmtree(absolute(folder_of(trip)), ignore_errors=True)


def _there(trip: Trip) -> list[str]:
    folder = absolute(folder_of(trip))
    return sorted(f"{folder_of(trip)}/{path.name}" for path in folder.glob("[0-9]*.parquet"))


def rest_of(done: int, total: int, rate: float) -> str:
    """The rate and the time left, in words."""
    if rate <= 0 or not done:
        return ""
    seconds = max(total - done, 0) / rate
    left = f"{seconds / 60:.0f} min" if seconds >= 90 else f"{seconds:.0f} s"
    return f", {rate:,.0f} a second, {left} left"


def read_pieces(
    lease: Lease,
    client: Client,
    record_type: RecordType,
    fields: Sequence[str],
    condition: Condition | None,
    total: int,
) -> Pieces:
    """Read all records that meet a condition, going on after those that an earlier attempt has read.

    Raises:
        Stopped: where someone asked for it; what was read stays for the next attempt.
    """
    trip = lease.trip
    paths = _there(trip)
    lengths = [len(stages.read(path, [IDENTIFIER])) for path in paths]
    last = stages.read(paths[-1], [IDENTIFIER])[IDENTIFIER][-1] if paths and lengths[-1] else ""
    waiting: list[pl.DataFrame] = []
    done, before, began = sum(lengths), sum(lengths), time.monotonic()

    def keep() -> None:
        frame = pl.concat(waiting)
        paths.append(stages.write(frame, f"{folder_of(trip)}/{len(paths):06d}.parquet"))
        lengths.append(len(frame))
        waiting.clear()

    for chunk in client.read(record_type, fields, condition, after=last):
        waiting.append(chunk)
        done += len(chunk)
        rate = (done - before) / max(time.monotonic() - began, 0.001)
        lease.progress(done, max(total, done), f"reading records{rest_of(done, total, rate)}")
        if sum(map(len, waiting)) >= _PIECE:
            keep()
        if lease.wanted == "stop":
            keep() if waiting else None
            raise Stopped(f"Stopped after {done:,} of {total:,} records; what was read is kept, to go on from.")
    if waiting and (len(waiting[0]) or not paths):
        keep()
    return Pieces(tuple(paths), tuple(lengths))


def one_piece(trip: Trip, records: pl.DataFrame) -> Pieces:
    """Records that are there already, as pieces."""
    forget(trip)
    return Pieces((stages.write(records, f"{folder_of(trip)}/000000.parquet"),), (len(records),))


def in_order(pieces: Pieces, order: Sequence[str], record_type: RecordType, catalogue: Catalogue) -> pl.Series:
    """The places of the records in the order wanted: by values as people know them, empty ones first where the lowest
    come first. Records that are equal in it stay in the order of their identifiers."""
    if not order or not pieces.rows:
        return pl.int_range(pieces.rows, dtype=pl.UInt32, eager=True)
    names = [column_of(catalogue.field(record_type, name.removeprefix("-")), catalogue) for name in order]
    down = [name.startswith("-") for name in order]
    values = pieces.column(list(dict.fromkeys(names))).with_row_index("place")
    return values.sort([pl.col(name) for name in names], descending=down, nulls_last=down, maintain_order=True)["place"]


def totals_of(frame: pl.DataFrame, names: Sequence[str], before: dict[str, Any]) -> None:
    """Add the sums of some more records to those before."""
    for name in names:
        own = frame[name].drop_nulls()
        if len(own):
            before[name] = own.sum() if before.get(name) is None else before[name] + own.sum()
