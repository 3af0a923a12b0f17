"""Windows of rows for the grid: found once by filter, paged from there."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import polars as pl

from vexo.core.planning.blanks import emptied_column
from vexo.core.planning.comparing import do_column, new_column, old_column
from vexo.core.planning.pairs import said_column
from vexo.core.planning.verdicts import Do
from vexo.core.records import IDENTIFIER, Field, Kind
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import parse, to_text
from vexo.core.writing.ledger import states_of

from .. import stages
from ..faults import words
from ..trips.windows import MOST
from .plans import Reviewed

_GROUPS = {
    "refused": ["refused", "unclear"],
    "not-in": ["refused", "unclear", "rejected", "held", "waiting"],
}
"""States that are asked for by one name; ``not-in`` are the rows of an outcome that a person may still bring in."""
DO = {Do.NOTHING: "", Do.WRITE: "write", Do.HELD: "held", Do.BAD: "bad"}


@dataclass(frozen=True)
class Wanted:
    """Which rows: of one state, with one fault, with a change in one column, holding a text; and in which order: as in
    the sheet, or by the values of a field (``-name``: from the highest down), empty ones last."""

    state: str = ""
    column: str = ""
    text: str = ""
    code: str = ""
    order: str = ""


@dataclass(frozen=True)
class Source:
    """Where rows come from: a plan's file, its cells, and the ledger page of the pass that sent it; the cells as they
    ``came`` in the file, and as they are ``now``, where these may be others."""

    plan: str
    cells: str
    page: str = ""
    came: str = ""
    now: str = ""


@lru_cache(maxsize=16)
def states(plan: str, page: str) -> pl.DataFrame:
    """What became, or will become, of every row. Files never change under their name, so this is made once."""
    columns = [ROW_ID, ROW, "verdict", "faults", IDENTIFIER, "past"]
    return states_of(stages.read(plan, columns), stages.read(page) if page else None)


@lru_cache(maxsize=32)
def _ranks(cells: str, column: str, field: Field | None, down: bool) -> pl.Series:
    """The place of each row of a sheet when its rows are put in order by one column."""
    raw = stages.read(cells, [column])[column]
    values = raw
    if field is not None and field.kind not in (Kind.CHOICES, Kind.REFERENCE):
        parsed = parse(field, raw).values
        values = parsed if parsed.null_count() < len(parsed) else raw
    order = pl.DataFrame({"value": values}).with_row_index("at")
    placed = order.sort("value", descending=down, nulls_last=True, maintain_order=True)
    return placed.with_row_index("rank").sort("at")["rank"]


def _in_order(planned: Reviewed, source: Source, places: pl.Series, order: str) -> pl.Series:
    name = order.removeprefix("-")
    match = next((m for m in planned.matches if m.field is not None and m.field.name == name), None)
    if match is None or not match.column:
        return places
    ranks = _ranks(source.cells, match.column, match.field, order.startswith("-"))
    return places.gather(ranks.gather(places).arg_sort())


@lru_cache(maxsize=32)
def _positions(source: Source, wanted: Wanted) -> pl.Series:
    """Places (0-based, in sheet order) of the rows that are wanted."""
    told = states(source.plan, source.page)
    holds = pl.Series([True]).new_from_index(0, len(told))
    if wanted.state:
        group = _GROUPS.get(wanted.state, [wanted.state])
        holds &= told["state"].is_in(group)
    if wanted.code:
        has = pl.col("faults").list.eval(pl.element().struct.field("code") == wanted.code).list.any()
        holds &= told.select(has.fill_null(value=False)).to_series()
    if wanted.column:
        emptied = wanted.column.startswith("emptied:")
        name = emptied_column(wanted.column[8:]) if emptied else do_column(wanted.column)
        there = stages.scan(source.plan).collect_schema().names()
        column = stages.read(source.plan, [name])[name] if name in there else pl.Series([0] * len(told))
        holds &= column.cast(pl.UInt8) > 0
    if wanted.text:
        table = stages.read(source.cells)
        names = [name for name in table.columns if name.startswith("c")]
        low = wanted.text.lower()
        found = [
            pl.col(name).str.to_lowercase().str.contains(low, literal=True).fill_null(value=False) for name in names
        ]
        holds &= table.select(pl.any_horizontal(found)).to_series()
    return holds.arg_true()


def gather(path: str, places: pl.Series) -> pl.DataFrame:
    """These rows of a stage, in the order of their places; only the row groups they lie in are read."""
    if not len(places):
        return stages.scan(path).head(0).collect()
    numbers = places.to_list()
    first, last = min(numbers), max(numbers)
    between: pl.DataFrame = stages.scan(path).slice(first, last - first + 1).collect()
    return between[[number - first for number in numbers]]


def fault_words(planned: Reviewed, fault: dict[str, Any]) -> str:
    """The sentence of one row's fault."""
    field = planned.record_type.find(fault["field"] or "")
    arguments = list(fault["arguments"] or [])
    if fault["code"] == "changed-meanwhile":
        arguments = [f.label if (f := planned.record_type.find(name)) else name for name in arguments]
    return words(fault["code"], field.label if field else fault["field"] or "", arguments)


