"""Answering ``$apply``: sums over a collection, and the different values of a property with their counts.

Source: OData Extension for Data Aggregation 4.0; of it ``filter``, ``aggregate`` and ``groupby`` by one property.
"""

from __future__ import annotations

import re
from typing import Any

from django.db.models import Count, Sum

from ..models import Record
from ..rules import Refusal
from .filters import read_filter, resolve
from .properties import to_json

_SUM = re.compile(r"(\w+) with sum as (\w+)$")
_GROUPS = re.compile(r"groupby\(\(([\w/]+)\),aggregate\(\$count as (\w+)\)\)$")


def _bad(text: str) -> Refusal:
    return Refusal(f"{text!r} cannot be applied here", "bad-apply", None, 400)


def _path(model: type[Record], text: str) -> Any:
    from odata_query import ast

    first, *rest = text.split("/")
    node: Any = ast.Identifier(first)
    for name in rest:
        node = ast.Attribute(node, name)
    return resolve(model, node)


def apply(model: type[Record], alias: str, text: str) -> dict[str, Any]:
    """The rows that a chain of transformations gives. Raises Refusal."""
    rows: Any = model._default_manager.using(alias).all()
    first, rest = _leading_filter(text)
    if first:
        rows = rows.filter(read_filter(model, first, alias))
    grouped = _GROUPS.match(rest)
    if grouped:
        prop, column = _path(model, grouped[1])
        if prop.many:
            raise _bad(rest)
        value_counts = rows.order_by().values_list(column).annotate(n=Count("pk")).order_by("-n", column)
        convert, name = to_json(prop), grouped[1].rpartition("/")[2]
        return {"value": [{name: convert(value), grouped[2]: count} for value, count in value_counts]}
    if not (rest.startswith("aggregate(") and rest.endswith(")")):
        raise _bad(rest)
    sums = {}
    for part in rest[len("aggregate(") : -1].split(","):
        sum_match = _SUM.match(part.strip())
        if not sum_match:
            raise _bad(part)
        prop, column = _path(model, sum_match[1])
        if prop.edm not in ("Edm.Decimal", "Edm.Int64") or prop.target:
            raise _bad(part)
        sums[sum_match[2]] = Sum(column)
    sums_by_name = rows.aggregate(**{f"sum_{name}": total for name, total in sums.items()})
    return {"value": [{name: sums_by_name[f"sum_{name}"] for name in sums}]}


def _leading_filter(text: str) -> tuple[str, str]:
    """The condition of a chain that begins with a filter, and what comes after it."""
    if not text.startswith("filter("):
        return "", text
    depth, quoted = 0, False
    for at, letter in enumerate(text):
        quoted ^= letter == "'"
        if not quoted:
            depth += (letter == "(") - (letter == ")")
        if letter == ")" and depth == 0 and not quoted:
            return text[len("filter(") : at], text[at + 1 :].removeprefix("/")
    raise _bad(text)
