"""Tree ↔ clauses: a condition as the parts of a sentence, in which each comparison is one that people make.

A clause is ``{"field", "does", "values"}`` with values as texts, a group ``{"is": "all" | "any" | "none", "parts"}``.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ..errors import MendableError
from ..records import Catalogue, Field, Kind, RecordType
from ..values import to_python
from .parser import read_condition
from .to_filter import quoted
from .tree import All, AnyOf, Below, Compare, Condition, Days, Holds, Includes, Matches, Not, OneOf

_TEXTS = ("is", "is-not", "one-of", "none-of", "contains", "contains-not", "begins", "begins-not", "ends", "ends-not")
_LIKE = ("like", "like-not")
_EMPTY = ("empty", "filled")
_ORDER = ("is", "is-not", "more", "less", "at-least", "at-most", "between")
_KNOWN = ("is", "is-not", "one-of", "none-of")
COMPARISONS: Mapping[Kind, tuple[str, ...]] = {
    Kind.TEXT: (*_TEXTS, *_LIKE, *_EMPTY),
    Kind.CHOICE: (*_KNOWN, *_EMPTY),
    Kind.REFERENCE: (*_KNOWN, *_EMPTY),
    Kind.WHOLE: (*_ORDER, *_EMPTY),
    Kind.DECIMAL: (*_ORDER, *_EMPTY),
    Kind.DATE: ("is", "is-not", "after", "before", "from", "until", "between", "last-days", "next-days", *_EMPTY),
    Kind.MOMENT: ("after", "before", "from", "until", "between", "last-days", "next-days", *_EMPTY),
    Kind.YES_NO: ("yes", "no", *_EMPTY),
    Kind.CHOICES: ("has", "has-not", *_EMPTY),
}
"""What makes sense for a field, by its kind."""
_TREE = ("below", "below-not")
_WORDS = {"gt": "more", "lt": "less", "ge": "at-least", "le": "at-most"}
_TIMES = {"gt": "after", "lt": "before", "ge": "from", "le": "until"}
_HOLDS = {"contains": "contains", "startswith": "begins", "endswith": "ends"}
_PLAIN_VALUE = {
    Kind.WHOLE: r"-?\d+(\.\d+)?",
    Kind.DECIMAL: r"-?\d+(\.\d+)?",
    Kind.DATE: r"\d{4}-\d\d-\d\d",
    Kind.MOMENT: r"\d{4}-\d\d-\d\dT[\d:.]+(Z|[+-]\d\d:\d\d)",
}


class ClauseError(MendableError):
    """A clause that cannot be made a condition of; the message says which value of which field, and what to do."""

    code = "clause"


def comparisons(field: Field) -> tuple[str, ...]:
    """What can be asked of a field."""
    return COMPARISONS[field.kind] + (_TREE if field.tree else ())


def wildcards(pattern: str) -> str | None:
    """A regular expression as a pattern with ``*`` and ``?``; None where it says more than that."""
    if not (pattern.startswith("^") and pattern.endswith("$")):
        return None
    plain, at, body = [], 0, pattern[1:-1]
    while at < len(body):
        if body.startswith(".*", at):
            plain.append("*")
            at += 2
        elif body[at] == ".":
            plain.append("?")
            at += 1
        elif body[at] == "\\" and at + 1 < len(body) and not body[at + 1].isalnum() and body[at + 1] not in "*?":
            plain.append(body[at + 1])
            at += 2
        elif body[at] in r"\*?+()[]{}|^$":
            return None
        else:
            plain.append(body[at])
            at += 1
    return "".join(plain)


def expression_of(wild: str) -> str:
    """A pattern with ``*`` for any text and ``?`` for one character as a regular expression."""
    return "^" + "".join({"*": ".*", "?": "."}.get(c, re.escape(c)) for c in wild) + "$"


def _clause(field: Field, does: str, *values: Any) -> dict[str, Any]:
    texts = [str(abs(v.count)) if isinstance(v, Days) else str(to_python(field, v)) for v in values]
    return {"field": field.name, "does": does, "values": texts}


def _compare(field: Field, operator: str, value: Any) -> dict[str, Any] | None:
    if value is None:
        return _clause(field, "empty" if operator == "eq" else "filled")
    if isinstance(value, Days):
        return None
    if field.kind == Kind.YES_NO:
        return _clause(field, "yes" if (operator == "eq") == bool(value) else "no") if operator == "eq" else None
    if operator in ("eq", "ne"):
        return _clause(field, "is" if operator == "eq" else "is-not", value)
    return _clause(field, (_TIMES if field.kind in (Kind.DATE, Kind.MOMENT) else _WORDS)[operator], value)


def _pair(first: Condition, second: Condition) -> dict[str, Any] | None:
    """Two comparisons of one field that are one clause: between, and days counted from today."""
    match first, second:
        case Compare(field, "ge", low), Compare(other, "le", high) if field.name == other.name:
            if isinstance(low, Days) and isinstance(high, Days):
                if low.count < 0 and high.count == 0:
                    return _clause(field, "last-days", low)
                return _clause(field, "next-days", high) if low.count == 0 and high.count > 0 else None
            if low is not None and high is not None and not isinstance(low, Days) and not isinstance(high, Days):
                return _clause(field, "between", low, high)
    return None


def _all(parts: tuple[Condition, ...]) -> list[dict[str, Any]]:
    clauses, at = [], 0
    while at < len(parts):
        pair = _pair(parts[at], parts[at + 1]) if at + 1 < len(parts) else None
        clauses.append(pair or to_clauses(parts[at]))
        at += 2 if pair else 1
    return clauses


def _negated(part: Condition) -> dict[str, Any] | None:
    clause = to_clauses(part)
    opposite = {"one-of": "none-of", "has": "has-not"}
    opposite |= {does: f"{does}-not" for does in ("contains", "begins", "ends", "like", "below")}
    return {**clause, "does": opposite[clause["does"]]} if clause.get("does") in opposite else None


def to_clauses(condition: Condition) -> dict[str, Any]:
    """The condition as a clause or a group. What no clause says is ``{"text"}``: the condition's own text."""
    match condition:
        case All(parts):
            clauses = _all(parts)
            return clauses[0] if len(clauses) == 1 else {"is": "all", "parts": clauses}
        case AnyOf(parts):
            return {"is": "any", "parts": [to_clauses(part) for part in parts]}
        case Not(part):
            return _negated(part) or {"is": "none", "parts": [to_clauses(part)]}
        case Compare(field, operator, value):
            return _compare(field, operator, value) or {"text": _said(condition)}
        case OneOf(field, values) if None not in values:
            return _clause(field, "one-of", *values)
        case Holds(field, function, text, False):
            return _clause(field, _HOLDS[function], text)
        case Includes(field, item):
            return {"field": field.name, "does": "has", "values": [item]}
        case Matches(field, pattern) if (wild := wildcards(pattern)) is not None:
            return _clause(field, "like", wild)
        case Below(field, above):
            return {"field": field.name, "does": "below", "values": [above]}
    return {"text": _said(condition)}


