"""Edits as they are asked for, over HTTP or on the command line: of one cell or of many, in the rows that are shown."""

from __future__ import annotations

from collections.abc import Callable
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
from ..planning.context import PlanContext, newest_plan, seen_plan
from ..trips import sheet_cells
from ..trips.models import Edit
from ..trips.part_view import PartView
from ..trips.sheets import newest_sheet
from .windows import Source, Wanted, wanted_rows


def _shown_rows(view: PartView, shown: dict[str, str]) -> list[int]:
    """The rows that a person sees, in their order."""
    plan = newest_plan(view)
    wanted = Wanted(**shown)
    if plan is None or wanted == Wanted():
        return list(artifacts.read(newest_sheet(view).cells, [ROW_ID])[ROW_ID].to_list())
    context = PlanContext.of_plan(plan)
    return wanted_rows(context, Source(plan.path, context.cells_path), wanted)


def _needed(values: dict[str, Any], *names: str) -> None:
    for name in names:
        if values.get(name) in (None, ""):
            raise EditError(f"Say {name.replace('_', ' ')}.")


def _row_words(view: PartView, row_id: int) -> str:
    cells = artifacts.read(newest_sheet(view).cells, [ROW_ID, ROW]).filter(pl.col(ROW_ID) == row_id)
    if cells.is_empty():
        raise EditError("The row is not in the newest sheet.")
    return f"row {thousands(int(cells[ROW][0]))}"


Made = tuple[str, str, list[str], Callable[[pl.DataFrame], pl.DataFrame]]
"""Kind, words, the columns that it may change, and the change."""


def _cell(view: PartView, v: dict[str, Any], header: str) -> Made:
    text = v.get("text")
    words = f"{header}, {_row_words(view, v['row_id'])}: {text if text else 'blank'}"
    return "cell", words, [v["column"]], lambda _: one_cell(v["row_id"], v["column"], text)


def _fill(view: PartView, v: dict[str, Any], header: str) -> Made:
    rows = _shown_rows(view, v.get("shown") or {})
    if v["row_id"] not in rows:
        raise EditError("The row to fill from is not shown.")
    at = rows.index(v["row_id"])
    reach = rows[at : at + 1 + (v.get("rows") or len(rows))]
    words = f"Filled {header} down from {_row_words(view, v['row_id'])} into {thousands(len(reach) - 1)} rows"
    return "fill", words, [v["column"]], lambda cells: fill_down(cells, v["column"], reach)


def _paste(view: PartView, v: dict[str, Any], header: str) -> Made:
    rows = _shown_rows(view, v.get("shown") or {})
    if v["row_id"] not in rows:
        raise EditError("The row to paste into is not shown.")
    columns = list(sheet_cells.headers_of(newest_sheet(view)))
    block = v["block"]
    words = f"Pasted {thousands(len(block))} rows from {header}, {_row_words(view, v['row_id'])} on"
    below, right = rows[rows.index(v["row_id"]) :], columns[columns.index(v["column"]) :]
    width = max(map(len, block), default=0)
    return "paste", words, right[:width], lambda _: paste(below, right, block)


def _replace(view: PartView, v: dict[str, Any], header: str) -> Made:
    replacement = Replacement(**v["replace"])
    names = [v["column"]] if v["column"] else list(sheet_cells.headers_of(newest_sheet(view)))
    rows = _shown_rows(view, v.get("shown") or {})
    words = f"Replaced {replacement.find!r} with {replacement.put!r} in {header if v['column'] else 'all columns'}"

    def change(cells: pl.DataFrame) -> pl.DataFrame:
        return replace(cells.filter(pl.col(ROW_ID).is_in(rows)), names, replacement)

    return "replace", words, names, change


_MAKERS = {
    "cell": (_cell, ("row_id", "column")),
    "fill": (_fill, ("row_id", "column")),
    "paste": (_paste, ("row_id", "column", "block")),
    "replace": (_replace, ("replace",)),
}


def make_edit(view: PartView, person: Person, values: dict[str, Any], *, run_here: bool = True) -> tuple[Edit, Job]:
    """An edit as it is asked for over HTTP or on the command line. Raises what ``edits.make`` does."""
    if values["kind"] == "repair":
        _needed(values, "plan")
        plan = seen_plan(view, values["plan"])
        return repair(view, person, plan.damage_path, values["damage"], values["column"], run_here=run_here)
    maker, needed = _MAKERS[values["kind"]]
    _needed(values, *needed)
    headers = sheet_cells.headers_of(newest_sheet(view))
    if values["column"] and values["column"] not in headers:
        raise EditError(f"The sheet has no column {values['column']}.")
    kind, words, columns, change = maker(view, values, headers.get(values["column"], ""))
    return edits.make(view, person, kind, words, columns, change, run_here=run_here)
