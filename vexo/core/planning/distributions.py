"""How values lie, before and after, as bars of a picture. Counts are exact: numbers are counted by the whole numbers of
their smallest digit, days by the calendar."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

import polars as pl

from ..values import EXACT

_BARS = 20
"""Bars of a distribution at most, without those for what lies far out."""
_RANGES = 3
"""Interquartile ranges outside of the middle half from which on values share one bar."""
_DAYS = (("1d", 1), ("1w", 7), ("1mo", 31), ("1q", 92), ("1y", 366), ("10y", 3653), ("100y", 36525))
"""Steps of the calendar, with how many days each has at most."""


@dataclass(frozen=True)
class Bar:
    """Values from ``low`` to below ``high`` (texts, empty where they go on), before and after; ``far``: they lie far
    outside of the others."""

    low: str
    high: str
    before: int
    after: int
    far: bool = False


@dataclass(frozen=True)
class Counted:
    """Different values of a field, with how often each is there before and after."""

    values: pl.Series
    before: pl.Series
    after: pl.Series

    @classmethod
    def of(cls, before: pl.Series, after: pl.Series) -> Counted:
        """Those of two columns; nulls are none."""
        tables = [
            values.alias("value").drop_nulls().value_counts(name=name)
            for values, name in ((before, "before"), (after, "after"))
        ]
        return cls.of_counts(*tables)

    @classmethod
    def of_counts(cls, before: pl.DataFrame, after: pl.DataFrame) -> Counted:
        """Those of two tables: ``value`` without nulls, and its count under ``before`` and ``after``."""
        both = before.join(after, on="value", how="full", coalesce=True)
        counts = (both[name].fill_null(0).cast(pl.Int64) for name in ("before", "after"))
        return cls(both["value"], *counts)


def number_bars(counted: Counted) -> list[Bar]:
    """Bars of numbers, whole or decimal."""
    scale = counted.values.dtype.scale if isinstance(counted.values.dtype, pl.Decimal) else 0
    numbers = _scaled(counted.values)
    if not len(numbers):
        return []
    low, high = _usual(numbers, counted)
    step = _round_step(high - low)
    start, end = low // step, high // step
    heights = _heights((numbers // step).clip(start - 1, end + 1), counted)

    def text(number: int) -> str:
        return format(EXACT.normalize(EXACT.scaleb(Decimal(number * step), -scale)), "f")

    bars = [Bar(text(at), text(at + 1), *heights.get(at, (0, 0))) for at in range(start, end + 1)]
    below = Bar("", text(start), *heights.get(start - 1, (0, 0)))
    return _with_far(below, bars, Bar(text(end + 1), "", *heights.get(end + 1, (0, 0))))


def day_bars(counted: Counted) -> list[Bar]:
    """Bars of days."""
    days = counted.values
    if not len(days):
        return []
    low, high = _usual(days.cast(pl.Int32), counted)
    every = next((name for name, most in _DAYS if (high - low) // most < _BARS), _DAYS[-1][0])
    ends = pl.Series([low, high], dtype=pl.Int32).cast(pl.Date).dt.truncate(every)
    edges = pl.date_range(ends[0], ends[1], every, eager=True)
    past = edges.tail(1).dt.offset_by(every)[0]
    heights = _heights(days.dt.truncate(every), counted)
    bars = [
        Bar(edge.isoformat(), high_.isoformat(), *heights.get(edge, (0, 0)))
        for edge, high_ in zip(edges, [*edges[1:], past], strict=True)
    ]
    below = Bar("", edges[0].isoformat(), *_sums(counted, days < edges[0]))
    return _with_far(below, bars, Bar(past.isoformat(), "", *_sums(counted, days >= past)))


def _heights(places: pl.Series, counted: Counted) -> dict[Any, tuple[int, int]]:
    """Place → how many values lie there before and after."""
    table = pl.DataFrame([places.alias("place"), counted.before.alias("before"), counted.after.alias("after")])
    return {place: (was, now) for place, was, now in table.group_by("place").sum().iter_rows()}


def _sums(counted: Counted, which: pl.Series) -> tuple[int, int]:
    return int(counted.before.filter(which).sum()), int(counted.after.filter(which).sum())


def _scaled(values: pl.Series) -> pl.Series:
    """Numbers as whole numbers of their smallest digit."""
    return (values.to_physical() if isinstance(values.dtype, pl.Decimal) else values).cast(pl.Int128)


def _round_step(width: int) -> int:
    """The least round step (1, 2 or 5 and zeros) by which the bars are enough."""
    at = 0
    while width // (step := (1, 2, 5)[at % 3] * 10 ** (at // 3)) >= _BARS:
        at += 1
    return int(step)


def _usual(numbers: pl.Series, counted: Counted) -> tuple[int, int]:
    """From where to where the values lie that are not far out, before and after together."""
    order = numbers.arg_sort()
    numbers, counts = numbers.gather(order), (counted.before + counted.after).gather(order)
    until = counts.cum_sum()
    last = int(until[-1]) - 1
    first, third = (int(numbers[int(until.search_sorted(place + 1))]) for place in (last // 4, last * 3 // 4))
    least, greatest, middle = int(numbers[0]), int(numbers[-1]), third - first
    if not middle:
        return least, greatest
    return max(least, first - _RANGES * middle), min(greatest, third + _RANGES * middle)


def _with_far(below: Bar, bars: list[Bar], above: Bar) -> list[Bar]:
    """The bars with those for what lies far below and above them, where anything does."""
    low, high = ([replace(bar, far=True)] if bar.before or bar.after else [] for bar in (below, above))
    return [*low, *bars, *high]
