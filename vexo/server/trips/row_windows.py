"""Windows of rows as they go over HTTP, and a sheet's rows as they came."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import polars as pl

from vexo.core.sheets.long_cells import CELL_CHARACTERS
from vexo.core.sheets.overlay.edits import lay_edits
from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import artifacts
from ..serializing import serializer_for
from .facts.rows import Cell, Row, Window

MOST_ROWS = 500
"""Rows of one window: a screen shows some dozens, and scrolls through more of them in a moment."""
WindowSerializer = serializer_for(Window)


_SHOWN = 1_000
"""Characters that are shown of a text that is longer than a cell holds."""
_TEXTS = ("text", "current", "proposed", "sent", "file_text", "text_now")


def _in_part(cell: Cell) -> Cell:
    longest = max(len(getattr(cell, name) or "") for name in _TEXTS)
    if longest <= CELL_CHARACTERS:
        return cell
    shown = {name: text[:_SHOWN] for name in _TEXTS if (text := getattr(cell, name)) is not None}
    return replace(cell, **shown, characters=longest)


def window_of(total: int, offset: int, rows: list[Row]) -> Window:
    """A window, in which texts that no cell of a spreadsheet could hold are shown in part: a screen full of them would
    be gigabytes."""
    return Window(total, offset, [replace(row, cells=[_in_part(cell) for cell in row.cells]) for row in rows])


def file_cell(text: str | None, in_file: str | None) -> Cell:
    """A cell, and what it was in the file where that is something else."""
    return Cell(text) if text == in_file else Cell(text, edited=True, file_text=in_file)


def sheet_window(
    cells_path: str,
    names: list[str],
    rows: int,
    place: tuple[int, int],
    edits: pl.DataFrame | None = None,
    left_out: Collection[int] = (),
) -> Window:
    """A window of a sheet, without verdicts. A sheet of no trip yet has row numbers only.

    Args:
        rows: how many the sheet has.
        place: the first row of the window, from 0, and how many rows are wanted.
        edits: what lies over the cells, if anything does.
        left_out: numbers of rows that a person left out.
    """
    offset, limit = place
    in_file = artifacts.scan(cells_path).slice(offset, min(limit, MOST_ROWS)).collect()
    table = in_file if edits is None or edits.is_empty() else lay_edits(in_file, edits)
    numbers = table[ROW].to_list()
    ids = table[ROW_ID].to_list() if ROW_ID in table.columns else numbers
    columns = [[file_cell(*pair) for pair in zip(table[name], in_file[name], strict=True)] for name in names]
    lines = [
        Row(row, row_id, list(cells), left_out=row_id in left_out)
        for row, row_id, *cells in zip(numbers, ids, *columns, strict=True)
    ]
    return window_of(rows, offset, lines)
