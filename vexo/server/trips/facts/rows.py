"""Rows of a trip as they are told: what is wrong with them, and the answers to it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated

from vexo.core.planning.verdicts import Answer, CellState, RowState, Verdict

from ...shapes import OneOf


@dataclass(frozen=True, slots=True)
class AnswerOption:
    """An answer to what a plan asks, in words; ``needs_record`` where a person has to say a record ID as its argument,
    ``needs_value`` where a value, ``argument`` where that is known."""

    answer: Answer
    says: str
    needs_record: bool = False
    argument: str = ""
    needs_value: bool = False


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong with a row or one of its cells, in words, with the answers to it; ``field`` is a name, or empty."""

    code: Annotated[str, OneOf("vexo.core.faults.ALL_CODES")]
    field: str
    says: str
    answers: list[AnswerOption]


@dataclass(frozen=True, slots=True)
class FaultGroup:
    """Rows with one fault: how many, the row number of the first, the words, and the answers for all of them; whether
    it is about which record each row is; of rows that were refused, in what ``message`` of the application (null where
    the fault is Vexo's own, before anything was sent), and how many of them were set ``aside`` together since."""

    state: RowState
    code: Annotated[str, OneOf("vexo.core.faults.ALL_CODES")]
    field: str
    says: str
    count: int
    first: int
    answers: list[AnswerOption]
    about_key: bool = False
    message: str | None = None
    aside: int = 0


@dataclass(frozen=True, slots=True)
class Cell:
    """A cell of a sheet.

    Attributes:
        text: as the sheet has it, with the edits that counted.
        action: what happens to it, where anything does.
        current: the value of its field in the application.
        proposed: the value that goes in.
        sent: the value that went out; or, with ``seen_later``, what the application held when a pass wrote the row, or
            when it was reviewed for one that did not.
        edited: a person edited it in Vexo.
        file_text: what it was in the file, where it was edited.
        edited_since: it was edited after a pass.
        text_now: what it is then.
        characters: how many the longest of these has, where they are too long for a cell and shown in part; else 0.
    """

    text: str | None
    action: CellState | None = None
    current: str | None = None
    proposed: str | None = None
    sent: str | None = None
    seen_later: bool = False
    edited: bool = False
    file_text: str | None = None
    edited_since: bool = False
    text_now: str | None = None
    characters: int = 0


@dataclass(frozen=True, slots=True)
class Row:
    """A row of a sheet, by its number in the sheet (``row``) and in the trip (``row_id``). Without a plan it has cells
    only. ``reason`` is the sentence of its first fault; ``refused_with`` the application's own code for a refusal;
    ``answers`` are those that are for the row as a whole; ``pointed`` tells how many others point to its record, where
    it is or may be deleted or renamed."""

    row: int
    row_id: int
    cells: list[Cell]
    state: RowState | None = None
    verdict: Verdict | None = None
    reason: str | None = None
    refused_with: str | None = None
    faults: list[Fault] = field(default_factory=list)
    answers: list[AnswerOption] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    identifier: str | None = None
    left_out: bool = False
    pointed: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Window:
    """Some rows of those that are wanted, of which there are ``total``, from the place ``offset`` on."""

    total: int
    offset: int
    rows: list[Row]
