"""Tree → ``$filter`` text: for an application, in its own names; or for people, in those of the catalogue."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from ..records import Field, Kind, RecordType
from ..values import to_python
from .tree import All, AnyOf, Below, Compare, Condition, Days, Holds, Includes, Matches, Not, OneOf

Names = Callable[[Field], str]


def path_of(field: Field) -> str:
    """The field as the application's interface names it, by navigation where it belongs to another record."""
    return "/".join(field.way) if field.way else field.name


def literal(field: Field, value: Any) -> str:
    """A value as it is written in a condition."""
    if value is None:
        return "null"
    if isinstance(value, Days):
        return _days(field, value)
    if field.kind == Kind.YES_NO:
        return "true" if value else "false"
    text = str(to_python(field, value))
    plain = field.kind in (Kind.DECIMAL, Kind.WHOLE, Kind.DATE, Kind.MOMENT) or not field.quoted
    return text if plain else quoted(text)


def _days(field: Field, value: Days) -> str:
    moved = f" {'sub' if value.count < 0 else 'add'} duration'P{abs(value.count)}D'" if value.count else ""
    return f"date(now(){moved})" if field.kind == Kind.DATE else f"now(){moved}"


def quoted(text: str) -> str:
    """A text as it is written in a condition."""
    return "'" + text.replace("'", "''") + "'"


def to_filter(condition: Condition, record_type: RecordType, names: Names = path_of) -> str:
    """The condition as text that means the same. Parentheses stand wherever they could be needed.

    Source: OData 4.01, URL conventions; for trees OData Extension for Data Aggregation 4.0.
    """

    def inside(part: Condition) -> str:
        text = to_filter(part, record_type, names)
        return f"({text})" if isinstance(part, All | AnyOf) else text

    match condition:
        case All(parts):
            return " and ".join(inside(part) for part in parts)
        case AnyOf(parts):
            return " or ".join(inside(part) for part in parts)
        case Not(part):
            return f"not ({to_filter(part, record_type, names)})"
        case Compare(field, operator, value):
            return f"{names(field)} {operator} {literal(field, value)}"
        case OneOf(field, values):
            return f"{names(field)} in ({', '.join(literal(field, value) for value in values)})"
        case Holds(field, function, text, folded):
            subject = f"tolower({names(field)})" if folded else names(field)
            return f"{function}({subject},{quoted(text)})"
        case Includes(field, item):
            return f"{names(field)}/any(v: v eq {quoted(item)})"
        case Matches(field, pattern):
            return f"matchesPattern({names(field)},{quoted(pattern)})"
        case Below(field, above):
            by_id = record_type.field(record_type.identifier)
            return (
                f"Aggregation.isdescendant(HierarchyNodes=$root/{record_type.source},"
                f"HierarchyQualifier={quoted(field.name)},Node={by_id.name},Ancestor={literal(by_id, above)})"
            )


def to_text(condition: Condition, record_type: RecordType) -> str:
    """The condition as people write it, and as trips and routes keep it."""
    return to_filter(condition, record_type, lambda field: field.name)


def settled(condition: Condition, now: datetime) -> Condition:
    """The condition with days counted from today made plain, so that every part of a long reading means the same.

    Args:
        now: the moment it is, in UTC.
    """
    match condition:
        case All(parts):
            return All(tuple(settled(part, now) for part in parts))
        case AnyOf(parts):
            return AnyOf(tuple(settled(part, now) for part in parts))
        case Not(part):
            return Not(settled(part, now))
        case Compare(field, operator, Days() as days):
            return Compare(field, operator, moment_of(field, days, now))
    return condition


def without_lists(condition: Condition) -> Condition:
    """The condition with each of several values as a comparison of its own, for applications that know no lists of them
    (before OData 4.01)."""
    match condition:
        case All(parts):
            return All(tuple(map(without_lists, parts)))
        case AnyOf(parts):
            return AnyOf(tuple(map(without_lists, parts)))
        case Not(part):
            return Not(without_lists(part))
        case OneOf(field, values):
            each = tuple(Compare(field, "eq", value) for value in values)
            return each[0] if len(each) == 1 else AnyOf(each)
    return condition


def moment_of(field: Field, days: Days, now: datetime) -> Any:
    """What a day counted from today is."""
    then = now + timedelta(days=days.count)
    return then.date() if field.kind == Kind.DATE else then
