"""What a sheet is once read: its cells, all text, and what was found out about it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import polars as pl

from ..values import SPACES

ROW = "row"
ROW_ID = "row_id"
_TOTAL_WORDS = ("total", "totals", "sum", "grand total", "σ")


class SheetError(Exception):
    """A file that cannot be read as a sheet; the message says why and what to do."""


@dataclass(frozen=True)
class Stamp:
    """What a sheet carries to be recognised by: the trip and part it belongs to, and what its columns were."""

    trip: int
    part: int
    origin: str
    application: str
    stage: str
    record_type: str
    columns: tuple[tuple[str, str], ...]

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Stamp:
        columns = tuple((str(field), str(header)) for field, header in data["columns"])
        origin, application = str(data["origin"]), str(data["application"])
        return cls(
            int(data["trip"]),
            int(data["part"]),
            origin,
            application,
            str(data["stage"]),
            str(data["record_type"]),
            columns,
        )

    def to_json(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True)
class Column:
    """One column of a sheet. ``name`` is its column in the cells, ``header`` what the person wrote above it."""

    name: str
    header: str
    filled: int
    different: int


@dataclass(frozen=True)
class SheetProfile:
    """What was found: ``rows`` are those below the header with a non-blank cell, a total row at the end excepted."""

    format: str
    columns: tuple[Column, ...]
    header_row: int
    rows: int
    blank_rows: int
    total_rows: tuple[int, ...]
    sheet: str = ""
    encoding: str = ""
    delimiter: str = ""
    other_sheets: tuple[str, ...] = ()
    stamp: Stamp | None = None

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> SheetProfile:
        return cls(
            **{
                **data,
                "columns": tuple(Column(**column) for column in data["columns"]),
                "total_rows": tuple(data["total_rows"]),
                "other_sheets": tuple(data["other_sheets"]),
                "stamp": Stamp.from_json(data["stamp"]) if data["stamp"] else None,
            }
        )


def shape_cells(raw: pl.DataFrame, **found: Any) -> tuple[pl.DataFrame, SheetProfile]:
    """Find the header, blank rows and a total row, and name the columns ``c0``, ``c1``, …

    Args:
        raw: column ``row`` with the person's row numbers, then text columns; null is blank. Columns named
            ``shown.NAME`` hold another form of column NAME and follow it.
        found: what the reader of the format knows (format, sheet, encoding, …).

    Returns:
        the cells (``row``, ``c0``, …; rows of data only) and the profile.

    Raises:
        SheetError: where there is no header, or it is not one row of different names.
    """
    names = [name for name in raw.columns if name != ROW and not name.startswith("shown.")]
    blank = f"^{SPACES}*$"
    filled = [pl.col(name).str.contains(blank).not_().fill_null(value=False) for name in names]
    if not names or raw.is_empty():
        raise SheetError("The file is empty. Put a header in its first row and the records below it.")
    counted = raw.with_columns(pl.sum_horizontal(filled).alias("filled")).sort(ROW)
    used = counted.filter(pl.col("filled") > 0)
    if used.is_empty():
        raise SheetError("The sheet has no filled cell. Put a header in its first row and the records below it.")
    header_row = int(used[ROW][0])
    header = used.row(0, named=True)
    names = [name for name in names if (header[name] or "").strip() or used[name].drop_nulls().len() > 0]
    body = used.filter(pl.col(ROW) > header_row)
    first = pl.coalesce([pl.when(pl.col(name).str.strip_chars() != "").then(pl.col(name)) for name in names])
    totals = body.tail(1).filter(first.str.strip_chars(": ").str.to_lowercase().is_in(_TOTAL_WORDS))
    body = body.filter(~pl.col(ROW).is_in(totals[ROW].implode()))
    last = int(used[ROW].max())  # type: ignore[arg-type]
    blank_rows = last - header_row - len(body) - len(totals)
    renames = {name: f"c{at}" for at, name in enumerate(names)}
    renames |= {f"shown.{name}": f"shown.c{at}" for at, name in enumerate(names) if f"shown.{name}" in raw.columns}
    cells = body.select(pl.col(ROW).cast(pl.UInt32), *[pl.col(old).alias(new) for old, new in renames.items()])
    numbers = cells.select(
        *[pl.col(f"c{at}").drop_nulls().len().alias(f"f{at}") for at in range(len(names))],
        *[pl.col(f"c{at}").drop_nulls().n_unique().alias(f"d{at}") for at in range(len(names))],
    ).row(0, named=True)
    columns = tuple(
        Column(f"c{at}", (header[name] or "").strip(), numbers[f"f{at}"], numbers[f"d{at}"])
        for at, name in enumerate(names)
    )
    profile = SheetProfile(
        columns=columns,
        header_row=header_row,
        rows=len(cells),
        blank_rows=blank_rows,
        total_rows=tuple(totals[ROW].to_list()),
        **found,
    )
    return cells, profile
