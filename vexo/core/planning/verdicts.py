"""The words of a plan and of its outcome, and the sum that accounts for every row."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum
from typing import TYPE_CHECKING

from ..faults import CELL_CODES, CODES, OUTCOME_CODES, Does

if TYPE_CHECKING:
    import polars as pl


class Verdict(StrEnum):
    """What will happen to a row before writing."""

    CREATE = "create"
    UPDATE = "update"
    SAME = "same"
    DELETE = "delete"
    HELD = "held"
    REJECTED = "rejected"
    ASIDE = "aside"


class RowState(StrEnum):
    """What will happen to a row, or what became of it: a verdict, or the outcome of a pass."""

    CREATE = "create"
    UPDATE = "update"
    SAME = "same"
    DELETE = "delete"
    HELD = "held"
    REJECTED = "rejected"
    ASIDE = "aside"
    CREATED = "created"
    UPDATED = "updated"
    DELETED = "deleted"
    REFUSED = "refused"
    UNCLEAR = "unclear"
    WAITING = "waiting"


DONE = {
    Verdict.CREATE: RowState.CREATED,
    Verdict.UPDATE: RowState.UPDATED,
    Verdict.DELETE: RowState.DELETED,
}
"""What a row that is written becomes."""
WRITTEN = tuple(DONE)
"""Verdicts of rows that are written."""
LANDED = tuple(DONE.values())
"""States of rows that were written."""
PRESENT = (RowState.CREATED, RowState.UPDATED)
"""States of rows whose record was written and is there."""
NOT_IN = (RowState.REFUSED, RowState.UNCLEAR, RowState.HELD, RowState.REJECTED, RowState.WAITING)
"""States of rows, after a pass, that a person may still bring in."""


class AbsentVerdict(StrEnum):
    """What becomes of a record that the sheet does not have."""

    DELETE = "delete"
    HELD = "held"
    KEPT = "kept"


class AbsentWhy(StrEnum):
    """Why such a record is not deleted, or by what."""

    NOT_SENT = "not-sent"
    """No copy was kept when the sheet went out: it is not known that the sheet ever had it."""
    MADE_SINCE = "made-since"
    """It did not go out with the sheet."""
    CHANGED = "changed"
    """It was changed since it went out."""
    POINTED = "pointed"
    """It is to be taken back, and others point to it since."""
    MAY_BE_MEANT = "may-be-meant"
    """A row that waits, or was set aside, may be about it."""
    ROW_UNKNOWN = "row-unknown"
    """A row that waits has no key that can be read, and may be about any record."""
    OTHER_PART = "other-part"
    """It went out in another part of the trip."""
    PARTS_OUT = "parts-out"
    """Parts of the trip are not back yet."""
    NOT_ALLOWED = "not-allowed"
    """The application's rules have switched deleting off."""
    ANSWERED = "answered"
    """A person said so."""


ABSENT_CODE = "absent"
"""The question about a record that the sheet does not have, and whose deletion is held."""

ELSEWHERE_CODE = "changed-elsewhere"
"""What is said of rows that nobody edited, and whose records the application changed since."""


class CellAction:
    """What happens to one cell, as a plan's table holds it: nothing, written, held, or not readable."""

    NOTHING, WRITE, HELD, BAD = 0, 1, 2, 3


class CellState(StrEnum):
    """What happens to one cell, in a word. Emptied ones are left; treated ones are as their lane makes them."""

    WRITE = "write"
    HELD = "held"
    UNREADABLE = "unreadable"
    EMPTIED = "emptied"
    TREATED = "treated"


CELL_STATES = {
    CellAction.WRITE: CellState.WRITE,
    CellAction.HELD: CellState.HELD,
    CellAction.BAD: CellState.UNREADABLE,
}
"""The words of what happens to a cell, of those to which anything does."""


class Answer(StrEnum):
    """What a person decided about what a row asks."""

    FILE = "file"
    APPLICATION = "application"
    MERGE = "merge"
    ASIDE = "aside"
    LEAVE_OUT = "leave out"
    THEN = "then"
    NOW = "now"
    RECORD = "record"
    NEAREST = "nearest"
    COUNTS = "counts"
    NEW = "new"
    AGAIN = "again"
    CLEAR = "clear"
    LEAVE = "leave"
    GO_ON = "go on"
    DELETE = "delete"
    KEEP = "keep"
    THROUGH = "through"


