"""Results of work as Parquet files: named by what they are made of, written aside, synced, renamed, evicted.

``files/`` stays with its trip; ``stages/`` is a cache with a limit, whose oldest results go first.
"""

from __future__ import annotations

import errno
import hashlib
import io
import os
import shutil
import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl

from vexo.core.os_errors import FORBIDDEN, TOO_MANY_OPEN, errno_of
from vexo.core.sheets.sheet import ROW_ID

from . import spared_columns
from .data_folder import absolute, data_folder, replacing
from .errors import PlainError

THINNED = "thinned"
"""Stands for the name of a kept copy that was deleted since its time was over."""
VERSION = 2
"""Raised whenever the columns of a kept result change their meaning: older ones are made anew."""
LIMIT = int(os.environ.get("VEXO_STAGES_LIMIT", str(8 * 1024**3)))
_NOT_ITS_OWN = (*FORBIDDEN, *TOO_MANY_OPEN, errno.ENOMEM)
"""Errors of the system by which a file that cannot be read is not lost."""
_GROUP = 16_384
"""Rows of a group in a Parquet file: few enough that a window of a screen reads little, many enough to compress."""
_AT_ONCE = 8
"""Groups that are read together, each by a processor of its own."""
_PIECE = _AT_ONCE * _GROUP
"""Rows of a piece of a result that is gone through piece by piece: a few hundred megabytes of a wide plan."""
_AS_PARQUET: dict[str, Any] = {"compression": "lz4", "row_group_size": _GROUP, "statistics": False}
"""Rows are found by their place, never by a value, so nothing would ask for the least and greatest of each column."""
_PATCH = ".patch.parquet"
"""The end of the name of a result that is another one but for some rows: these, and beside it a link to the other."""
_PLACE = "@place"
"""In such a file: which row of the other each of its rows stands for, counted from 0."""
_MOST_PIECES = 100
"""Rows up to which a patched result is put together of what lies between them, which copies nothing by itself."""
MOST_PATCHED = 20_000
"""Rows that a patch holds at most: with more, reading through it costs more than the whole result does once."""


class ArtifactLost(PlainError):
    """A result that should be there is not, or cannot be read."""

    def __init__(self, relative: str) -> None:
        if relative == THINNED:
            says = (
                "What went out is not kept any more: this installation keeps such copies for a time only. Send the "
                "records out again."
            )
        elif relative.startswith("files/"):
            remedy = "Put it back from a backup, or bring the sheet in again."
            says = f"{relative} of the data folder is missing or damaged. {remedy}"
        else:
            # A cache: thinned when it grows, and in no backup.
            says = "What was worked out for this is not kept any more. Plan the trip again."
        super().__init__(says, "file-lost", file=relative)


def named(trip: int, stage: str, *made_of: object) -> str:
    """The place of a stage's result, by a digest of its inputs, settings and the version of the stages."""
    digest = hashlib.sha256(repr((VERSION, *made_of)).encode()).hexdigest()[:20]
    return f"stages/{trip}/{stage}-{digest}.parquet"


def kept_name(trip: int | str, what: str) -> str:
    """A new place in a trip's own files; it is never used twice."""
    return f"files/{trip}/{what}-{uuid.uuid4().hex[:12]}.parquet"


def write(frame: pl.DataFrame, relative: str, twins: Sequence[tuple[str, str]] = ()) -> str:
    """Write a result; it is there whole or not at all.

    Args:
        twins: columns that are often the same as another one, and are then stored once.
    """
    stored, told = spared_columns.spare(frame, twins)
    with replacing(absolute(relative)) as aside:
        stored.write_parquet(aside, **_AS_PARQUET, metadata=told)
    return relative


def _base_of(relative: str) -> Path:
    """Where the file of the other result is that a patch lies over."""
    return absolute(relative.removesuffix(_PATCH) + ".base.parquet")


