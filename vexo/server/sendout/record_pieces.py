"""Reading what goes out: page by page into pieces on the disk, so that a reading that breaks off can go on."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal

import polars as pl

from vexo.applications import Client
from vexo.core.conditions import Condition
from vexo.core.records import IDENTIFIER, Catalogue, Field, Kind, RecordType
from vexo.core.sheets.writers.outgoing import PIECE, column_of
from vexo.core.values import EXACT, exact_sum, to_text
from vexo.core.wording import thousands

from .. import artifacts
from ..data_folder import absolute
from ..jobs.leases import Lease
from ..jobs.worker import Stopped
from ..trips.models import Trip

_PIECE = 10_000
"""Rows that a reading may lose when it is killed."""
_WINDOW = 20_000
"""Records that are laid into their order at once: what a sheet's writer holds in memory."""
_OFTEN = 4
"""Records to each that they refer to, from which on those are read once by their keys and not with every record."""


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
        return pl.concat([artifacts.read(path, names) for path in self.paths])

    def __iter__(self) -> Iterator[pl.DataFrame]:
        return (artifacts.read(path) for path in self.paths)

    def windows(self, places: pl.Series) -> Iterator[pl.DataFrame]:
        """The records at these places, in their order, in pieces of rows to be written one by one.

        Where they lie scattered each window looks into all files, so it gathers more rows than a piece to write has.
        """
        begins = [sum(self.lengths[:at]) for at in range(len(self.lengths))]
        for start in range(0, len(places), _WINDOW):
            some = pl.DataFrame({"place": places.slice(start, _WINDOW)}).with_row_index("at")
            parts = []
            for begin, length, path in zip(begins, self.lengths, self.paths, strict=True):
                mine = some.filter(pl.col("place").is_between(begin, begin + length - 1))
                if len(mine):
                    parts.append(artifacts.read(path)[(mine["place"] - begin).to_list()].with_columns(mine["at"]))
            gathered = pl.concat(parts).sort("at").drop("at")
            parts.clear()
            yield from gathered.iter_slices(PIECE)


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
    return f", {thousands(rate)} a second, {left} left"


def read_pieces(
    lease: Lease,
    client: Client,
    record_type: RecordType,
    fields: Sequence[str],
    condition: Condition | None,
    total: int,
    look: Callable[[pl.DataFrame], None],
) -> Pieces:
    """Read all records that meet a condition, going on after those that an earlier attempt has read.

    Args:
        look: shown each part of the records, while the next is on its way.

    Raises:
        Stopped: where someone asked for it; what was read stays for the next attempt.
    """
    trip = lease.trip
    paths = _there(trip)
    lengths = []
    for path in paths:
        earlier = artifacts.read(path)
        look(earlier)
        lengths.append(len(earlier))
    last = artifacts.read(paths[-1], [IDENTIFIER])[IDENTIFIER][-1] if paths and lengths[-1] else ""
    waiting: list[pl.DataFrame] = []
    done, before, began = sum(lengths), sum(lengths), time.monotonic()

    def keep() -> None:
        frame = pl.concat(waiting)
        look(frame)
        paths.append(artifacts.write(frame, f"{folder_of(trip)}/{len(paths):06d}.parquet"))
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
            raise Stopped(
                f"Stopped after {thousands(done)} of {thousands(total)} records; what was read is kept, to go on from."
            )
    if waiting and (len(waiting[0]) or not paths):
        keep()
    return Pieces(tuple(paths), tuple(lengths))


def one_piece(trip: Trip, records: pl.DataFrame) -> Pieces:
    """Records that are there already, as pieces."""
    forget(trip)
    return Pieces((artifacts.write(records, f"{folder_of(trip)}/000000.parquet"),), (len(records),))


def in_order(pieces: Pieces, order: Sequence[str], record_type: RecordType, catalogue: Catalogue) -> pl.Series:
    """The places of the records in the order wanted: by values as people know them, empty ones first where the lowest
    come first. Records that are equal in it stay in the order of their identifiers."""
    if not order or not pieces.rows:
        return pl.int_range(pieces.rows, dtype=pl.UInt32, eager=True)
    keys = []
    for at, name in enumerate(order):
        column = column_of(catalogue.field(record_type, name.removeprefix("-")), catalogue)
        keys.append(_key(pieces, catalogue.field(record_type, column)).alias(str(at)))
    down = [name.startswith("-") for name in order]
    names = [key.name for key in keys]
    placed = pl.arg_sort_by(names, descending=down, nulls_last=down, maintain_order=True)
    return pl.DataFrame(keys).select(placed).to_series()


def _key(pieces: Pieces, field: Field) -> pl.Series:
    """A column to be put in order by, as small as it can be held: of texts that are often the same only their places
    among the different ones, since a long reading is to need little more room than a short one."""

    def texts() -> Iterator[pl.Series]:
        for path in pieces.paths:
            texts_of_part = artifacts.read(path, [field.name])[field.name]
            yield to_text(field, texts_of_part) if field.kind == Kind.CHOICES else texts_of_part

    if field.kind in (Kind.DECIMAL, Kind.WHOLE, Kind.DATE, Kind.MOMENT, Kind.YES_NO):
        return pieces.column([field.name])[field.name]
    different = pl.concat([piece.unique() for piece in texts()]).unique().drop_nulls().sort()
    if len(different) * _OFTEN > pieces.rows:
        return pl.concat(list(texts()))
    places = pl.Enum(different)
    return pl.concat([piece.cast(places).to_physical().cast(pl.UInt32) for piece in texts()])


Totals = dict[str, Decimal]
"""Sums of number fields, by name."""


def totals_of(frame: pl.DataFrame, names: Sequence[str], before: Totals) -> None:
    """Add the sums of some more records to those before."""
    for name in names:
        values = frame[name].drop_nulls()
        if len(values):
            before[name] = EXACT.add(before.get(name, Decimal(0)), exact_sum(values))
