"""Rows that refer to a record which another row of the sheet is to make: they go after it, and wait where it does not
go. Rules: ``semantics.md`` 7.7.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import polars as pl

from ..keys.claims import in_circles, in_order
from ..new_records import is_new, row_id_of
from ..problems import Case
from ..records import IDENTIFIER
from ..sheets.sheet import ROW, ROW_ID
from .decisions import answered, counting, find_faults
from .frame import VERDICT, FieldColumns
from .held_rows import held_with
from .verdicts import CellAction, Verdict

_WAITS, _CIRCLE = "depends", "depends-circle"
_GOING = (Verdict.CREATE, Verdict.UPDATE, Verdict.SAME)
Edge = tuple[int, str]
"""A row, and the field in which it refers to the record of another."""


def with_records_of_rows(frame: pl.DataFrame, fields: Iterable[str]) -> pl.DataFrame:
    """Rows whose references to other rows are to the records which those are about, where they are about any.

    Args:
        frame: rows with ``@id`` and the carried values of ``fields``, references to records of the same type.
    """
    for name in fields:
        column = FieldColumns(name).value
        if column not in frame.columns or not frame.select(is_new(pl.col(column)).any()).item():
            continue
        known = frame.select(pl.col(ROW_ID).alias("row"), pl.col(IDENTIFIER).alias("record"))
        wanted = frame.select(row_id_of(pl.col(column)).alias("row"))
        records = wanted.join(known, on="row", how="left", maintain_order="left")["record"]
        frame = frame.with_columns(pl.coalesce(records, pl.col(column)).alias(column))
    return frame


@dataclass(frozen=True)
class _References:
    """Which rows refer to which others, and which of these stop."""

    edges: Mapping[Edge, int]
    stopped: frozenset[int]

    def without(self, cut: Iterable[Edge]) -> _References:
        """As it is where these cells are left out."""
        cut = set(cut)
        return _References({edge: row for edge, row in self.edges.items() if edge not in cut}, self.stopped)

    @property
    def waits_for(self) -> dict[int, set[int]]:
        """Row → the rows whose records it refers to."""
        waits: dict[int, set[int]] = defaultdict(set)
        for (row, _), other in self.edges.items():
            waits[row].add(other)
        return waits

    def circles(self) -> dict[Edge, list[int]]:
        """Each reference that is part of a circle, with all rows of it."""
        group_of = {row: group for group in in_circles(self.waits_for) for row in group}
        self_edges = {edge: [row] for edge, row in self.edges.items() if edge[0] == row}
        shared = {
            edge: group_of[edge[0]]
            for edge, row in self.edges.items()
            if edge[0] in group_of and row in group_of[edge[0]]
        }
        return {**shared, **self_edges}


def hold_dependents(
    plan: pl.DataFrame, questions: pl.DataFrame, decisions: pl.DataFrame, fields: Sequence[str]
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """A plan, and what it asks, with the rows held whose reference is to a record that is not going to be made, or that
    refer to one another in a circle; cells that a person leaves out are not written.

    Args:
        plan: all rows of a plan (see ``frame``).
        fields: carried references to records of the same type.
    """
    references = _references(plan, fields)
    if not references.edges:
        return plan, questions
    counts = counting(decisions)
    numbers = dict(plan.select(ROW_ID, ROW).iter_rows())
    circles = references.circles()
    in_circle = _faults(_CIRCLE, {edge: _listed(rows, numbers) for edge, rows in circles.items()})
    open_circles, left_out = answered(in_circle, counts)
    cut = _edges(left_out)
    references = references.without(cut)
    still = _edges(open_circles).intersection(references.circles())
    open_circles = _only(open_circles, still)
    waiting, cut_too = _waiting(references, {row for row, _ in still}, numbers, counts)
    open_ = pl.concat([open_circles, waiting])
    plan = _left_out(plan, cut | cut_too)
    return held_with(plan, open_), pl.concat([questions, open_.select(ROW_ID, "code", "field", "digest")])


def _references(plan: pl.DataFrame, fields: Sequence[str]) -> _References:
    edges: dict[Edge, int] = {}
    for name in fields:
        columns = FieldColumns(name)
        if columns.action not in plan.columns:
            continue
        refers = (pl.col(columns.action) == CellAction.WRITE) & is_new(pl.col(columns.proposed))
        lines = plan.lazy().filter(refers).select(ROW_ID, row_id_of(pl.col(columns.proposed))).collect()
        edges |= {(row, name): other for row, other in lines.iter_rows()}
    if not edges:
        return _References({}, frozenset())
    stopped = plan[ROW_ID].filter(~plan[VERDICT].is_in(list(_GOING)))
    makes = set(plan[ROW_ID].filter(plan[VERDICT] == Verdict.CREATE))
    return _References(edges, frozenset({*stopped, *(row for row in edges.values() if row not in makes)}))


def _waiting(
    references: _References, in_circle: set[int], numbers: Mapping[int, int], decisions: pl.DataFrame
) -> tuple[pl.DataFrame, set[Edge]]:
    """The faults of rows that wait for one that does not go, and the cells of such that are left out; each row after
    those that it refers to, since an answer about one of these may set it free."""
    by_row: dict[int, list[tuple[str, int]]] = defaultdict(list)
    for (row, name), other in references.edges.items():
        if row not in in_circle:
            by_row[row].append((name, other))
    questions = _faults(
        _WAITS,
        {(row, name): str(numbers.get(other, "")) for row, of_row in by_row.items() for name, other in of_row},
    )
    _, answers = answered(questions, decisions)
    left_out = _edges(answers)
    stopped = {*references.stopped, *in_circle}
    waiting: set[Edge] = set()
    cut: set[Edge] = set()
    rows = {*by_row, *(other for of_row in by_row.values() for _, other in of_row)}
    for row in in_order(rows, references.waits_for):
        lost = {(row, name) for name, other in by_row.get(row, ()) if other in stopped}
        cut |= lost & left_out
        if lost - left_out:
            waiting |= lost - left_out
            stopped.add(row)
    return _only(questions, waiting), cut


def _listed(rows: Iterable[int], numbers: Mapping[int, int]) -> str:
    return ", ".join(str(number) for number in sorted(numbers[row] for row in rows))


def _faults(code: str, says: Mapping[Edge, str]) -> pl.DataFrame:
    """A fault for each of these cells, which names other rows."""
    lines = [(row, name, text) for (row, name), text in says.items()]
    table = pl.DataFrame(lines, schema={ROW_ID: pl.UInt32, "at": pl.String, "rows": pl.String}, orient="row")
    names = sorted(set(table["at"]))
    cases = [Case(code, pl.col("at") == name, name, (pl.col("rows"),), (pl.col("rows"),)) for name in names]
    return find_faults(table, cases)


def _edges(lines: pl.DataFrame) -> set[Edge]:
    return {(row, str(name)) for row, name in lines.select(ROW_ID, "field").iter_rows()}


def _only(faults: pl.DataFrame, edges: set[Edge]) -> pl.DataFrame:
    wanted = pl.DataFrame(sorted(edges), schema={ROW_ID: pl.UInt32, "field": pl.String}, orient="row")
    return faults.join(wanted, on=[ROW_ID, "field"], how="semi", maintain_order="left")


def _left_out(plan: pl.DataFrame, cells: set[Edge]) -> pl.DataFrame:
    """The plan without these cells; a row to be updated that writes nothing else is the same."""
    if not cells:
        return plan
    for name in sorted({name for _, name in cells}):
        action = FieldColumns(name).action
        rows = pl.Series([row for row, other in sorted(cells) if other == name], dtype=pl.UInt32)
        out = pl.col(ROW_ID).is_in(rows.implode())
        left = pl.lit(CellAction.NOTHING, plan.schema[action])
        plan = plan.with_columns(pl.when(out).then(left).otherwise(action).alias(action))
    actions = [name for name in plan.columns if name.startswith(FieldColumns("").action)]
    writes = pl.any_horizontal([pl.col(name) == CellAction.WRITE for name in actions])
    rows = pl.Series(sorted({row for row, _ in cells}), dtype=pl.UInt32)
    nothing = pl.col(ROW_ID).is_in(rows.implode()) & (pl.col(VERDICT) == Verdict.UPDATE) & ~writes
    return plan.with_columns(pl.when(nothing).then(pl.lit(Verdict.SAME.value)).otherwise(VERDICT).alias(VERDICT))