def patch(before: str, rows: pl.DataFrame, places: pl.Series, relative: str) -> str:
    """Write a result that is another one but for some rows, without writing or reading the others; its name.

    Args:
        before: the other result.
        rows: those that differ, with the columns of the other.
        places: which rows of the other they stand for, counted from 0.

    Raises:
        ArtifactLost
    """
    over, base = rows.with_columns(places.cast(pl.UInt32).alias(_PLACE)), absolute(before)
    if before.endswith(_PATCH):
        earlier, base = _read(before, None), _base_of(before)
        over = pl.concat([earlier.filter(~earlier[_PLACE].is_in(over[_PLACE].implode())), over.select(earlier.columns)])
    if len(over) > MOST_PATCHED:
        return write(_laid(read(before), rows, places), relative)
    relative = relative.removesuffix(".parquet") + _PATCH
    link = _base_of(relative)
    link.parent.mkdir(parents=True, exist_ok=True)
    try:
        link.unlink(missing_ok=True)
        os.link(base, link)
        # What is still lain over is not the oldest of the cache.
        os.utime(link)
    except FileNotFoundError as error:
        raise ArtifactLost(before) from error
    except OSError:
        # Not every file system gives a file a second name.
        return write(_laid(read(before), rows, places), relative.removesuffix(_PATCH) + ".parquet")
    return write(over.sort(_PLACE), relative)


def _laid(frame: pl.DataFrame, over: pl.DataFrame, places: pl.Series) -> pl.DataFrame:
    """A result with some of its rows in place of others."""
    if len(over) <= _MOST_PIECES:
        over, at, pieces = over.select(frame.columns), 0, []
        for number, place in sorted(enumerate(places.to_list()), key=lambda pair: pair[1]):
            pieces += [frame[at:place], over[number : number + 1]]
            at = place + 1
        return pl.concat([*pieces, frame[at:]])
    which = pl.int_range(len(frame), dtype=pl.UInt32, eager=True)
    which = which.scatter(places, pl.int_range(len(frame), len(frame) + len(over), dtype=pl.UInt32, eager=True))
    return pl.concat([frame, over.select(frame.columns)])[which]


@dataclass(frozen=True)
class Artifact:
    """A result at hand, and where it is kept."""

    path: str
    frame: pl.DataFrame


def store(frame: pl.DataFrame, relative: str) -> Artifact:
    """Write a result, and give it on."""
    return Artifact(write(frame, relative), frame)


def load(relative: str) -> Artifact:
    """A result that was written before. Raises ArtifactLost."""
    return Artifact(relative, read(relative))


def keep_artifact(frame: pl.DataFrame, trip: int | str, what: str) -> str:
    """Write a result that stays with its trip, or with all of a kind where there is no trip yet."""
    return write(frame, kept_name(trip, what))


def keep_cells(cells: pl.DataFrame, read_at: str) -> str:
    """Keep the cells of a sheet: those at ``read_at`` under one more name, where the rows are numbered as they were
    read, else written anew.

    Args:
        read_at: where reading left these very cells; empty where they are others.
    """
    target = kept_name("sheets", "cells")
    try:
        if read_at and _as_numbered(cells, absolute(read_at)):
            absolute(target).parent.mkdir(parents=True, exist_ok=True)
            os.link(absolute(read_at), absolute(target))
            return target
    except (OSError, pl.exceptions.PolarsError):
        # They were thinned meanwhile, or the file system gives no file a second name.
        pass
    return write(cells, target)


def _as_numbered(cells: pl.DataFrame, path: Path) -> bool:
    """Whether the rows of cells have the numbers with which reading wrote them."""
    table = pl.scan_parquet(path)
    if table.collect_schema().names() != cells.columns or table.select(pl.len()).collect().item() != len(cells):
        return False
    return pl.int_range(len(cells), dtype=pl.UInt32, eager=True).equals(cells[ROW_ID])


