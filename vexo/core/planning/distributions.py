"""How values lie, before and after, as bars of a picture. Counts are exact: numbers are counted by the whole numbers of
their smallest digit, days by the calendar."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal

import polars as pl

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


def number_bars(before: pl.Series, after: pl.Series) -> list[Bar]:
    """Bars of numbers, whole or decimal; nulls are none."""
    scale = before.dtype.scale if isinstance(before.dtype, pl.Decimal) else 0
    was, now = _scaled(before.drop_nulls()), _scaled(after.drop_nulls())
    if not len(was) and not len(now):
        return []
    low, high = _usual(was, now)
    step = _round_step(high - low)
    start, end = low // step, high // step
    counted = _counted(was, step, start, end), _counted(now, step, start, end)

    def text(number: int) -> str:
        return format(Decimal(number * step).scaleb(-scale).normalize() + 0, "f")

    bars = [_bar(text(at), text(at + 1), counted, at) for at in range(start, end + 1)]
    return _with_far(_bar("", text(start), counted, start - 1), bars, _bar(text(end + 1), "", counted, end + 1))


def day_bars(before: pl.Series, after: pl.Series) -> list[Bar]:
    """Bars of days; nulls are none."""
    was, now = before.drop_nulls(), after.drop_nulls()
    if not len(was) and not len(now):
        return []
    low, high = _usual(*(days.cast(pl.Int32).cast(pl.Int128) for days in (was, now)))
    every = next((name for name, most in _DAYS if (high - low) // most < _BARS), _DAYS[-1][0])
    ends = pl.Series([low, high], dtype=pl.Int32).cast(pl.Date).dt.truncate(every)
    edges = pl.date_range(ends[0], ends[1], every, eager=True)
    past = edges.tail(1).dt.offset_by(every)[0]
    counted = tuple(dict(days.dt.truncate(every).value_counts().iter_rows()) for days in (was, now))
    bars = [
        Bar(edge.isoformat(), high_.isoformat(), counted[0].get(edge, 0), counted[1].get(edge, 0))
        for edge, high_ in zip(edges, [*edges[1:], past], strict=True)
    ]
    below = Bar("", edges[0].isoformat(), int((was < edges[0]).sum()), int((now < edges[0]).sum()))
    above = Bar(past.isoformat(), "", int((was >= past).sum()), int((now >= past).sum()))
    return _with_far(below, bars, above)


def _scaled(values: pl.Series) -> pl.Series:
    """Numbers as whole numbers of their smallest digit."""
    return (values.to_physical() if isinstance(values.dtype, pl.Decimal) else values).cast(pl.Int128)


def _round_step(width: int) -> int:
    """The least round step (1, 2 or 5 and zeros) by which the bars are enough."""
    at = 0
    while width // (step := (1, 2, 5)[at % 3] * 10 ** (at // 3)) >= _BARS:
        at += 1
    return int(step)


def _usual(before: pl.Series, after: pl.Series) -> tuple[int, int]:
    """From where to where the values lie that are not far out."""
    both = pl.concat([before, after]).sort()
    last = len(both) - 1
    first, third = int(both[last // 4]), int(both[last * 3 // 4])
    least, greatest, middle = int(both[0]), int(both[last]), third - first
    if not middle:
        return least, greatest
    return max(least, first - _RANGES * middle), min(greatest, third + _RANGES * middle)


def _counted(values: pl.Series, step: int, start: int, end: int) -> dict[int, int]:
    """How many values lie in each step; in one more on either side those beyond."""
    places = (values // step).clip(start - 1, end + 1).cast(pl.Int64) if len(values) else values.cast(pl.Int64)
    return dict(places.value_counts().iter_rows())


def _bar(low: str, high: str, counted: tuple[Mapping[int, int], Mapping[int, int]], at: int) -> Bar:
    return Bar(low, high, counted[0].get(at, 0), counted[1].get(at, 0))


def _with_far(below: Bar, bars: list[Bar], above: Bar) -> list[Bar]:
    """The bars with those for what lies far below and above them, where anything does."""
    low, high = ([replace(bar, far=True)] if bar.before or bar.after else [] for bar in (below, above))
    return [*low, *bars, *high]
