"""Several files that are one list in parts: their rows one below the other, each with its file and its row there."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import polars as pl

from ..values import count_different
from .overlay.versions import told_apart
from .sheet import ROW, Column, SheetError, SheetProfile

FILE_HEADER, ROW_IN_FILE_HEADER = "File", "Row in file"
_NAMED = re.compile(rf"({FILE_HEADER}|{ROW_IN_FILE_HEADER})(?: \d+)?")


@dataclass(frozen=True)
class FilePart:
    """One file: what people call it, its cells and what was found in it."""

    name: str
    cells: pl.DataFrame
    profile: SheetProfile


def _free(header: str, taken: Sequence[str]) -> str:
    nth = 1
    while (header if nth == 1 else f"{header} {nth}") in taken:
        nth += 1
    return header if nth == 1 else f"{header} {nth}"


def file_column(headers: Sequence[str]) -> int | None:
    """Which column names the file that a row came in; None where the list is one file."""
    ends = [_NAMED.fullmatch(header) for header in headers[-2:]]
    return len(headers) - 2 if [end[1] if end else "" for end in ends] == [FILE_HEADER, ROW_IN_FILE_HEADER] else None


def _plain(place: tuple[str, int]) -> tuple[str, int]:
    """A header in other capitals, or with other spaces, is the same."""
    return " ".join(place[0].casefold().split()), place[1]


def join_parts(parts: Sequence[FilePart]) -> tuple[pl.DataFrame, SheetProfile]:
    """One sheet of several files. Columns are brought together by their header; rows of the first file keep their
    numbers, those of the others go on from there, and two more columns name the file and the row in it.

    Raises:
        SheetError: where a file shares no column with the first.
    """
    first = parts[0]
    places: dict[tuple[str, int], str] = {}
    known: dict[tuple[str, int], tuple[str, int]] = {}
    frames, offset = [], 0
    for part in parts:
        written = told_apart(part.profile.columns)
        own_places = {known.setdefault(_plain(place), place): name for place, name in written.items()}
        if len(own_places) < len(written):
            # In this file itself two headers differ by nothing else.
            own_places = written
        if part is not first and not any(place in places for place in own_places if place[0]):
            raise SheetError(
                f"{part.name} shares no column with {first.name}, so it continues another list. Bring it in by itself."
            )
        for place in own_places:
            places.setdefault(place, f"c{len(places)}")
        names = {name: places[place] for place, name in own_places.items()}
        names |= {f"shown.{old}": f"shown.{new}" for old, new in names.items() if f"shown.{old}" in part.cells.columns}
        start = part.profile.header_row
        row = pl.col(ROW) if part is first else pl.col(ROW).cast(pl.Int64) - start + offset
        frame = part.cells.select(
            row.cast(pl.UInt32).alias(ROW),
            *[pl.col(old).alias(new) for old, new in names.items()],
            pl.lit(part.name).alias("file"),
            pl.col(ROW).cast(pl.String).alias("row in file"),
        )
        frames.append(frame)
        offset = int(str(frame[ROW].max() or offset))
    taken = [header for header, _ in places]
    at = len(places)
    named = {"file": f"c{at}", "row in file": f"c{at + 1}"}
    cells = pl.concat(frames, how="diagonal").rename(named)
    headers = [header for header, _ in places] + [_free(FILE_HEADER, taken), _free(ROW_IN_FILE_HEADER, taken)]
    order = [name for n in range(at + 2) for name in (f"c{n}", f"shown.c{n}") if name in cells.columns]
    cells = cells.select(ROW, *order)
    columns = tuple(
        Column(f"c{n}", header, cells[f"c{n}"].count(), count_different(cells[f"c{n}"]))
        for n, header in enumerate(headers)
    )
    findings = tuple(
        replace(one, text=f"{part.name}: {one.text}", row=one.row if part is first else None)
        for part in parts
        for one in part.profile.findings
    )
    profile = replace(
        first.profile,
        columns=columns,
        rows=len(cells),
        blank_rows=sum(part.profile.blank_rows for part in parts),
        total_rows=tuple(row for part in parts for row in part.profile.total_rows),
        other_sheets=(),
        stamp=None,
        findings=findings,
        places=tuple(column.name for column in columns),
    )
    return cells, profile
