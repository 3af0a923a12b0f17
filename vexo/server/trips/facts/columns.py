"""Columns of a trip's sheet, as they are stored and told."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any

from vexo.core.columns.lanes import Blank
from vexo.core.columns.matches import MatchedBy
from vexo.core.records import Kind

from ...shapes import Shape
from .rows import AnswerOption


@dataclass(frozen=True, slots=True)
class ColumnTotals:
    """A column of the sheet in figures; the sum, the least and the greatest value are empty where it is not a column of
    numbers, of which it has ``numbers``."""

    filled: int = 0
    different: int = 0
    numbers: int = 0
    sum: str = ""
    least: str = ""
    greatest: str = ""


@dataclass(frozen=True, slots=True)
class ShownLane:
    """A field's lane as data (``core.columns.lanes``), with what it does in words: ``says`` as one sentence, ``short``
    for the head of a column."""

    says: str
    short: str
    blank: Blank = Blank.LEAVE
    default: str = ""
    updates: bool = False
    only_empty: bool = False
    source: str = ""
    fixed: str = ""
    treatments: Annotated[list[dict[str, Any]], Shape("vexo.server.trips.lane_serializers.treatments_field")] = field(
        default_factory=list
    )
    adds: bool = False
    separator: str = ";"
    check: bool = False
    settled: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Option:
    """An answer to a question about columns: what it changes, header → field and field → lane; ``without``: the trip
    goes on without the columns of its route that the sheet lacks; ``marks``: marks such as [clear] count in it."""

    says: str
    columns: dict[str, str]
    lanes: Annotated[dict[str, dict[str, Any]], Shape("vexo.server.trips.lane_serializers.lanes_field")]
    without: bool = False
    marks: bool = False


@dataclass(frozen=True, slots=True)
class Question:
    """Something asked about a column; ``sure`` where only one answer fits, though nobody has given it."""

    code: str
    says: str
    options: list[Option]
    sure: bool


@dataclass(frozen=True, slots=True)
class SheetColumn:
    """A column of the newest sheet and its field, as they are stored. ``tells``: people know a record by it; ``open``:
    it is asked where it goes; ``conflict``: another column goes into the same field; ``extra``: no column of the file,
    its lane takes a column of its own or a fixed value."""

    column: str
    header: str
    field: str | None
    label: str | None
    kind: Kind | None
    how: MatchedBy
    carried: bool
    check: bool
    open: bool
    conflict: bool
    extra: bool
    tells: bool
    filled: int
    different: int
    totals: ColumnTotals | None
    name_in_conditions: str
    lane: ShownLane | None


@dataclass(frozen=True, slots=True)
class CheckFigures:
    """A check: in how many rows something was compared, and in how many it agrees."""

    compared: int
    agrees: int


@dataclass(frozen=True, slots=True)
class Column(SheetColumn):
    """A column with what is asked about it and what the newest plan does to it.

    Attributes:
        example: a value of the field in the application.
        emptied_answers: answers for all its emptied cells.
        two_way: it did not go out, so it is compared with the application only.
    """

    is_key: bool
    questions: list[Question]
    example: str
    agrees: CheckFigures | None
    changed: int
    held: int
    unreadable: int
    emptied: int
    emptied_answers: list[AnswerOption]
    filled_before: int
    two_way: bool
    before: str | None
    after: str | None
    difference: str | None
