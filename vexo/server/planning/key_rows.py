"""The rows behind a number of a measured key: a window of them, and all as a sheet."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import polars as pl

from vexo.core.keys.candidates import Finds, places_that_find
from vexo.core.records import IDENTIFIER, Field, Kind
from vexo.core.sheets.sheet import ROW
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.outgoing import OutgoingColumn

from .. import artifacts
from ..errors import PlainError
from ..trips.facts.rows import Cell, Row, Window
from ..trips.part_view import PartView
from ..trips.row_windows import MOST_ROWS, window_of
from ..trips.sheet_cells import cells_now
from ..trips.sheets import newest_sheet
from .measured_keys import last_measured


def rows_that_find(view: PartView, key: Sequence[str], finds: str, place: tuple[int, int]) -> Window:
    """The rows behind a number, in the order of the sheet.

    Args:
        place: the first row of the window, from 0, and how many rows are wanted.

    Raises:
        PlainError: where nothing was measured, or what was no longer counts.
    """
    sheet = newest_sheet(view)
    places = _places(view, key, finds)
    offset, limit = place
    window = places.slice(offset, min(limit, MOST_ROWS))
    cells = artifacts.read_rows(cells_now(sheet), window)
    names = [mapping.column for mapping in sheet.mappings.all()]
    numbers = zip(cells[ROW].to_list(), cells["row_id"].to_list(), strict=True)
    texts = [cells[name].to_list() for name in names]
    rows = [Row(row, row_id, [Cell(column[at]) for column in texts]) for at, (row, row_id) in enumerate(numbers)]
    return window_of(len(places), offset, rows)


def write_rows_that_find(view: PartView, key: Sequence[str], finds: str, path: Path) -> None:
    """The rows behind a number as delimited text, as they came, with their row in the last column."""
    sheet = newest_sheet(view)
    cells = artifacts.read_rows(cells_now(sheet), _places(view, key, finds))
    columns = [(c.name, c.header, cells[c.name]) for c in sheet.profile.columns]
    write_csv(
        [
            OutgoingColumn(Field(name, header, Kind.TEXT), header, "", texts.cast(pl.String), False, False)
            for name, header, texts in [*columns, ("row", "Row", cells[ROW])]
        ],
        path,
    )


def _places(view: PartView, key: Sequence[str], finds: str) -> pl.Series:
    last = last_measured(view)
    if last is None or not last.current:
        raise PlainError("What was measured no longer counts. Measure the keys again.", "measure")
    if finds not in list(Finds):
        raise PlainError(f"Unknown number {finds!r}. Use {', '.join(Finds)}.")
    if not any(one["fields"] == list(key) for one in last.result["figures"]):
        raise PlainError("This key was not measured. Measure it first.", "measure")
    names = [IDENTIFIER, *key]
    records = artifacts.read(last.result["records_path"], list(dict.fromkeys(names)))
    values = artifacts.read(last.result["values_path"])
    return places_that_find(values, records, key, Finds(finds), last.context.record_type, last.context.settings.ignores)
