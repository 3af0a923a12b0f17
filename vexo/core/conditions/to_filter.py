"""Tree → ``$filter`` text for an application."""

from __future__ import annotations

from typing import Any

from ..records import Field, Kind, RecordType
from ..values import to_python
from .tree import All, Any_, Compare, Condition, Holds, Includes, Not, OneOf


def path_of(field: Field, record_type: RecordType) -> str:
    """The field as the application's interface names it, by navigation where it belongs to another record."""
    if field.path is None:
        return field.name
    outer, inner = field.path
    return f"{record_type.field(outer).navigation or outer}/{inner}"


def literal(field: Field, value: Any) -> str:
    """A value as it is written in a condition."""
    if value is None:
        return "null"
    if field.kind == Kind.YES_NO:
        return "true" if value else "false"
    text = str(to_python(field, value))
    plain = field.kind in (Kind.DECIMAL, Kind.WHOLE, Kind.DATE, Kind.MOMENT) or not field.quoted
    return text if plain else _quoted(text)


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"


def to_filter(condition: Condition, record_type: RecordType) -> str:
    """The condition as text that means the same. Parentheses stand wherever they could be needed."""
    match condition:
        case All(parts):
            return " and ".join(_inside(part, record_type) for part in parts)
        case Any_(parts):
            return " or ".join(_inside(part, record_type) for part in parts)
        case Not(part):
            return f"not ({to_filter(part, record_type)})"
        case Compare(field, operator, value):
            return f"{path_of(field, record_type)} {operator} {literal(field, value)}"
        case OneOf(field, values):
            return f"{path_of(field, record_type)} in ({', '.join(literal(field, value) for value in values)})"
        case Holds(field, function, text, folded):
            path = path_of(field, record_type)
            subject = f"tolower({path})" if folded else path
            return f"{function}({subject},{_quoted(text)})"
        case Includes(field, item):
            return f"{path_of(field, record_type)}/any(v: v eq {_quoted(item)})"


def _inside(condition: Condition, record_type: RecordType) -> str:
    text = to_filter(condition, record_type)
    return f"({text})" if isinstance(condition, All | Any_) else text
