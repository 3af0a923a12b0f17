"""Edits as they are asked for, over HTTP or on the command line: of one cell or of many, in the rows that are shown."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from vexo.core.sheets.overlay.edits import EditError, Replacement, fill_down, one_cell, paste, replace
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.wording import thousands

from .. import artifacts
from ..edits import edits
from ..edits.repair import repair
from ..jobs.models import Job
from ..people.models import Person
from ..planning.context import PlanContext, plan_of, seen_plan
from ..trips import sheet_cells
from ..trips.models import Edit
from ..trips.part_view import PartView
from ..trips.sheets import newest_sheet
from .windows import Source, Wanted, wanted_rows


@dataclass(frozen=True)
class EditRequest:
    """An edit as it is asked for: see ``edit_views.MakeEditSerializer``."""

    kind: str
    row_id: int | None = None
    column: str = ""
    text: str | None = None
    rows: int | None = None
    block: list[list[str]] | None = None
    replace: Replacement | None = None
    damage: str = ""
    plan: int | None = None
    shown: Wanted = field(default_factory=Wanted)

    @classmethod
    def of(cls, values: Mapping[str, Any]) -> EditRequest:
        """As JSON has it."""
        replacement = values.get("replace")
        inner = {
            "replace": Replacement(**replacement) if replacement else None,
            "shown": Wanted(**values.get("shown", {})),
        }
        return cls(**{**values, **inner})

    @property
    def cell(self) -> int:
        """The row of the cell that is meant. Raises EditError where none is said."""
        if self.row_id is None:
            raise EditError("Say row id.")
        return self.row_id


def _shown_rows(view: PartView, wanted: Wanted) -> list[int]:
    """The rows that a person sees, in their order."""
    if wanted == Wanted():
        return list(artifacts.read(newest_sheet(view).cells, [ROW_ID])[ROW_ID].to_list())
    plan = plan_of(view)
    context = PlanContext.of_plan(plan)
    return wanted_rows(context, Source(plan.path, context.cells_path), wanted)


def _needed(asked: EditRequest, *names: str) -> None:
    for name in names:
        if getattr(asked, name) in (None, ""):
            raise EditError(f"Say {name.replace('_', ' ')}.")


def _row_words(view: PartView, row_id: int) -> str:
    cells = artifacts.read(newest_sheet(view).cells, [ROW_ID, ROW]).filter(pl.col(ROW_ID) == row_id)
    if cells.is_empty():
        raise EditError("The row is not in the newest sheet.")
    return f"row {thousands(int(cells[ROW][0]))}"


Made = tuple[str, str, list[str], Callable[[pl.DataFrame], pl.DataFrame]]
"""Kind, words, the columns that it may change, and the change."""


def _cell(view: PartView, asked: EditRequest, header: str) -> Made:
    words = f"{header}, {_row_words(view, asked.cell)}: {asked.text or 'blank'}"
    return "cell", words, [asked.column], lambda _: one_cell(asked.cell, asked.column, asked.text)


def _fill(view: PartView, asked: EditRequest, header: str) -> Made:
    rows = _shown_rows(view, asked.shown)
    if asked.cell not in rows:
        raise EditError("The row to fill from is not shown.")
    at = rows.index(asked.cell)
    reach = rows[at : at + 1 + (asked.rows or len(rows))]
    words = f"Filled {header} down from {_row_words(view, asked.cell)} into {thousands(len(reach) - 1)} rows"
    return "fill", words, [asked.column], lambda cells: fill_down(cells, asked.column, reach)


def _paste(view: PartView, asked: EditRequest, header: str) -> Made:
    rows = _shown_rows(view, asked.shown)
    if asked.cell not in rows:
        raise EditError("The row to paste into is not shown.")
    columns, block = list(sheet_cells.headers_of(newest_sheet(view))), asked.block or []
    words = f"Pasted {thousands(len(block))} rows from {header}, {_row_words(view, asked.cell)} on"
    below, right = rows[rows.index(asked.cell) :], columns[columns.index(asked.column) :]
    width = max(map(len, block), default=0)
    return "paste", words, right[:width], lambda _: paste(below, right, block)


def _replace(view: PartView, asked: EditRequest, header: str) -> Made:
    replacement = asked.replace
    assert replacement is not None
    names = [asked.column] if asked.column else list(sheet_cells.headers_of(newest_sheet(view)))
    rows = _shown_rows(view, asked.shown)
    words = f"Replaced {replacement.find!r} with {replacement.put!r} in {header if asked.column else 'all columns'}"

    def change(cells: pl.DataFrame) -> pl.DataFrame:
        return replace(cells.filter(pl.col(ROW_ID).is_in(rows)), names, replacement)

    return "replace", words, names, change


_MAKERS = {
    "cell": (_cell, ("row_id", "column")),
    "fill": (_fill, ("row_id", "column")),
    "paste": (_paste, ("row_id", "column", "block")),
    "replace": (_replace, ("replace",)),
}


def make_edit(view: PartView, person: Person, asked: EditRequest, *, run_here: bool = True) -> tuple[Edit, Job]:
    """An edit as it is asked for over HTTP or on the command line. Raises what ``edits.make`` does."""
    if asked.kind == "repair":
        _needed(asked, "plan")
        plan = seen_plan(view, asked.plan or 0)
        return repair(view, person, plan.damage_path, asked.damage, asked.column, run_here=run_here)
    maker, needed = _MAKERS[asked.kind]
    _needed(asked, *needed)
    headers = sheet_cells.headers_of(newest_sheet(view))
    if asked.column and asked.column not in headers:
        raise EditError(f"The sheet has no column {asked.column}.")
    kind, words, columns, change = maker(view, asked, headers.get(asked.column, ""))
    return edits.make(view, person, kind, words, columns, change, run_here=run_here)
