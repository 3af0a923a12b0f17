"""A lane tried on the whole column, before it is a rule: what each treatment does, and the values before and after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.core.cell_parser import in_long_form, parse
from vexo.core.columns.carried_values import Reading, cell_texts, lane_cells
from vexo.core.columns.lanes import Lane, check_lane
from vexo.core.columns.marks import BLANK_CLEARS, CHANGE, CLEAR, KEEP, LEAVE
from vexo.core.columns.matches import ColumnMatch, MatchedBy
from vexo.core.columns.treatments import steps
from vexo.core.documents import lane_sentence
from vexo.core.documents.bring_in import phrase
from vexo.core.planning.verdicts import CellState
from vexo.core.problems import BETWEEN
from vexo.core.records import Field, Kind
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.overlay.edits import lay_edits
from vexo.core.sheets.shape import column_titles
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import SEPARATOR, to_text

from .. import artifacts
from ..applications.services import asking
from ..errors import PlainError
from ..faults import words
from ..trips.facts.rows import Cell, Row, Window
from ..trips.part_view import PartView
from ..trips.row_windows import MOST_ROWS, window_of
from ..trips.sheet_cells import cells_now, edits_of, edits_over
from ..trips.sheets import newest_sheet
from .lookup_tables import look_ups, tables_of
from .mapped_sheet import MappedSheet, known_catalogue, reading_of

_MOST = 200
"""Different values that a lane is shown on: more nobody reads; those that fail come first."""
_MEANS = {CLEAR: "clear", BLANK_CLEARS: "clear"}


@dataclass(frozen=True, slots=True)
class TriedStep:
    """What one treatment does: its phrase, how many cells it touches, and how many it cannot read."""

    says: str
    touched: int
    bad: int


@dataclass(frozen=True, slots=True)
class TriedValue:
    """A value of the column and what becomes of it: ``says`` where that is not a value (leave, clear, or why it is
    ``bad``)."""

    before: str
    after: str | None
    says: str
    bad: bool
    count: int


@dataclass(frozen=True, slots=True)
class TriedLane:
    """A lane tried on the whole column."""

    says: str
    steps: list[TriedStep]
    values: list[TriedValue]
    different: int
    touched: int
    unreadable: int


def try_lane(view: PartView, name: str, lane: Lane, column: str = "") -> TriedLane:
    """What a lane would do.

    Args:
        column: the column whose cells go in, where the lane says none itself.

    Raises:
        PlainError, LaneError, TreatmentError, UnknownName
    """
    trip = view.trip
    sheet = newest_sheet(view)
    catalogue = known_catalogue(trip.application)
    record_type = catalogue.type(trip.record_type)
    field = record_type.field(name)
    profile = sheet.profile
    headers = list(column_titles(profile.columns).values())
    check_lane(field, lane, headers)
    tables: dict[str, pl.DataFrame] = {}
    if look_ups([lane]):
        with asking(trip.application) as client:
            tables = tables_of({name: lane}, catalogue, client)
    columns = {title: column for column, title in column_titles(profile.columns).items() if title}
    source = columns.get(lane.source, column)
    if source and source not in [one.name for one in profile.columns]:
        raise PlainError("The sheet has no such column. Look at it anew.", "columns")
    match = ColumnMatch(source, "", field, MatchedBy.CHOSEN)
    wanted = [one for one in {source, *[columns[h] for h in lane.headers if h in columns]} if one]
    cells = artifacts.read(cells_now(sheet))
    cells = cells.select([n for n in cells.columns if n.removeprefix("shown.") in wanted or n == ROW_ID])
    reading = reading_of(trip, sheet, tables)
    treated = _different(cells, match, reading, lane, columns, field)
    unread = pl.col("problem").is_not_null()
    differs = pl.col("before").fill_null("") != pl.col("after").fill_null("")
    first = treated.sort(~unread, -pl.col("count").cast(pl.Int64), maintain_order=True).head(_MOST)
    return TriedLane(
        says=lane_sentence(field, lane, lane.source or _header(profile, source)),
        steps=_steps(cells, match, reading, lane, columns),
        values=[_value(line, field) for line in first.iter_rows(named=True)],
        different=len(treated),
        touched=int(treated.filter(~unread & differs)["count"].sum()),
        unreadable=int(treated.filter(unread)["count"].sum()),
    )


def _header(profile: SheetProfile, column: str) -> str:
    return column_titles(profile.columns).get(column, "")


def _steps(
    cells: pl.DataFrame, match: ColumnMatch, reading: Reading, lane: Lane, columns: Mapping[str, str]
) -> list[TriedStep]:
    """How many cells each treatment touches, as far as they are texts of one value."""
    if lane.fixed or not lane.treatments:
        return []
    texts = cell_texts(cells, match, reading)
    others = {header: cells[columns[header]] for header in lane.headers if header in columns}
    return [
        TriedStep(phrase(step.treatment), step.touched, step.bad)
        for step in steps(texts, lane.treatments, others, reading.tables)
    ]


def _different(
    cells: pl.DataFrame, match: ColumnMatch, reading: Reading, lane: Lane, columns: Mapping[str, str], field: Field
) -> pl.DataFrame:
    """The column's different values with what becomes of each: ``before``, ``say``, ``problem``, ``after`` and
    ``count``."""
    texts, marked = lane_cells(cells, match, reading, lane, columns)
    table = pl.DataFrame(
        [texts.alias("before"), marked.texts.alias("text"), marked.say.alias("say"), marked.problems.alias("problem")]
    )
    grouped = table.group_by("before", "text", "say", "problem", maintain_order=True).len("count")
    parsed = parse(field, grouped["text"])
    problems = pl.select(pl.coalesce(grouped["problem"], parsed.problems)).to_series()
    after = grouped["text"] if field.kind == Kind.REFERENCE else to_text(field, parsed.values)
    shown = in_long_form(field, after) if field.kind == Kind.TEXT else after
    return grouped.with_columns(shown.alias("after"), problems.alias("problem"))


def _value(line: Mapping[str, Any], field: Field) -> TriedValue:
    says = ""
    if line["problem"]:
        code, *arguments = line["problem"].split(BETWEEN)
        says = words(code, field.label, arguments)
    elif line["say"] in (LEAVE, KEEP):
        says = "leave"
    elif line["say"] == CLEAR:
        says = "clear"
    elif line["say"] == CHANGE:
        says = "changes the list"
    after = None if line["problem"] else line["after"]
    return TriedValue(line["before"] or "", after, says, bool(line["problem"]), line["count"])


def lane_window(view: PartView, place: tuple[int, int]) -> Window:
    """A window of the newest sheet with its cells as they are and, where a lane changes them, as it makes them. What is
    looked up is shown with the plan.

    Args:
        place: the first row of the window, from 0, and how many rows are wanted.
    """
    offset, limit = place
    mapped = MappedSheet.of(view, newest_sheet(view), known_catalogue(view.trip.application))
    window = artifacts.scan(mapped.sheet.cells).slice(offset, min(limit, MOST_ROWS)).collect()
    cells = lay_edits(window, edits_over(mapped.sheet, edits_of(view.trip)))
    columns = [_treated(cells, match, mapped) for match in mapped.matches]
    numbers = zip(cells[ROW].to_list(), cells[ROW_ID].to_list(), strict=True)
    rows = zip(numbers, zip(*columns, strict=True), strict=True)
    return window_of(mapped.sheet.rows, offset, [Row(row, row_id, list(texts)) for (row, row_id), texts in rows])


def _treated(cells: pl.DataFrame, match: ColumnMatch, mapped: MappedSheet) -> list[Cell]:
    """The cells of one column, with what its lane makes of them."""
    field = match.field
    texts = cells[match.column].to_list() if match.column else [None] * len(cells)
    lane = mapped.lanes.get(field.name) if field else None
    treats = lane is not None and (lane.treatments or lane.fixed or lane.separator != SEPARATOR)
    if field is None or lane is None or not treats or look_ups([lane]):
        return [Cell(text) for text in texts]
    _, marked = lane_cells(cells, match, mapped.reading, lane, mapped.headers)
    parsed = parse(field, marked.texts)
    after = marked.texts if field.kind == Kind.REFERENCE else to_text(field, parsed.values)
    problems = pl.select(pl.coalesce(marked.problems, parsed.problems)).to_series()
    return [_treated_cell(*values) for values in zip(texts, after, marked.say, problems, strict=True)]


def _treated_cell(text: str | None, value: str | None, say: int, problem: str | None) -> Cell:
    if problem:
        return Cell(text, CellState.UNREADABLE)
    if (text or "") == (value or ""):
        return Cell(text)
    return Cell(text, CellState.TREATED, text, value if value is not None else _MEANS.get(say, "leave"))