def _said(condition: Condition) -> str:
    from .to_filter import to_filter

    # Only trees name their type, and those are clauses.
    return to_filter(condition, None, lambda field: field.name)  # type: ignore[arg-type]


def _value(field: Field, text: str) -> str:
    plain = _PLAIN_VALUE.get(field.kind) or (None if field.quoted else r"\d{1,18}")
    if plain is None:
        return quoted(text)
    text = text.strip()
    if not re.fullmatch(plain, text):
        example = {Kind.DATE: "2026-11-16", Kind.MOMENT: "2026-11-16T09:30:00Z", Kind.REFERENCE: "its record ID"}
        raise ClauseError(f"{field.label}: {text!r} is not a value of it. Write {example.get(field.kind, 'a number')}.")
    return text


def _text_of(clause: Mapping[str, Any], record_type: RecordType, catalogue: Catalogue) -> str:
    field = catalogue.field(record_type, str(clause["field"]))
    does, values = str(clause["does"]), [str(v) for v in clause.get("values", [])]
    if does not in comparisons(field):
        raise ClauseError(f"{field.label} cannot be compared by {does!r}.")
    name = field.name
    if does in _EMPTY:
        return f"{name} {'eq' if does == 'empty' else 'ne'} null"
    if does in ("yes", "no"):
        return f"{name} eq {'true' if does == 'yes' else 'false'}"
    wanted = 2 if does == "between" else 1
    if len(values) < wanted or any(not v.strip() for v in values[:wanted]):
        raise ClauseError(f"{field.label}: a value is missing.")
    if does in ("one-of", "none-of"):
        listed = f"{name} in ({', '.join(_value(field, v) for v in values)})"
        return listed if does == "one-of" else f"not ({listed})"
    if does in ("last-days", "next-days"):
        if not re.fullmatch(r"\d{1,5}", values[0].strip()):
            raise ClauseError(f"{field.label}: a whole number of days is wanted, not {values[0]!r}.")
        moved = f"now() {'sub' if does == 'last-days' else 'add'} duration'P{int(values[0])}D'"
        now, then = ("date(now())", f"date({moved})") if field.kind == Kind.DATE else ("now()", moved)
        first, last = (then, now) if does == "last-days" else (now, then)
        return f"({name} ge {first} and {name} le {last})"
    if does == "between":
        return f"({name} ge {_value(field, values[0])} and {name} le {_value(field, values[1])})"
    operators = {**{w: o for o, w in _WORDS.items()}, **{w: o for o, w in _TIMES.items()}, "is": "eq", "is-not": "ne"}
    if does in operators:
        return f"{name} {operators[does]} {_value(field, values[0])}"
    positive = does.removesuffix("-not")
    if positive == "has":
        text = f"{name}/any(v: v eq {quoted(values[0])})"
    elif positive == "like":
        text = f"matchesPattern({name},{quoted(expression_of(values[0]))})"
    elif positive == "below":
        above = _value(record_type.field(record_type.identifier), values[0])
        text = (
            f"Aggregation.isdescendant(HierarchyNodes=$root/{record_type.source},HierarchyQualifier={quoted(name)},"
            f"Node={record_type.identifier},Ancestor={above})"
        )
    else:
        function = {words: function for function, words in _HOLDS.items()}[positive]
        text = f"{function}({name},{quoted(values[0])})"
    return text if positive == does else f"not ({text})"


def from_clauses(said: Mapping[str, Any] | None, record_type: RecordType, catalogue: Catalogue) -> Condition | None:
    """A condition from its clauses.

    Raises:
        ClauseError: for a clause that is not whole.
        ConditionError, UnknownName
    """

    def text_of(part: Mapping[str, Any]) -> str:
        if "text" in part:
            return f"({part['text']})"
        if "is" not in part:
            return _text_of(part, record_type, catalogue)
        parts = [text_of(clause) for clause in part.get("parts", [])]
        if not parts:
            raise ClauseError("A group has nothing in it.")
        joined = (" and " if part["is"] == "all" else " or ").join(parts)
        return f"not ({joined})" if part["is"] == "none" else f"({joined})"

    try:
        return read_condition(text_of(said), record_type, catalogue) if said else None
    except (KeyError, TypeError, AttributeError) as error:
        raise ClauseError("A clause names a field, what it does, and its values.") from error
