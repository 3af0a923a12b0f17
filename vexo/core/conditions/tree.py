"""The tree of a condition. Each value has been read as its field's type."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..records import Field


@dataclass(frozen=True)
class All:
    """All parts hold."""

    parts: tuple[Condition, ...]


@dataclass(frozen=True)
class AnyOf:
    """At least one part holds."""

    parts: tuple[Condition, ...]


@dataclass(frozen=True)
class Not:
    """The part does not hold."""

    part: Condition


@dataclass(frozen=True)
class Days:
    """A day counted from today, or a moment counted from now: ``count`` days later, before it where negative."""

    count: int


@dataclass(frozen=True)
class Compare:
    """``operator`` is eq, ne, gt, ge, lt or le; a ``value`` of None is the empty field, and days and moments may be
    compared with Days."""

    field: Field
    operator: str
    value: Any


@dataclass(frozen=True)
class OneOf:
    """The field has one of the values."""

    field: Field
    values: tuple[Any, ...]


@dataclass(frozen=True)
class Holds:
    """``function`` is contains, startswith or endswith; ``folded`` ignores capitals."""

    field: Field
    function: str
    text: str
    folded: bool


@dataclass(frozen=True)
class Includes:
    """A many-valued field has this item."""

    field: Field
    item: str


@dataclass(frozen=True)
class Matches:
    """A text that a regular expression finds something in."""

    field: Field
    pattern: str


@dataclass(frozen=True)
class Below:
    """The record is somewhere below another in the tree that a reference to its own type makes."""

    field: Field
    above: str


Condition = All | AnyOf | Not | Compare | OneOf | Holds | Includes | Matches | Below


def fields_of(condition: Condition) -> list[Field]:
    """The fields that a condition asks about, each time that it does."""
    match condition:
        case All(parts) | AnyOf(parts):
            return [field for part in parts for field in fields_of(part)]
        case Not(part):
            return fields_of(part)
        case _:
            return [condition.field]