def _told(planned: Reviewed, line: dict[str, Any]) -> dict[str, Any]:
    """A row's state with its faults in words; the first is its reason."""
    faults = [
        {"code": f["code"], "field_name": f["field"] or "", "says": fault_words(planned, f)}
        for f in line["faults"] or []
    ]
    first = (line["faults"] or [None])[0]
    theirs = first["arguments"][1] if first and first["code"] == "refused" and len(first["arguments"]) > 1 else None
    return {
        "state": line["state"],
        "reason": faults[0]["says"] if faults else None,
        "field": faults[0]["field_name"] or None if faults else None,
        "code": theirs,
        "faults": faults,
        "warnings": line["warnings"],
        "identifier": line[IDENTIFIER],
    }


def plan_window(planned: Reviewed, source: Source, wanted: Wanted, offset: int, limit: int) -> dict[str, Any]:
    """A window of a plan: each row with its state, faults and cells in the order of the sheet's columns."""
    total = planned.sheet.rows
    if wanted != Wanted():
        places = _positions(source, replace(wanted, order=""))
        if wanted.order:
            places = _in_order(planned, source, places, wanted.order)
        total, some = len(places), places.slice(offset, min(limit, MOST))
    else:
        some = pl.int_range(offset, max(offset, min(offset + min(limit, MOST), total)), dtype=pl.UInt32, eager=True)
    plan, cells = gather(source.plan, some), gather(source.cells, some)
    whole = states(source.plan, source.page)
    state = whole[some.to_list()] if len(some) else whole.head(0)
    by_column = [
        _cells_of(planned, match.column, match.field.name if match.field else None, plan, cells)
        for match in planned.matches
    ]
    _tell_edits(planned, source, cells, by_column)
    told = [_told(planned, line) for line in state.to_dicts()]
    numbers = zip(plan[ROW].to_list(), plan[ROW_ID].to_list(), plan["verdict"].to_list(), strict=True)
    lines = [
        {"row": row, "row_id": row_id, "verdict": verdict, **said, "cells": list(own)}
        for (row, row_id, verdict), said, own in zip(numbers, told, zip(*by_column, strict=True), strict=True)
    ]
    return {"total": total, "offset": offset, "rows": lines}


def _tell_edits(planned: Reviewed, source: Source, cells: pl.DataFrame, by_column: list[list[dict[str, Any]]]) -> None:
    """Say of cells with an edit over them what they were in the file; and what they are now, after a pass."""
    for place, which in ((source.came, "came"), (source.now, "now")):
        if not place or place == source.cells:
            continue
        wanted = cells[ROW_ID]
        other = stages.scan(place).filter(pl.col(ROW_ID).is_in(wanted.implode())).collect()
        met = cells.select(ROW_ID).join(other, on=ROW_ID, how="left", maintain_order="left")
        for match, made in zip(planned.matches, by_column, strict=True):
            if match.column not in met.columns:
                continue
            for at, (text, own) in enumerate(zip(met[match.column], cells[match.column], strict=True)):
                if text != own:
                    made[at] |= {"edited": True, which: text}


def wanted_rows(planned: Reviewed, source: Source, wanted: Wanted) -> list[int]:
    """The numbers of the rows that are wanted, in their order."""
    places = _positions(source, replace(wanted, order=""))
    if wanted.order:
        places = _in_order(planned, source, places, wanted.order)
    return list(states(source.plan, source.page)[ROW_ID].gather(places).to_list())


def in_one_form(field: Field, cells: pl.Series) -> list[str | None]:
    """Numbers of a sheet as the field's own values are shown (2.1 as 2.10); what is no number stays as it came."""
    parsed = parse(field, cells)
    return to_text(field, parsed.values).fill_null(cells).to_list()


def _cells_of(
    planned: Reviewed, column: str, name: str | None, plan: pl.DataFrame, cells: pl.DataFrame
) -> list[dict[str, Any]]:
    raw = cells[column].to_list() if column else [None] * len(cells)
    field = planned.record_type.find(name) if name else None
    if field is not None and field.is_number and column:
        raw = in_one_form(field, cells[column])
    if field is None or name is None or do_column(name) not in plan.columns:
        return [{"text": text} for text in raw]
    parts = [to_text(field, plan[c(name)]).to_list() for c in (old_column, new_column, said_column)]
    if field.target:
        parts[1] = [new if text is None else text for text, new in zip(raw, parts[1], strict=True)]
    made = []
    emptied = plan[emptied_column(name)].to_list()
    for text, old, new, said, do, was in zip(raw, *parts, plan[do_column(name)].to_list(), emptied, strict=True):
        cell: dict[str, Any] = {"text": text}
        if was:
            cell |= {"do": "emptied", "old": old, "kept": said}
        elif do:
            cell |= {"do": DO[do], "old": old, "new": new if do != Do.BAD else None, "kept": said}
        made.append(cell)
    return made
