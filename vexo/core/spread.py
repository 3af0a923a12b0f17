"""How the values of a field are spread in the application: what lies far outside of them is asked about."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from .records import Field, Kind
from .values import dtype

_LEAST_SPAN = 366
"""Days that count as the span of days at least, where a field has few of them."""
_BEYOND = 10
"""How many times beyond the least and greatest a value lies far out, where there is no range to go by."""


@dataclass(frozen=True)
class Spread:
    """The values of a field in order, seen at a few places: how many there are, the least, the ones a quarter and three
    quarters of the way up, the greatest. Days are numbers of days since 1970."""

    count: int
    least: float
    first: float
    third: float
    greatest: float

    def fences(self, field: Field, ranges: float, values: int) -> tuple[float, float]:
        """Below and above which a value lies far out.

        Args:
            ranges: how many interquartile ranges it may lie outside of the middle half.
            values: how many values make a range worth going by.
        """
        middle = self.third - self.first
        if self.count >= values and middle > 0:
            return self.first - ranges * middle, self.third + ranges * middle
        if field.kind == Kind.DATE:
            span = max(self.greatest - self.least, _LEAST_SPAN) * _BEYOND
            return self.least - span, self.greatest + span
        size = max(abs(self.least), abs(self.greatest))
        low = self.least / _BEYOND if self.least > 0 else -size * _BEYOND
        high = self.greatest / _BEYOND if self.greatest < 0 else size * _BEYOND
        return (low, high) if size else (-float("inf"), float("inf"))


def has_spread(field: Field) -> bool:
    """Whether values of a field can lie far out: numbers and days can."""
    return (field.is_number or field.kind == Kind.DATE) and not field.read_only and field.path is None


def as_numbers(values: pl.Expr, field: Field) -> pl.Expr:
    """Values of a field in the form in which they are compared with its spread: to a few ranges a float is as good as a
    decimal."""
    return values.cast(pl.Int32).cast(pl.Float64) if field.kind == Kind.DATE else values.cast(pl.Float64)


def from_numbers(numbers: pl.Series, field: Field) -> pl.Series:
    """Such numbers as values of the field."""
    return numbers.cast(pl.Int32).cast(pl.Date) if field.kind == Kind.DATE else numbers.cast(dtype(field))


def ranks(count: int) -> tuple[int, int, int, int]:
    """The places, from 0, at which ``count`` values in order are seen."""
    last = count - 1
    return 0, last // 4, last * 3 // 4, last


def spread_at(values: pl.Series, count: int, field: Field) -> Spread | None:
    """The spread of ``count`` values of which those at ``ranks`` are known, in order; None where fewer came."""
    numbers = values.drop_nulls().to_frame("values").select(as_numbers(pl.col("values"), field)).to_series()
    if len(numbers) != len(ranks(count)):
        return None
    return Spread(count, *(float(number) for number in numbers.sort()))


def spread_of(values: pl.Series, field: Field) -> Spread | None:
    """The spread of typed values; None where there are none."""
    numbers = values.drop_nulls().to_frame("values").select(as_numbers(pl.col("values"), field)).to_series()
    if not len(numbers):
        return None
    places = ranks(len(numbers))
    return Spread(len(numbers), *(float(number) for number in _at(numbers, places)))


def _at(numbers: pl.Series, places: Sequence[int]) -> pl.Series:
    """What stands at some places of numbers once these are in order."""
    # Only what stands at these places is looked for, and not all that lies between them put right.
    last = len(numbers) - 1
    return pl.Series([numbers.quantile(place / last if last else 0, "nearest") for place in places])
