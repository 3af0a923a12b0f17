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
