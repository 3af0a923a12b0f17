"""Edits of earlier versions of a sheet that do not count over the newest one, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from vexo.core.sheets.sheet import ROW_ID
from vexo.core.wording import thousands

from .. import artifacts
from ..trips.models import Edit, Sheet
from ..trips.part_view import PartView
from ..trips.sheet_cells import columns_over, headers_of
from ..trips.sheets import newest_in


@dataclass(frozen=True)
class Lapsed:
    """How many cells of an edit do not count, and why not, as a sentence."""

    count: int = 0
    why: str = ""


def lapsed(edits: Sequence[Edit], sheet: Sheet) -> dict[int, Lapsed]:
    """Of edits that a newer version of their sheet does not take, wholly or in part: what became of them.

    Args:
        edits: those of a trip; of other parts than the sheet's none is told of.
    """
    lapsed_edits = {}
    for edit in edits:
        if edit.sheet_id != sheet.pk and edit.sheet.part_id == sheet.part_id:
            lapse = _lapsed(edit, sheet)
            if lapse.count:
                lapsed_edits[edit.pk] = lapse
    return lapsed_edits


def lapsed_of(view: PartView, edits: Sequence[Edit]) -> dict[int, Lapsed]:
    """`lapsed` over the sheet that came in last of what is looked at; nothing where none came in."""
    sheet = newest_in(view)
    return lapsed(edits, sheet) if sheet else {}


def _lapsed(edit: Edit, sheet: Sheet) -> Lapsed:
    cells = artifacts.unpack(edit.cells).select(ROW_ID, "column", "base")
    columns, headers = columns_over(edit.sheet, sheet), headers_of(edit.sheet)
    parts, count = [], 0
    known = pl.col("column").is_in(list(columns))
    gone = cells.filter(~known)["column"].value_counts(sort=True)
    for column, cells_lost in gone.iter_rows():
        parts.append(f"{sheet.name} has no column {headers.get(column, column)} ({_cells(cells_lost)})")
        count += cells_lost
    without, otherwise = 0, 0
    for (column,), column_cells in cells.filter(known).partition_by("column", as_dict=True).items():
        name = columns[str(column)]
        now = artifacts.read(sheet.cells, [ROW_ID, name]).rename({name: "now"})
        met = column_cells.join(now, on=ROW_ID, how="left", maintain_order="left")
        is_there = met[ROW_ID].is_in(now[ROW_ID].implode())
        without += int((~is_there).sum())
        otherwise += int((is_there & ~met["base"].eq_missing(met["now"])).sum())
    if without:
        parts.append(f"their rows are not in {sheet.name} ({_cells(without)})")
    if otherwise:
        parts.append(f"{sheet.name} says something else there than the file did ({_cells(otherwise)})")
    count += without + otherwise
    return Lapsed(count, f"{_cells(count)} of it not counted: {'; '.join(parts)}." if count else "")


def _cells(count: int) -> str:
    return "1 cell" if count == 1 else f"{thousands(count)} cells"
