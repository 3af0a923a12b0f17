"""What a plan does to a field in figures for pictures: how its values lie before and after, and the commonest
changes."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

import polars as pl

from ..records import FREE_DECIMALS, Field, Kind
from ..values import EXACT, SEPARATOR, dtype, to_text
from .distributions import Bar, Counted, day_bars, number_bars
from .frame import VERDICT, FieldColumns
from .verdicts import CellAction, Verdict

_VALUES, _CHANGES = 10, 12
"""Values, and changes, that are shown one by one."""
_BETWEEN = "\x1f"
"""Between the items of a list while it is counted."""


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
    action, current, proposed = (pl.col(name) for name in (columns.action, columns.current, columns.proposed))
    writes = pl.col(VERDICT).is_in([Verdict.CREATE, Verdict.UPDATE]) & (action == CellAction.WRITE)
    after = pl.when(writes).then(proposed).otherwise(current)
    stays = pl.col(VERDICT) != Verdict.DELETE
    before_counts, after_counts, changes, waits = pl.collect_all(
        [
            _counted(plan.lazy(), current, "before", field),
            _counted(plan.lazy().filter(stays), after, "after", field),
            _changed(plan.lazy().filter(writes), columns, field),
            plan.lazy().select((action == CellAction.HELD).sum().alias("held"), (action == CellAction.BAD).sum()),
        ]
    )
    counted = Counted.of_counts(before_counts, after_counts)
    shown = _how(field, len(counted.values))
    values, others = _values(counted, field) if shown in (Shown.VALUES, Shown.LENGTHS) else ([], 0)
    held, unreadable = waits.row(0)
    return Picture(
        field.name,
        shown,
        _figures(counted.values, counted.before, field),
        _figures(counted.values, counted.after, field),
        _bars(counted, shown),
        values,
        others,
        _changes(changes, field),
        len(changes),
        int(held),
        int(unreadable),
    )


def _plain(values: pl.Expr, field: Field) -> pl.Expr:
    """Values in a form by which they can be counted; nothing for an empty list."""
    if field.kind != Kind.CHOICES:
        return values
    return pl.when(values.list.len() > 0).then(values.list.join(_BETWEEN))


def _counted(plan: pl.LazyFrame, values: pl.Expr, name: str, field: Field) -> pl.LazyFrame:
    counted = plan.group_by(_plain(values, field).alias("value")).agg(pl.len().alias(name))
    return counted.filter(pl.col("value").is_not_null())


def _changed(plan: pl.LazyFrame, columns: FieldColumns, field: Field) -> pl.LazyFrame:
    """The different changes with their counts, the commonest first."""
    old, new = (_plain(pl.col(name), field) for name in (columns.current, columns.proposed))
    return (
        plan.group_by(old.alias("old"), new.alias("new"))
        .len()
        .sort("len", "old", "new", descending=[True, False, False])
    )


def _how(field: Field, different: int) -> Shown:
    if field.is_number:
        return Shown.NUMBERS
    if field.kind == Kind.DATE:
        return Shown.DAYS
    return Shown.LENGTHS if field.kind == Kind.TEXT and different > _VALUES else Shown.VALUES


def _figures(values: pl.Series, counts: pl.Series, field: Field) -> Figures:
    filled = int(counts.sum())
    if not field.is_number and field.kind != Kind.DATE:
        return Figures(filled)
    known = values.filter(counts > 0)
    least, greatest = (_text(known.min(), field), _text(known.max(), field)) if len(known) else (None, None)
    return Figures(filled, _sum(values, counts) if field.is_number else None, least, greatest)


def _sum(values: pl.Series, counts: pl.Series) -> str:
    """The sum of values that are there so many times, with all digits."""
    scale = values.dtype.scale if isinstance(values.dtype, pl.Decimal) else 0
    whole = (values.to_physical() if scale else values).cast(pl.Int128)
    total = EXACT.scaleb(Decimal(int((whole * counts.cast(pl.Int128)).sum())), -scale)
    return format(EXACT.normalize(total) if scale == FREE_DECIMALS else total, "f")


def _text(value: object, field: Field) -> str:
    return str(to_text(field, pl.Series([value], dtype=dtype(field)))[0])


def _shown_texts(values: pl.Series, field: Field) -> pl.Series:
    """Counted values as texts."""
    if field.kind == Kind.CHOICES:
        return values.str.replace_all(_BETWEEN, f"{SEPARATOR} ", literal=True).fill_null("")
    return to_text(field, values).fill_null("")


def _changes(changes: pl.DataFrame, field: Field) -> list[Change]:
    top = changes.head(_CHANGES)
    old, new = (_shown_texts(top[name], field) for name in ("old", "new"))
    return [Change(*line) for line in zip(old, new, top["len"], strict=True)]


def _values(counted: Counted, field: Field) -> tuple[list[ValueBar], int]:
    """The commonest values; of lists their items."""
    table = pl.DataFrame([counted.values.alias("value"), counted.before.alias("before"), counted.after.alias("after")])
    if field.kind == Kind.CHOICES:
        table = table.with_columns(pl.col("value").str.split(_BETWEEN)).explode("value").group_by("value").sum()
    ordered = table.sort(pl.max_horizontal("before", "after"), "value", descending=[True, False])
    top = ordered.head(_VALUES)
    texts = top["value"] if field.kind == Kind.CHOICES else _shown_texts(top["value"], field)
    bars = [ValueBar(*line) for line in zip(texts, top["before"], top["after"], strict=True)]
    return bars, len(ordered) - len(top)


def _bars(counted: Counted, shown: Shown) -> list[Bar]:
    if shown == Shown.LENGTHS:
        return number_bars(Counted(counted.values.str.len_chars(), counted.before, counted.after))
    if shown == Shown.NUMBERS:
        return number_bars(counted)
    return day_bars(counted) if shown == Shown.DAYS else []