class Keeping:
    """A result that stays with its trip, written piece by piece; it is there whole or not at all."""

    def __init__(self, trip: int, what: str) -> None:
        self.relative, self.rows = kept_name(trip, what), 0
        self._target = absolute(self.relative)
        self._target.parent.mkdir(parents=True, exist_ok=True)
        self._aside = self._target.with_name(f".{uuid.uuid4().hex[:8]}")
        self._paths: list[Path] = []

    def __enter__(self) -> Keeping:
        self._aside.mkdir()
        return self

    def __exit__(self, *_: object) -> None:
        shutil.rmtree(self._aside, ignore_errors=True)

    def add(self, piece: pl.DataFrame) -> pl.DataFrame:
        """Take one more piece, and give it on."""
        self._paths.append(self._aside / f"{len(self._paths):06d}.parquet")
        piece.write_parquet(self._paths[-1], **_AS_PARQUET)
        self.rows += len(piece)
        return piece

    def settle(self) -> str:
        """All pieces as one file, with its name."""
        with replacing(self._target) as aside:
            if len(self._paths) == 1:
                self._paths[0].rename(aside)
            else:
                pieces = pl.scan_parquet(self._paths)
                pieces.sink_parquet(aside, **_AS_PARQUET, maintain_order=True)
        return self.relative


def freeze(relative: str, trip: int, what: str) -> str:
    """A copy of a result that stays with its trip, whatever the cache forgets."""
    if not absolute(relative).exists():
        raise ArtifactLost(relative)
    if relative.endswith(_PATCH):
        with Keeping(trip, what) as keeping:
            for piece in pieces(relative):
                keeping.add(piece)
            return keeping.settle()
    target = kept_name(trip, what)
    with replacing(absolute(target)) as aside:
        shutil.copyfile(absolute(relative), aside)
    return target


@contextmanager
def _lost_if_unreadable(relative: str) -> Iterator[None]:
    """Raises ArtifactLost where a result is not there or damaged; other errors of the system say nothing of it."""
    try:
        yield
    except (OSError, pl.exceptions.PolarsError) as error:
        if errno_of(error) in _NOT_ITS_OWN:
            raise
        raise ArtifactLost(relative) from error


def _read(relative: str, columns: Sequence[str] | None, path: Path | None = None) -> pl.DataFrame:
    with _lost_if_unreadable(relative):
        return spared_columns.read(path or absolute(relative), columns)


def read(relative: str, columns: Sequence[str] | None = None) -> pl.DataFrame:
    """A result, whole or some of its columns. Raises ArtifactLost."""
    if not relative.endswith(_PATCH):
        return _read(relative, columns)
    over = _read(relative, [_PLACE, *columns] if columns is not None else None)
    return _laid(_read(relative, columns, _base_of(relative)), over.drop(_PLACE), over[_PLACE])


def pieces(relative: str) -> Iterator[pl.DataFrame]:
    """A result piece by piece, in its order: one piece at least, which has no rows where it has none. Only one is in
    memory at a time.

    Raises:
        ArtifactLost
    """
    patched = relative.endswith(_PATCH)
    over = _read(relative, None) if patched else None
    table, count = _table(relative, _base_of(relative) if patched else absolute(relative))
    for first in range(0, max(count, 1), _PIECE):
        with _lost_if_unreadable(relative):
            piece = table.slice(first, _PIECE).collect()
        if over is not None:
            here = over.filter(over[_PLACE].is_between(first, first + len(piece), closed="left"))
            piece = _laid(piece, here.drop(_PLACE), here[_PLACE] - first)
        yield piece


def _table(relative: str, path: Path) -> tuple[pl.LazyFrame, int]:
    with _lost_if_unreadable(relative):
        table = spared_columns.scan(path)
        return table, int(table.select(pl.len()).collect().item())


