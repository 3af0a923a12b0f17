"""Clauses → a sentence for people."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..records import Catalogue, RecordType
from .clauses import to_clauses
from .tree import Condition

_WORDS = {
    "is": "is",
    "is-not": "is not",
    "one-of": "is",
    "none-of": "is none of",
    "contains": "contains",
    "contains-not": "does not contain",
    "begins": "begins with",
    "begins-not": "does not begin with",
    "ends": "ends with",
    "ends-not": "does not end with",
    "like": "looks like",
    "like-not": "does not look like",
    "more": "is more than",
    "less": "is less than",
    "at-least": "is at least",
    "at-most": "is at most",
    "after": "is after",
    "before": "is before",
    "from": "is from",
    "until": "is until",
    "between": "is between",
    "last-days": "is in the last",
    "next-days": "is in the next",
    "empty": "is empty",
    "filled": "is filled",
    "yes": "is yes",
    "no": "is no",
    "has": "has",
    "has-not": "has not",
    "below": "is anywhere below",
    "below-not": "is nowhere below",
}


def to_sentence(condition: Condition | None, record_type: RecordType, catalogue: Catalogue) -> str:
    """The condition in words; empty where there is none."""
    return _sentence(to_clauses(condition), record_type, catalogue, outer=True) if condition else ""


def _sentence(said: Mapping[str, Any], record_type: RecordType, catalogue: Catalogue, *, outer: bool) -> str:
    if "text" in said:
        return str(said["text"])
    if "is" in said:
        parts = [_sentence(part, record_type, catalogue, outer=False) for part in said["parts"]]
        joined = (" and " if said["is"] == "all" else " or ").join(parts)
        if said["is"] == "none":
            return f"not ({joined})"
        return joined if outer else f"({joined})"
    field = catalogue.field(record_type, said["field"])
    values = list(said["values"])
    joint = " and " if said["does"] == "between" else " or "
    clause = joint.join(values)
    if said["does"] in ("last-days", "next-days"):
        clause += " days"
    return f"{field.label} {_WORDS[said['does']]}{' ' + clause if clause else ''}"