_ANSWERS: Mapping[str, tuple[Answer, ...]] = {
    "both-changed": (Answer.FILE, Answer.APPLICATION, Answer.MERGE),
    "key-edited": (Answer.FILE, Answer.APPLICATION),
    "emptied-many": (Answer.FILE, Answer.APPLICATION),
    "lost-point": (Answer.FILE, Answer.APPLICATION),
    "far-out": (Answer.FILE, Answer.APPLICATION),
    "duplicate-row": (Answer.FILE,),
    "duplicate": (Answer.FILE,),
    "key-circle": (Answer.THROUGH,),
    "check-differs": (Answer.GO_ON,),
    "column-asked": (Answer.LEAVE_OUT,),
    "damaged": (Answer.FILE,),
    "depends": (Answer.LEAVE_OUT,),
    "depends-circle": (Answer.LEAVE_OUT,),
    "emptied": (Answer.CLEAR, Answer.LEAVE),
    "changed-since": (Answer.FILE,),
    "pointed": (Answer.FILE,),
    "renamed": (Answer.THEN,),
    "swapped": (Answer.THEN, Answer.NOW),
    "unclear": (Answer.RECORD, Answer.NEW),
    "near-key": (Answer.NEAREST, Answer.NEW, Answer.RECORD),
    "not-found": (Answer.NEAREST, Answer.RECORD),
    "several": (Answer.RECORD,),
    "like-record": (Answer.RECORD, Answer.NEW),
    "like-row": (Answer.NEW,),
    "copied": (Answer.NEW, Answer.THEN),
    "shared": (Answer.COUNTS,),
    "gone": (Answer.NEW,),
    "identifier-differs": (Answer.THEN, Answer.NOW),
    "identifier-without-key": (Answer.THEN, Answer.NEW),
    "may-be-in": (Answer.NEW,),
    "deleted-before": (Answer.NEW,),
    ABSENT_CODE: (Answer.DELETE, Answer.KEEP),
    **dict.fromkeys(CELL_CODES, (Answer.LEAVE_OUT,)),
}
STOPPING = (RowState.HELD, RowState.REJECTED)
"""States of rows that wait for a person."""


GOING = (RowState.CREATE, RowState.UPDATE, RowState.SAME, RowState.DELETE)
"""States, before a pass, of rows that nothing stops."""


def answers_to(code: str) -> tuple[Answer, ...]:
    """The answers to a fault, besides those that are for its row as a whole."""
    return _ANSWERS.get(code, ())


def answered_by(answer: Answer) -> list[str]:
    """The codes of the faults that an answer answers."""
    return [code for code, answers in _ANSWERS.items() if answer in answers]


def answers_for_row(state: RowState, codes: Iterable[str]) -> tuple[Answer, ...]:
    """The answers that are for a row as a whole: set it aside, or take it up again where that was done by hand."""
    if "set-aside" in codes:
        return (Answer.AGAIN,)
    return () if state == RowState.ASIDE or state in LANDED else (Answer.ASIDE,)


def answers_for_group(code: str) -> tuple[Answer, ...]:
    """The answers that can be given at once for all rows with a fault."""
    if code in OUTCOME_CODES:
        return (Answer.ASIDE,)
    alike = tuple(answer for answer in answers_to(code) if answer not in (Answer.RECORD, Answer.COUNTS, Answer.THROUGH))
    return (*alike, Answer.ASIDE) if CODES.get(code) in (Does.REJECTS, Does.HOLDS) else alike


class SumError(Exception):
    """Rows that are not accounted for: never shown, always a fault of the program."""


def sum_of(verdicts: pl.Series, rows: int) -> dict[str, int]:
    """How many rows have each verdict.

    Raises:
        SumError: where the terms are not the rows read.
    """
    return _sum(verdicts, rows, Verdict)


_AFTER = (
    *LANDED,
    RowState.SAME,
    RowState.REFUSED,
    RowState.UNCLEAR,
    RowState.HELD,
    RowState.REJECTED,
    RowState.ASIDE,
    RowState.WAITING,
)
"""The terms of the sum after a pass, in their order."""


def sum_after(states: pl.Series, rows: int) -> dict[str, int]:
    """The sum after a pass: the written terms split into what became of them; ``waiting`` was not sent.

    Raises:
        SumError: where the terms are not the rows read.
    """
    return _sum(states, rows, _AFTER)


def in_order(counts: Mapping[str, int]) -> dict[str, int]:
    """The terms of a sum, before or after a pass, as sums name them."""
    terms = (RowState.CREATE, RowState.UPDATE, RowState.DELETE, *_AFTER)
    return {term.value: counts[term.value] for term in terms if term.value in counts}


def _sum(states: pl.Series, rows: int, terms: Iterable[Verdict | RowState]) -> dict[str, int]:
    counts = {str(name): int(count) for name, count in states.value_counts().iter_rows()}
    total = {term.value: counts.pop(term.value, 0) for term in terms}
    if counts or sum(total.values()) != rows:
        raise SumError(f"{rows} rows were read, {sum(total.values())} are accounted for, others: {counts}")
    return total