def read_rows(relative: str, places: pl.Series) -> pl.DataFrame:
    """Some rows of a result, by their places from 0 and in their order; only the groups they lie in are read.

    Raises:
        ArtifactLost
    """
    if not relative.endswith(_PATCH):
        return _read_groups(relative, absolute(relative), places)
    over, base = _read(relative, None), _read_groups(relative, _base_of(relative), places)
    wanted_places = places.cast(pl.UInt32).alias(_PLACE).to_frame().with_row_index("at")
    met = wanted_places.join(over.with_row_index("from").select(_PLACE, "from"), on=_PLACE, how="inner")
    return _laid(base, over.drop(_PLACE)[met["from"]], met["at"])


def _read_groups(relative: str, path: Path, places: pl.Series) -> pl.DataFrame:
    with _lost_if_unreadable(relative):
        table = pl.scan_parquet(path)
        if not len(places):
            return spared_columns.laid_out(path, table.head(0).collect())
        first, last = int(places.min()), int(places.max())  # type: ignore[arg-type]
        if last - first < _GROUP:
            rows = table.slice(first, last - first + 1).collect()
            return spared_columns.laid_out(path, rows)[(places - first).to_list()]
        groups = (places // _GROUP).unique().sort().to_list()
        found: list[pl.DataFrame] = []
        order: list[pl.Series] = []
        # Not all at once: a few rows of each group are no reason to have the whole table in memory.
        for at in range(0, len(groups), _AT_ONCE):
            some = groups[at : at + _AT_ONCE]
            tables = pl.collect_all([table.slice(group * _GROUP, _GROUP) for group in some])
            for group, rows in zip(some, tables, strict=True):
                here = (places // _GROUP == group).arg_true()
                found.append(rows[(places.gather(here) - group * _GROUP).to_list()])
                order.append(here)
        whole = spared_columns.laid_out(path, pl.concat(found))
    return whole[pl.concat(order).arg_sort()]


def columns_of(relative: str) -> set[str]:
    """The names of a result's columns. Raises ArtifactLost."""
    with _lost_if_unreadable(relative):
        return set(spared_columns.columns_of(absolute(relative))) - {_PLACE}


def scan(relative: str) -> pl.LazyFrame:
    """A result, to read parts of. Raises ArtifactLost where it is not there."""
    if not there(relative):
        raise ArtifactLost(relative)
    return read(relative).lazy() if relative.endswith(_PATCH) else spared_columns.scan(absolute(relative))


def there(relative: str) -> bool:
    """Whether a result is still there."""
    if not relative or not absolute(relative).is_file():
        return False
    return not relative.endswith(_PATCH) or _base_of(relative).is_file()


def find(relative: str) -> str:
    """The name under which a result is there, whole or as a patch; empty where it is not."""
    patched = relative.removesuffix(".parquet") + _PATCH
    return next((name for name in (relative, patched) if there(name)), "")


def pack(frame: pl.DataFrame) -> bytes:
    """A small table as the bytes of a Parquet file, to be kept in the database."""
    buffer = io.BytesIO()
    frame.write_parquet(buffer, compression="zstd")
    return buffer.getvalue()


def unpack(content: bytes | memoryview) -> pl.DataFrame:
    """The reverse of ``pack``."""
    return pl.read_parquet(io.BytesIO(bytes(content)))


def evict(limit: int = LIMIT) -> int:
    """Drop the oldest results of the cache beyond its limit, in bytes; how many went."""
    # A file with several names takes its room once.
    artifacts = []
    for path in (data_folder() / "stages").rglob("*.parquet"):
        # Work that goes on beside may take one away.
        with suppress(FileNotFoundError):
            stat = path.stat()
            artifacts.append((stat.st_mtime, stat.st_size // stat.st_nlink, path))
    left, gone = sum(size for _, size, _ in artifacts), 0
    for _, size, path in sorted(artifacts, key=lambda entry: entry[0]):
        if left <= limit:
            break
        path.unlink(missing_ok=True)
        left, gone = left - size, gone + 1
    return gone
