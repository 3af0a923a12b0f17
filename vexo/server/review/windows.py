"""Windows of rows for the grid: found once by filter, paged from there."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import polars as pl

from vexo.core.planning.comparing import do_column, kept_column, new_column, old_column
from vexo.core.planning.verdicts import Do
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW
from vexo.core.values import to_text

from ..data_folder import absolute
from ..runs.services import states
from .models import Trip
from .planning import Planned

MOST = 500
_DO = {Do.NOTHING: "", Do.WRITE: "write", Do.HELD: "held", Do.BAD: "bad"}


@dataclass(frozen=True)
class Wanted:
    """Which rows: of one state, with a change in one column, holding a text."""

    state: str = ""
    column: str = ""
    text: str = ""


def _token(trip: Trip) -> str:
    """What the rows' states are made of: another token, another list of rows."""
    return "|".join(run.outcome for run in trip.runs.exclude(outcome=""))


@lru_cache(maxsize=16)
def _states_of(trip: int, plan: str, token: str) -> pl.DataFrame:
    return states(Trip.objects.get(pk=trip))


@lru_cache(maxsize=32)
def _positions(trip: int, plan: str, cells: str, token: str, wanted: Wanted) -> pl.Series:
    """Places (0-based, in sheet order) of the rows that are wanted."""
    holds = pl.Series([True]).new_from_index(0, len(_states_of(trip, plan, token)))
    if wanted.state:
        group = {"refused": ["refused", "unclear"]}.get(wanted.state, [wanted.state])
        holds &= _states_of(trip, plan, token)["state"].is_in(group)
    if wanted.column:
        names = [f"emptied.{wanted.column[8:]}"] if wanted.column.startswith("emptied:") else [do_column(wanted.column)]
        column = pl.read_parquet(absolute(plan), columns=names)[names[0]]
        holds &= column.cast(pl.UInt8) > 0
    if wanted.text:
        table = pl.read_parquet(absolute(cells))
        names = [name for name in table.columns if name.startswith("c")]
        low = wanted.text.lower()
        found = [
            pl.col(name).str.to_lowercase().str.contains(low, literal=True).fill_null(value=False) for name in names
        ]
        holds &= table.select(pl.any_horizontal(found)).to_series()
    return holds.arg_true()


def _gather(path: str, places: pl.Series) -> pl.DataFrame:
    """These rows of a stage, in order; only the row groups they lie in are read."""
    if not len(places):
        return pl.scan_parquet(absolute(path)).head(0).collect()
    first, last = int(places[0]), int(places[-1])
    return pl.scan_parquet(absolute(path)).slice(first, last - first + 1).collect()[(places - first).to_list()]


def sheet_window(planned_cells: str, names: list[str], rows: int, offset: int, limit: int) -> dict[str, Any]:
    """A window of a sheet as it came, without verdicts."""
    table = pl.scan_parquet(absolute(planned_cells)).slice(offset, min(limit, MOST)).collect()
    columns = [table[name].to_list() for name in names]
    lines = [
        {"row": row, "cells": [{"text": text} for text in texts]}
        for row, *texts in zip(table[ROW].to_list(), *columns, strict=True)
    ]
    return {"total": rows, "offset": offset, "rows": lines}


def plan_window(planned: Planned, wanted: Wanted, offset: int, limit: int) -> dict[str, Any]:
    """A window of the plan: each row with its state, reason and cells in the order of the sheet's columns."""
    trip, sheet = planned.trip, planned.sheet
    token = _token(trip)
    if wanted.state or wanted.column or wanted.text:
        places = _positions(trip.pk, trip.plan, sheet.cells, token, wanted)
        total, some = len(places), places.slice(offset, min(limit, MOST))
    else:
        total = sheet.rows
        some = pl.int_range(offset, max(offset, min(offset + min(limit, MOST), total)), dtype=pl.UInt32, eager=True)
    plan, cells = _gather(trip.plan, some), _gather(sheet.cells, some)
    state = (
        _states_of(trip.pk, trip.plan, token)[some.to_list()]
        if len(some)
        else _states_of(trip.pk, trip.plan, token).head(0)
    )
    by_column = [
        _cells_of(planned, match.column, match.field.name if match.field else None, plan, cells)
        for match in planned.matches
    ]
    told = state.select("state", "reason", "field", "code", pl.col(IDENTIFIER).alias("identifier")).to_dicts()
    verdicts, numbers = plan["verdict"].to_list(), plan[ROW].to_list()
    lines = [
        {"row": row, "verdict": verdict, **said, "cells": list(cells_)}
        for row, verdict, said, cells_ in zip(numbers, verdicts, told, zip(*by_column, strict=True), strict=True)
    ]
    return {"total": total, "offset": offset, "rows": lines}


def _cells_of(
    planned: Planned, column: str, name: str | None, plan: pl.DataFrame, cells: pl.DataFrame
) -> list[dict[str, Any]]:
    raw = cells[column].to_list()
    if name is None or do_column(name) not in plan.columns:
        return [{"text": text} for text in raw]
    field = planned.record_type.field(name)
    parts = [to_text(field, plan[c(name)]).to_list() for c in (old_column, new_column, kept_column)]
    if field.target:
        parts[1] = [new if text is None else text for text, new in zip(raw, parts[1], strict=True)]
    made = []
    for text, old, new, kept, do in zip(raw, *parts, plan[do_column(name)].to_list(), strict=True):
        cell: dict[str, Any] = {"text": text}
        if do:
            cell |= {"do": _DO[do], "old": old, "new": new if do != Do.BAD else None, "kept": kept}
        made.append(cell)
    return made


def reasons(trip: Trip) -> list[dict[str, Any]]:
    """Rows that are not in, grouped by state and reason, most first."""
    table = _states_of(trip.pk, trip.plan, _token(trip))
    left = table.filter(pl.col("state").is_in(["refused", "unclear", "held", "rejected"]))
    grouped = left.group_by("state", "reason", maintain_order=True).agg(
        pl.len().alias("count"), pl.col(ROW).first().alias("first")
    )
    return grouped.sort("count", descending=True).to_dicts()
