"""Columns of long results that need not be stored, since others tell what they hold: texts of which there are none, and
columns that are the same as others. What they are is written into the file's own metadata."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import polars as pl

_KEY = "vexo.spared"
_LONG = 16_384
"""Rows from which on it is worth looking: of a million, a column of texts without any takes 20 ms to write."""


@dataclass(frozen=True)
class SparedColumns:
    """What a file does not store: ``empty`` columns of texts, and ``twins``, each with the column that is the same. All
    columns of the result are ``order``."""

    order: list[str]
    empty: list[str]
    twins: dict[str, str]

    @classmethod
    def of(cls, path: Path) -> SparedColumns | None:
        """What a file does not store; None where it stores all. Raises OSError, PolarsError."""
        told = pl.read_parquet_metadata(path).get(_KEY)
        return cls(**json.loads(told)) if told else None

    def stored(self, columns: Sequence[str]) -> list[str]:
        """The columns that have to be read for these; one at least, which tells how many rows there are."""
        stored = dict.fromkeys(self.twins.get(name, name) for name in columns if name not in self.empty)
        return [*stored] or [next(name for name in self.order if name not in self.twins and name not in self.empty)]

    def lay_out(self, table: pl.LazyFrame, columns: Sequence[str]) -> pl.LazyFrame:
        """These columns, of a table of what was read for them."""
        # Beside the others, and not selected alone: so there are as many of them as rows.
        nothing = [pl.lit(None, pl.String).alias(name) for name in self.empty if name in columns]
        same = [pl.col(other).alias(name) for name, other in self.twins.items() if name in columns]
        return table.with_columns(*nothing, *same).select(columns)


def spare(frame: pl.DataFrame, twins: Sequence[tuple[str, str]] = ()) -> tuple[pl.DataFrame, dict[str, str] | None]:
    """What is to be stored of a result, and the metadata that tells the rest; None where all is.

    Args:
        twins: columns that may be the same as another one.
    """
    if len(frame) < _LONG:
        return frame, None
    texts = [name for name, kind in frame.schema.items() if kind == pl.String]
    empty = [name for name in texts if frame[name].null_count() == len(frame)]
    alike = {
        name: other
        for name, other in twins
        if name not in empty and frame[name].dtype == frame[other].dtype and frame[name].equals(frame[other])
    }
    left = frame.drop(*empty, *alike)
    if left.width in (0, frame.width):
        return frame, None
    return left, {_KEY: json.dumps(asdict(SparedColumns(frame.columns, empty, alike)))}


def read(path: Path, columns: Sequence[str] | None = None) -> pl.DataFrame:
    """A result, whole or some of its columns. Raises OSError, PolarsError."""
    spared = SparedColumns.of(path)
    if spared is None:
        return pl.read_parquet(path, columns=list(columns) if columns is not None else None)
    wanted = spared.order if columns is None else columns
    table = pl.read_parquet(path, columns=spared.stored(wanted))
    return spared.lay_out(table.lazy(), wanted).collect()


def scan(path: Path) -> pl.LazyFrame:
    """A result, to read parts of. Raises OSError, PolarsError."""
    spared, table = SparedColumns.of(path), pl.scan_parquet(path)
    return table if spared is None else spared.lay_out(table, spared.order)


def laid_out(path: Path, rows: pl.DataFrame) -> pl.DataFrame:
    """Rows of a result, of what is stored of them: many pieces are read as they are stored, and laid out once. Raises
    OSError, PolarsError."""
    spared = SparedColumns.of(path)
    return rows if spared is None else spared.lay_out(rows.lazy(), spared.order).collect()


def columns_of(path: Path) -> list[str]:
    """The names of a result's columns. Raises OSError, PolarsError."""
    spared = SparedColumns.of(path)
    return list(pl.read_parquet_schema(path)) if spared is None else spared.order
