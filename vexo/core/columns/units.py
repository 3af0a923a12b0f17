"""Units of measure: whether a column's numbers fit the application's range, and in which unit they would."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

import polars as pl

from ..records import Field
from ..values import bare

_LENGTHS: Mapping[str, str] = {
    "millimetres": "0.001",
    "centimetres": "0.01",
    "inches": "0.0254",
    "feet": "0.3048",
    "yards": "0.9144",
    "metres": "1",
    "kilometres": "1000",
}
_WEIGHTS: Mapping[str, str] = {"grams": "0.001", "pounds": "0.45359237", "kilograms": "1", "tonnes": "1000"}
_KINDS = (_LENGTHS, _WEIGHTS)
_NAMES: Mapping[str, str] = {
    **dict.fromkeys(("mm", "millimetre", "millimeter", "millimetres", "millimeters"), "millimetres"),
    **dict.fromkeys(("cm", "centimetre", "centimeter", "centimetres", "centimeters"), "centimetres"),
    **dict.fromkeys(("in", "inch", "inches", '"'), "inches"),
    **dict.fromkeys(("ft", "foot", "feet", "'"), "feet"),
    **dict.fromkeys(("yd", "yard", "yards"), "yards"),
    **dict.fromkeys(("m", "metre", "meter", "metres", "meters"), "metres"),
    **dict.fromkeys(("km", "kilometre", "kilometer", "kilometres", "kilometers"), "kilometres"),
    **dict.fromkeys(("g", "gram", "grams"), "grams"),
    **dict.fromkeys(("lb", "lbs", "pound", "pounds"), "pounds"),
    **dict.fromkeys(("kg", "kilo", "kilos", "kilogram", "kilograms"), "kilograms"),
    **dict.fromkeys(("t", "ton", "tons", "tonne", "tonnes"), "tonnes"),
}
_MOST_OUTSIDE = 0.5
"""Share of a column outside what the application holds from which its unit is asked about."""
_ENOUGH_INSIDE = 0.9
"""Share that has to be inside once converted for a unit to be offered."""
_SLACK = 1.5
"""By how much more or less than what the application holds a new value may be."""
_WORDS = ("in", "m", "t", "g", "pound", "pounds")
"""Units that are other words too, where they stand without brackets or a comma."""


@dataclass(frozen=True)
class Unit:
    """A unit in which a column may be: its name, and the factor that makes the field's unit of it."""

    name: str
    factor: str


@dataclass(frozen=True)
class Doubt:
    """A column's unit is not sure: the field's own ``unit``, the others that fit, the likeliest first; the range of the
    application (``least``, ``most``) and that of the column as it stands."""

    unit: str
    others: tuple[Unit, ...]
    least: Decimal
    most: Decimal
    own_least: Decimal
    own_most: Decimal


def unit_in(text: str) -> str | None:
    """The unit that a header or label names: in brackets, behind a comma, or as its last word that is one and
    nothing else."""
    for brackets in (re.findall(r"\(([^)]*)\)|\[([^\]]*)\]", text), re.findall(r",\s*([^,]+)$", text)):
        for part in brackets:
            word = ("".join(part) if isinstance(part, tuple) else part).strip().lower().rstrip(".")
            if word in _NAMES:
                return _NAMES[word]
    words = [word.lower() for word in re.findall(r"[A-Za-z]+", text)]
    return next((_NAMES[word] for word in reversed(words) if word not in _WORDS and word in _NAMES), None)


def _factor(unit: str, field_unit: str) -> str | None:
    """By what a number in one unit is multiplied to be in another."""
    for kind in _KINDS:
        if unit in kind and field_unit in kind:
            return format((Decimal(kind[unit]) / Decimal(kind[field_unit])).quantize(Decimal("1e-12")).normalize(), "f")
    return None


def doubt_unit(
    field: Field, header: str, texts: pl.Series, least: Decimal | None, most: Decimal | None
) -> Doubt | None:
    """Whether a column's unit is to be asked: its header names another unit than the field's label, or most of its
    numbers lie outside the application's range and another unit would bring them into it.

    Args:
        texts: the cells as plain numbers; others are passed over.
        least: the least and greatest value that the application holds now.
    """
    field_unit = unit_in(field.label) or unit_in(field.help)
    named = unit_in(header)
    if field_unit is None or not field.is_number:
        return None
    numbers = bare(texts).cast(pl.Decimal(38, 10), strict=False).drop_nulls()
    if numbers.is_empty():
        return None
    first, last = Decimal(str(numbers.min())), Decimal(str(numbers.max()))
    units = next((kind for kind in _KINDS if field_unit in kind), {})
    fitting: list[Unit] = []
    if named is not None and named != field_unit and (factor := _factor(named, field_unit)):
        fitting.append(Unit(named, factor))
    if least is not None and most is not None and most > 0:
        low, high = least / Decimal(str(_SLACK)), most * Decimal(str(_SLACK))
        outside = _share_outside(numbers, low, high, Decimal(1))
        if outside > _MOST_OUTSIDE:
            for name in units:
                factor = _factor(name, field_unit)
                if factor is None or name in (field_unit, named):
                    continue
                if 1 - _share_outside(numbers, low, high, Decimal(factor)) >= _ENOUGH_INSIDE:
                    fitting.append(Unit(name, factor))
    if not fitting:
        return None
    return Doubt(field_unit, tuple(fitting), least or Decimal(0), most or Decimal(0), first, last)


def _share_outside(numbers: pl.Series, low: Decimal, high: Decimal, factor: Decimal) -> float:
    exact = pl.Decimal(38, 10)
    least, most = (format((bound / factor).quantize(Decimal("1e-10")), "f") for bound in (low, high))
    between = pl.col("n").is_between(pl.lit(least).cast(exact), pl.lit(most).cast(exact))
    inside = numbers.to_frame("n").select(between.mean()).item()
    return 1 - float(inside or 0)
