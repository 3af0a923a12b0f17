"""What a plan does to a field in figures for pictures: how its values lie before and after, and the commonest
changes."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import polars as pl

from ..records import Field, Kind
from ..values import is_empty, to_text
from .distributions import Bar, day_bars, number_bars
from .frame import VERDICT, FieldColumns
from .verdicts import CellAction, Verdict

_VALUES, _CHANGES = 10, 12
"""Values, and changes, that are shown one by one."""


class Shown(StrEnum):
    """How the values of a field are shown."""

    NUMBERS = "numbers"
    DAYS = "days"
    VALUES = "values"
    LENGTHS = "lengths"


@dataclass(frozen=True)
class ValueBar:
    """One value (empty for none), before and after."""

    value: str
    before: int
    after: int


@dataclass(frozen=True)
class Figures:
    """Values of a field as a whole: how many, their sum where they are numbers, the least and the greatest."""

    filled: int
    sum: str | None = None
    least: str | None = None
    greatest: str | None = None


@dataclass(frozen=True)
class Change:
    """A change that ``count`` rows make; empty texts for an empty field."""

    old: str
    new: str
    count: int


@dataclass(frozen=True)
class Picture:
    """A field before and after.

    Attributes:
        bars: its distribution, of numbers, days and lengths of texts.
        values: its commonest values; ``other_values`` are not shown.
        changes: the commonest changes, of ``different_changes`` in all.
        held: cells that wait, and ``unreadable`` those that cannot be read.
    """

    field: str
    shown: Shown
    before: Figures
    after: Figures
    bars: list[Bar]
    values: list[ValueBar]
    other_values: int
    changes: list[Change]
    different_changes: int
    held: int
    unreadable: int


def columns_of_picture(name: str) -> list[str]:
    """The columns of a plan that a picture is made of."""
    columns = FieldColumns(name)
    return [VERDICT, columns.action, columns.current, columns.proposed]


def picture_of(plan: pl.DataFrame, field: Field) -> Picture:
    """The picture of a field of which a plan has ``columns_of_picture``."""
    columns = FieldColumns(field.name)
    going = plan[VERDICT].is_in([Verdict.CREATE, Verdict.UPDATE])
    writes = going & (plan[columns.action] == CellAction.WRITE)
    before = plan[columns.current].alias("before")
    written = pl.select(pl.when(writes).then(plan[columns.proposed]).otherwise(before).alias("after")).to_series()
    after = written.filter(plan[VERDICT] != Verdict.DELETE)
    shown = _how(field, before, after)
    changes = plan.filter(writes).select(pl.col(columns.current).alias("old"), pl.col(columns.proposed).alias("new"))
    listed, different = _changes(changes, field)
    values, others = _values(before, after, field) if shown in (Shown.VALUES, Shown.LENGTHS) else ([], 0)
    return Picture(
        field.name,
        shown,
        _figures(before, field),
        _figures(after, field),
        _bars(before, after, shown),
        values,
        others,
        listed,
        different,
        int((plan[columns.action] == CellAction.HELD).sum()),
        int((plan[columns.action] == CellAction.BAD).sum()),
    )


def _how(field: Field, before: pl.Series, after: pl.Series) -> Shown:
    if field.is_number:
        return Shown.NUMBERS
    if field.kind == Kind.DATE:
        return Shown.DAYS
    if field.kind == Kind.TEXT and max(before.n_unique(), after.n_unique()) > _VALUES + 1:
        return Shown.LENGTHS
    return Shown.VALUES


def _figures(values: pl.Series, field: Field) -> Figures:
    frame = values.alias("v").to_frame()
    filled = int(frame.select((~is_empty("v", field)).sum()).item())
    if not field.is_number and field.kind != Kind.DATE:
        return Figures(filled)
    known = values.drop_nulls()
    ends = [to_text(field, pl.Series([known.min(), known.max()], dtype=known.dtype))] if len(known) else []
    least, greatest = (ends[0][0], ends[0][1]) if ends else (None, None)
    return Figures(filled, str(known.sum() or 0) if field.is_number else None, least, greatest)


def _changes(changes: pl.DataFrame, field: Field) -> tuple[list[Change], int]:
    if changes.is_empty():
        return [], 0
    counted = (
        changes.group_by("old", "new", maintain_order=True).len().sort("len", descending=True, maintain_order=True)
    )
    top = counted.head(_CHANGES)
    old, new = (to_text(field, top[name]).fill_null("") for name in ("old", "new"))
    return [Change(*line) for line in zip(old, new, top["len"], strict=True)], len(counted)


def _texts(values: pl.Series, field: Field) -> pl.Series:
    """Values as texts, an item a line where a cell has several; without empty ones."""
    values = values.drop_nulls()
    if field.kind == Kind.CHOICES:
        return values.explode().drop_nulls()
    different = values.unique(maintain_order=True)
    table = pl.DataFrame([different.alias("value"), to_text(field, different).alias("text")])
    return values.alias("value").to_frame().join(table, on="value", how="left", maintain_order="left")["text"]


def _values(before: pl.Series, after: pl.Series, field: Field) -> tuple[list[ValueBar], int]:
    was, now = (_texts(values, field).alias("value") for values in (before, after))
    both = was.value_counts(name="before").join(now.value_counts(name="after"), on="value", how="full", coalesce=True)
    ordered = both.fill_null(0).sort(pl.max_horizontal("before", "after"), "value", descending=[True, False])
    top = ordered.head(_VALUES)
    bars = [ValueBar(*line) for line in top.select("value", "before", "after").iter_rows()]
    return bars, len(ordered) - len(top)


def _bars(before: pl.Series, after: pl.Series, shown: Shown) -> list[Bar]:
    if shown == Shown.LENGTHS:
        return number_bars(before.str.len_chars(), after.str.len_chars())
    if shown == Shown.NUMBERS:
        return number_bars(before, after)
    return day_bars(before, after) if shown == Shown.DAYS else []
