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


class Do:
    """What happens to one cell: nothing, written, held, or not readable."""

    NOTHING, WRITE, HELD, BAD = 0, 1, 2, 3


class Answer(StrEnum):
    """What a person decided for a row."""

    FILE = "file"
    APPLICATION = "application"
    ASIDE = "aside"
    LEAVE_OUT = "leave out"


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


def sum_after(verdicts: Mapping[str, int], outcomes: Mapping[str, int], waiting: int) -> dict[str, int]:
    """The sum after passes: the written terms split into what became of them."""
    kept = ("same", "held", "rejected", "aside")
    split = {name: outcomes.get(name, 0) for name in ("created", "updated", "deleted", "refused", "unclear")}
    return {**split, **{name: verdicts[name] for name in kept}, "waiting": waiting}
