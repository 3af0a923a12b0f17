"""Windows of rows for the grid: found once by filter, paged from there."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, replace
from difflib import get_close_matches
from functools import lru_cache
from typing import Any, Literal, NamedTuple

import polars as pl

from vexo.core.cell_parser import parse
from vexo.core.planning.frame import CHANGED_ELSEWHERE, VERDICT, FieldColumns
from vexo.core.planning.pictures import columns_of_picture
from vexo.core.planning.verdicts import CELL_STATES, ELSEWHERE_CODE, NOT_IN, CellAction, CellState, RowState, Verdict
from vexo.core.records import IDENTIFIER, Field, Kind
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import to_text

from .. import artifacts
from ..decisions.listed import cells_of_decision
from ..decisions.moved import differing_rows
from ..errors import PlainError
from ..faults import words
from ..planning.context import PlanContext
from ..planning.figures import with_reasons
from ..planning.pointing import pointed_words
from ..planning.row_states import states
from ..trips.answers import options_for_fault, options_for_row
from ..trips.facts.rows import Cell, Fault, Row, Window
from ..trips.row_windows import MOST_ROWS, window_of

_GROUPS: dict[str, tuple[RowState, ...]] = {
    "refused": (RowState.REFUSED, RowState.UNCLEAR),
    "not-in": NOT_IN,
}
"""States that are asked for by one name."""
STATES = tuple(dict.fromkeys([*RowState, *_GROUPS]))
"""What may be asked for as the state of rows."""
_NUMBER = re.compile(r"\d{1,18}", re.ASCII)


@dataclass(frozen=True)
class Wanted:
    """Which rows: of one state, with one fault (or what is said as such, ``ELSEWHERE_CODE``), with a change in one
    column (from a value to another, ``change``: both as a JSON list of texts), stopped by one thing first of all
    (``reason``: code, field and the application's message, as a JSON list), with a text in a cell, about which a
    decision is (its number), that differ from those of the trip that this one was moved from; and in which order: as in
    the sheet, or by the values of a field (``-name``: from the highest down), empty ones last."""

    state: str = ""
    column: str = ""
    text: str = ""
    code: str = ""
    order: str = ""
    decision: str = ""
    change: str = ""
    reason: str = ""
    moved: str = ""


@dataclass(frozen=True)
class Source:
    """Where rows come from: a plan's file, its cells, and the ledger page of the pass that sent it; the cells as they
    ``came`` in the file, and as they are ``now``, where these may be others; and what points to records."""

    plan: str
    cells: str
    page: str = ""
    came: str = ""
    now: str = ""
    pointed: str = ""


@lru_cache(maxsize=32)
def _ranks(cells: str, column: str, field: Field | None, down: bool) -> pl.Series:
    """The place of each row of a sheet when its rows are put in order by one column."""
    raw = artifacts.read(cells, [column])[column]
    values = raw
    if field is not None and field.kind not in (Kind.CHOICES, Kind.REFERENCE):
        parsed = parse(field, raw).values
        values = parsed if parsed.null_count() < len(parsed) else raw
    order = pl.DataFrame({"value": values}).with_row_index("at")
    placed = order.sort("value", descending=down, nulls_last=True, maintain_order=True)
    return placed.with_row_index("rank").sort("at")["rank"]


def _in_order(context: PlanContext, source: Source, places: pl.Series, order: str) -> pl.Series:
    name = order.removeprefix("-")
    match = next((m for m in context.matches if m.field is not None and m.field.name == name), None)
    if match is None or not match.column:
        return places
    ranks = _ranks(source.cells, match.column, match.field, order.startswith("-"))
    return places.gather(ranks.gather(places).arg_sort())


def _changing(plan: str, field: Field, change: str) -> pl.Series:
    """Whether each row of a plan changes a field from one value to another.

    Raises:
        PlainError: where these are not two texts.
    """
    old, new = _texts(change, 2, "change")
    table = artifacts.read(plan, columns_of_picture(field.name))
    columns = FieldColumns(field.name)
    writes = table[VERDICT].is_in([Verdict.CREATE, Verdict.UPDATE]) & (table[columns.action] == CellAction.WRITE)
    for name, text in ((columns.current, old), (columns.proposed, new)):
        if field.kind == Kind.CHOICES or not text:
            writes &= to_text(field, table[name]).fill_null("") == text
        else:
            writes &= table[name].eq_missing(parse(field, pl.Series([text])).values)
    return writes.fill_null(value=False)


def _texts(value: str, count: int, what: Literal["change", "reason"]) -> list[str]:
    """The texts of a filter that is a JSON list. Raises PlainError where it is none, or not of so many."""
    try:
        texts = json.loads(value)
    except ValueError:
        texts = None
    if not isinstance(texts, list) or len(texts) != count:
        raise PlainError(f"A {what} is {count} texts, as a JSON list: {value!r} is none.", what)
    return [str(text) for text in texts]


def _stopped_by(row_states: pl.DataFrame, reason: str) -> pl.Series:
    """Whether the first fault of each row is this one."""
    names = ("code", "field", "message")
    texts = _texts(reason, len(names), "reason")
    alike = pl.all_horizontal([pl.col(name) == text for name, text in zip(names, texts, strict=True)])
    return with_reasons(row_states).select(alike.fill_null(value=False)).collect().to_series()


@lru_cache(maxsize=32)
def _positions(source: Source, wanted: Wanted, changed: Field | None = None) -> pl.Series:
    """Places (0-based, in sheet order) of the rows that are wanted.

    Args:
        changed: the field whose change from one value to another is wanted.
    """
    row_states = states(source.plan, source.page)
    holds = pl.Series([True]).new_from_index(0, len(row_states))
    if wanted.state:
        group = _GROUPS.get(wanted.state, [wanted.state])
        holds &= row_states["state"].is_in(group)
    if wanted.code == ELSEWHERE_CODE:
        holds &= artifacts.read(source.plan, [CHANGED_ELSEWHERE])[CHANGED_ELSEWHERE]
    elif wanted.code:
        has = pl.col("faults").list.eval(pl.element().struct.field("code") == wanted.code).list.any()
        holds &= row_states.select(has.fill_null(value=False)).to_series()
    if wanted.reason:
        holds &= _stopped_by(row_states, wanted.reason)
    if wanted.decision:
        number = int(wanted.decision) if _NUMBER.fullmatch(wanted.decision) else 0
        rows = cells_of_decision(number)[ROW_ID]
        holds &= row_states[ROW_ID].is_in(rows.implode())
    if wanted.change and changed is not None:
        holds &= _changing(source.plan, changed, wanted.change)
    elif wanted.column:
        emptied = wanted.column.startswith("emptied:")
        name = FieldColumns(wanted.column[8:]).left_blank if emptied else FieldColumns(wanted.column).action
        plan_columns = artifacts.columns_of(source.plan)
        column = artifacts.read(source.plan, [name])[name] if name in plan_columns else pl.Series([0] * len(row_states))
        holds &= column.cast(pl.UInt8) > 0
    if wanted.text:
        table = artifacts.read(source.cells)
        names = [name for name in table.columns if name.startswith("c")]
        low = wanted.text.lower()
        conditions = [
            pl.col(name).str.to_lowercase().str.contains(low, literal=True).fill_null(value=False) for name in names
        ]
        holds &= table.select(pl.any_horizontal(conditions)).to_series()
    return holds.arg_true()


def _places(context: PlanContext, source: Source, wanted: Wanted) -> pl.Series:
    """Places of the rows that are wanted, in the order of the sheet."""
    changed = context.record_type.find(wanted.column) if wanted.change else None
    places = _positions(source, replace(wanted, order="", moved=""), changed)
    if not wanted.moved:
        return places
    ids = states(source.plan, source.page)[ROW_ID].gather(places)
    return places.filter(ids.is_in(differing_rows(context.view).implode()))


def fault_words(context: PlanContext, fault: dict[str, Any]) -> str:
    """The sentence of one row's fault."""
    field = context.record_type.find(fault["field"] or "")
    arguments = list(fault["arguments"] or [])
    if fault["code"] == "changed-meanwhile":
        arguments = [f.label if (f := context.record_type.find(name)) else name for name in arguments]
    return words(fault["code"], field.label if field else fault["field"] or "", arguments)


_ASKING = {RowState(verdict) for verdict in Verdict} - {RowState.ASIDE}
"""States of rows whose faults can be answered: nothing became of them yet, and nobody set them aside."""


def faults_of(context: PlanContext, line: dict[str, Any]) -> list[Fault]:
    """The faults of a row in words, each with its answers; ``line`` has ``state``, ``faults`` and ``@id``."""
    asks = line["state"] in _ASKING
    has_record = line[IDENTIFIER] is not None
    takes_back = context.trip.takes_back_id is not None
    return [
        Fault(
            fault["code"],
            fault["field"] or "",
            fault_words(context, fault),
            options_for_fault(fault["code"], fault["arguments"] or (), has_record=has_record, takes_back=takes_back)
            if asks
            else [],
        )
        for fault in line["faults"] or []
    ]


def _refused_with(line: dict[str, Any]) -> str | None:
    """The application's own code for a refusal, where it gave one."""
    first = (line["faults"] or [None])[0]
    given = first and first["code"] == "refused" and len(first["arguments"]) > 1
    return str(first["arguments"][1]) if given else None


def _refuse_unknown(context: PlanContext, wanted: Wanted) -> None:
    """Raises PlainError for a field that the record type has not, or a change that is no field's: these would filter
    nothing, or everything."""
    if wanted.change and (not wanted.column or wanted.column.startswith("emptied:")):
        raise PlainError("A change is one of a field: say 'column', too.", "change")
    for name in (wanted.column.removeprefix("emptied:"), wanted.order.removeprefix("-")):
        if name and context.record_type.find(name) is None:
            near = get_close_matches(name, [field.name for field in context.record_type.fields], n=1)
            rest = f"Did you mean {near[0]!r}?" if near else "Use the name of one of its fields."
            raise PlainError(f"{context.record_type.plural} have no field {name!r}. {rest}", "unknown-name")


def plan_window(context: PlanContext, source: Source, wanted: Wanted, place: tuple[int, int]) -> Window:
    """A window of a plan: each row with its state, faults and cells in the order of the sheet's columns.

    Args:
        place: the first row of the window, from 0, and how many rows are wanted.

    Raises:
        PlainError: for a field that there is not.
    """
    _refuse_unknown(context, wanted)
    offset, limit = place
    total, most = context.sheet.rows, min(limit, MOST_ROWS)
    if wanted != Wanted():
        places = _places(context, source, wanted)
        if wanted.order:
            places = _in_order(context, source, places, wanted.order)
        total, shown = len(places), places.slice(offset, most)
    else:
        shown = pl.int_range(offset, max(offset, min(offset + most, total)), dtype=pl.UInt32, eager=True)
    plan, cells = artifacts.read_rows(source.plan, shown), artifacts.read_rows(source.cells, shown)
    all_states = states(source.plan, source.page)
    lines = (all_states[shown.to_list()] if len(shown) else all_states.head(0)).to_dicts()
    columns = [
        _cells_of(context, match.column, match.field.name if match.field else None, plan, cells)
        for match in context.matches
    ]
    columns = _with_edits(context, source, cells, columns, shown)
    rows = [
        _row(context, line, row, row_id, verdict, list(row_cells))
        for row, row_id, verdict, line, row_cells in zip(
            plan[ROW].to_list(),
            plan[ROW_ID].to_list(),
            plan[VERDICT].to_list(),
            lines,
            zip(*columns, strict=True),
            strict=True,
        )
    ]
    return window_of(total, offset, _with_pointed(rows, source))


def _with_pointed(rows: list[Row], source: Source) -> list[Row]:
    """The rows with how many others point to their records."""
    pointed = pointed_words(source.pointed)
    if not pointed:
        return rows
    return [replace(row, pointed=pointed.get(row.identifier or "", [])) for row in rows]


def _row(context: PlanContext, line: dict[str, Any], row: int, row_id: int, verdict: str, cells: list[Cell]) -> Row:
    faults, state = faults_of(context, line), RowState(line["state"])
    return Row(
        row,
        row_id,
        cells,
        state,
        Verdict(verdict),
        faults[0].says if faults else None,
        _refused_with(line),
        faults,
        options_for_row(state, [fault.code for fault in faults]),
        line["warnings"],
        line[IDENTIFIER],
    )


def _with_edits(
    context: PlanContext, source: Source, cells: pl.DataFrame, columns: list[list[Cell]], places: pl.Series
) -> list[list[Cell]]:
    """The cells, with what edited ones were in the file, and what they are now, after a pass."""
    for path, where in ((source.came, "file_text"), (source.now, "text_now")):
        if not path or path == source.cells:
            continue
        edited = artifacts.read_rows(path, places)
        for at, match in enumerate(context.matches):
            if match.column not in edited.columns:
                continue
            texts = zip(edited[match.column], cells[match.column], columns[at], strict=True)
            marks = {"edited": True, "edited_since": where == "text_now"}
            columns[at] = [
                replace(cell, **{**marks, where: text}) if text != shown else cell for text, shown, cell in texts
            ]
    return columns


def wanted_rows(context: PlanContext, source: Source, wanted: Wanted) -> list[int]:
    """The numbers of the rows that are wanted, in their order. Raises PlainError for a field that there is not."""
    _refuse_unknown(context, wanted)
    places = _places(context, source, wanted)
    if wanted.order:
        places = _in_order(context, source, places, wanted.order)
    return list(states(source.plan, source.page)[ROW_ID].gather(places).to_list())


def in_one_form(field: Field, cells: pl.Series) -> list[str | None]:
    """Numbers of a sheet as the field's own values are shown (2.1 as 2.10); what is not a number stays as it came."""
    parsed = parse(field, cells)
    return to_text(field, parsed.values).fill_null(cells).to_list()


class Base(NamedTuple):
    """The merge base of a cell as texts: the sheet's side and the application's; and whether the latter is another than
    what went out."""

    sheet: str | None
    application: str | None
    seen_later: bool


def _cells_of(
    context: PlanContext, column: str, name: str | None, plan: pl.DataFrame, cells: pl.DataFrame
) -> list[Cell]:
    texts = cells[column].to_list() if column else [None] * len(cells)
    field = context.record_type.find(name) if name else None
    if field is not None and field.is_number and column:
        texts = in_one_form(field, cells[column])
    if field is None or name is None or FieldColumns(name).action not in plan.columns:
        return [Cell(text) for text in texts]
    columns = FieldColumns(name)
    current, proposed, sent, then = (
        to_text(field, plan[c]).to_list()
        for c in (columns.current, columns.proposed, columns.base_sent, columns.base_app)
    )
    went_out = context.sheet.recognised
    bases = [
        Base(sent_text, held, not went_out or sent_text != held) for sent_text, held in zip(sent, then, strict=True)
    ]
    if field.target:
        proposed = [new if text is None else text for text, new in zip(texts, proposed, strict=True)]
    values = zip(
        texts, current, proposed, bases, plan[columns.action].to_list(), plan[columns.left_blank].to_list(), strict=True
    )
    return [_cell(*line) for line in values]


def _cell(
    text: str | None, current: str | None, proposed: str | None, base: Base, action: int, left_blank: bool
) -> Cell:
    if left_blank:
        return Cell(text, CellState.EMPTIED, current, sent=base.sheet)
    if not action:
        return Cell(text)
    if action != CellAction.HELD:
        return Cell(text, CELL_STATES[action], current, proposed if action != CellAction.BAD else None, base.sheet)
    return Cell(text, CELL_STATES[action], current, proposed, base.application, base.seen_later)
