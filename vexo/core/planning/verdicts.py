"""The words of a plan, and the sum that accounts for every row."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum

import polars as pl


class Operation(StrEnum):
    """What to do with the rows."""

    CREATE = "create"
    UPDATE = "update"
    UPSERT = "upsert"
    DELETE = "delete"


class Verdict(StrEnum):
    """What will happen to a row before writing."""

    CREATE = "create"
    UPDATE = "update"
    SAME = "same"
    DELETE = "delete"
    HELD = "held"
    REJECTED = "rejected"
    ASIDE = "aside"


WRITTEN = (Verdict.CREATE, Verdict.UPDATE, Verdict.DELETE)
DONE = {Verdict.CREATE: "created", Verdict.UPDATE: "updated", Verdict.DELETE: "deleted"}


class Do:
    """What happens to one cell: nothing, written, held, or not readable."""

    NOTHING, WRITE, HELD, BAD = 0, 1, 2, 3


class Answer(StrEnum):
    """What a person decided about what a row asks."""

    FILE = "file"
    APPLICATION = "application"
    ASIDE = "aside"
    LEAVE_OUT = "leave out"
    THEN = "then"
    NOW = "now"
    RECORD = "record"
    NEW = "new"
    AGAIN = "again"
    CLEAR = "clear"
    LEAVE = "leave"
    GO_ON = "go on"


ANSWERS: Mapping[str, tuple[Answer, ...]] = {
    "both-changed": (Answer.FILE, Answer.APPLICATION),
    "key-edited": (Answer.FILE, Answer.APPLICATION),
    "emptied-many": (Answer.FILE, Answer.APPLICATION),
    "check-differs": (Answer.GO_ON,),
    "emptied": (Answer.CLEAR, Answer.LEAVE),
    "changed-since": (Answer.FILE,),
    "renamed": (Answer.THEN,),
    "swapped": (Answer.THEN, Answer.NOW),
    "unclear": (Answer.RECORD, Answer.NEW),
    "may-be-in": (Answer.NEW,),
    "deleted-before": (Answer.NEW,),
}
"""Answers by fault code, besides setting the row aside; a cell that cannot be read can be left out."""


class SumError(Exception):
    """Rows that are not accounted for: never shown, always a fault of the program."""


def sum_of(verdicts: pl.Series, rows: int) -> dict[str, int]:
    """How many rows have each verdict.

    Raises:
        SumError: where the terms are not the rows read.
    """
    counts = {str(name): int(count) for name, count in verdicts.value_counts().iter_rows()}
    total = {verdict.value: counts.pop(verdict.value, 0) for verdict in Verdict}
    if counts or sum(total.values()) != rows:
        raise SumError(f"{rows} rows were read, {sum(total.values())} have a verdict, others: {counts}")
    return total


AFTER = ("created", "updated", "deleted", "same", "refused", "unclear", "held", "rejected", "aside", "waiting")


def sum_after(states: pl.Series, rows: int) -> dict[str, int]:
    """The sum after a pass: the written terms split into what became of them; ``waiting`` was not sent.

    Raises:
        SumError: where the terms are not the rows read.
    """
    counts = {str(name): int(count) for name, count in states.value_counts().iter_rows()}
    total = {name: counts.pop(name, 0) for name in AFTER}
    if counts or sum(total.values()) != rows:
        raise SumError(f"{rows} rows were read, {sum(total.values())} are accounted for, others: {counts}")
    return total
