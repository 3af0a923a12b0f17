"""Results of work as Parquet files: named by what they are made of, written aside, synced, renamed, evicted.

``files/`` stays with its trip; ``stages/`` is a cache with a limit, whose oldest results go first.
"""

from __future__ import annotations

import hashlib
import io
import os
import shutil
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import polars as pl

from .data_folder import absolute, data_folder, replacing
from .errors import PlainError

VERSION = 2
"""Raised whenever the columns of a kept result change their meaning: older ones are made anew."""
LIMIT = int(os.environ.get("VEXO_STAGES_LIMIT", str(8 * 1024**3)))
_GROUP = 16_384
"""Rows of a group in a Parquet file: few enough that a window of a screen reads little, many enough to compress."""
_AS_PARQUET: dict[str, Any] = {"compression": "lz4", "row_group_size": _GROUP, "statistics": False}
"""Rows are found by their place, never by a value, so nothing would ask for the least and greatest of each column."""


class ArtifactLost(PlainError):
    """A result that should be there is not, or cannot be read."""

    def __init__(self, relative: str) -> None:
        kept = relative.startswith("files/")
        remedy = "Put it back from a backup, or bring the sheet in again." if kept else "Plan the trip again."
        super().__init__(f"{relative} of the data folder is missing or damaged. {remedy}", "file-lost", file=relative)


def named(trip: int, stage: str, *made_of: object) -> str:
    """The place of a stage's result, by a digest of its inputs, settings and the version of the stages."""
    digest = hashlib.sha256(repr((VERSION, *made_of)).encode()).hexdigest()[:20]
    return f"stages/{trip}/{stage}-{digest}.parquet"


def kept_name(trip: int | str, what: str) -> str:
    """A new place in a trip's own files; it is never used twice."""
    return f"files/{trip}/{what}-{uuid.uuid4().hex[:12]}.parquet"


def write(frame: pl.DataFrame, relative: str) -> str:
    """Write a result; it is there whole or not at all."""
    with replacing(absolute(relative)) as aside:
        frame.write_parquet(aside, **_AS_PARQUET)
    return relative


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
    target = kept_name(trip, what)
    with replacing(absolute(target)) as aside:
        shutil.copyfile(absolute(relative), aside)
    return target


def read(relative: str, columns: Sequence[str] | None = None) -> pl.DataFrame:
    """A result, whole or some of its columns. Raises ArtifactLost."""
    try:
        return pl.read_parquet(absolute(relative), columns=list(columns) if columns is not None else None)
    except (OSError, pl.exceptions.PolarsError) as error:
        raise ArtifactLost(relative) from error


def columns_of(relative: str) -> set[str]:
    """The names of a result's columns. Raises ArtifactLost."""
    try:
        return set(pl.read_parquet_schema(absolute(relative)))
    except (OSError, pl.exceptions.PolarsError) as error:
        raise ArtifactLost(relative) from error


def scan(relative: str) -> pl.LazyFrame:
    """A result, to read parts of. Raises ArtifactLost where it is not there."""
    if not absolute(relative).is_file():
        raise ArtifactLost(relative)
    return pl.scan_parquet(absolute(relative))


def there(relative: str) -> bool:
    """Whether a result is still there."""
    return bool(relative) and absolute(relative).is_file()


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
    found = [
        (path.stat().st_mtime, path.stat().st_size, path) for path in (data_folder() / "stages").rglob("*.parquet")
    ]
    left, gone = sum(size for _, size, _ in found), 0
    for _, size, path in sorted(found, key=lambda entry: entry[0]):
        if left <= limit:
            break
        path.unlink(missing_ok=True)
        left, gone = left - size, gone + 1
    return gone
