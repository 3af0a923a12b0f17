"""Decisions as they are told, and the story of one row."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, Any

from vexo.core.planning.verdicts import Answer

from ...shapes import Serialized
from .sums import Sum


@dataclass(frozen=True, slots=True)
class DecisionFact:
    """An answer that people gave, and what became of it.

    Attributes:
        says: the answer in words, and ``asked`` what it answered; of a field, where it is about one (``label``).
        argument: the record or value that it names.
        count: rows (or records, ``of_records``) that it is for; ``numbers`` the first of these rows in the sheet.
        states: its rows by what will become, or became, of them.
        again: how many of them are asked the same anew, since what was seen has changed.
        newer: of how many of them a later decision says something else.
        mine: the person who looks at it made it.
    """

    id: int
    answer: Answer
    says: str
    asked: str
    field: str
    label: str
    argument: str
    count: int
    of_records: bool
    numbers: list[int]
    states: Sum
    again: int
    newer: int
    by: Annotated[Any, Serialized("vexo.server.who.WhoSerializer")]
    at: datetime
    mine: bool


@dataclass(frozen=True, slots=True)
class RowStory:
    """One row in sentences: which record it is and by what, what it was compared with, why it has its verdict; and what
    people decided about it."""

    says: list[str] = field(default_factory=list)
    decisions: list[DecisionFact] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class OfferedDecision:
    """A decision of another trip that can be made again: for so many rows what was seen is the same."""

    id: int
    says: str
    count: int


@dataclass(frozen=True, slots=True)
class Moved:
    """A trip that was moved beside the one that it comes from: rows of which both plans say the same (``alike``), those
    of which they do not, and the decisions made there that can be made again.

    ``more``: rows that would write a cell here of which there was nothing to write there: what nobody edited since the
    sheet went out there, and this application has otherwise."""

    trip: int
    title: str
    application: str
    alike: int
    differs: int
    more: int
    offers: list[OfferedDecision] = field(default_factory=list)
