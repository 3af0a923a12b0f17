"""Tree → what it means on a table of records.

An empty field is equal only to null: ``ne`` holds for it, ``gt`` and its like do not, and ``not`` turns that round.
"""

from __future__ import annotations

from functools import reduce
from operator import and_, or_
from typing import Any

import polars as pl

from ..records import Field, Kind
from ..values import dtype, is_empty
from .tree import All, AnyOf, Below, Compare, Condition, Days, Holds, Includes, Matches, Not, OneOf


def _value(field: Field, value: Any) -> pl.Expr:
    return pl.lit(value) if field.kind == Kind.DECIMAL else pl.lit(value, dtype=dtype(field))


def _compare(field: Field, operator: str, value: Any) -> pl.Expr:
    if isinstance(value, Days):
        raise ValueError("days counted from today are to be settled first")
    column = pl.col(field.name)
    if value is None:
        empty = is_empty(field.name, field)
        return empty if operator == "eq" else ~empty
    if operator in ("eq", "ne"):
        equal = (column == _value(field, value)).fill_null(value=False)
        return equal if operator == "eq" else ~equal
    methods = {"gt": column.gt, "ge": column.ge, "lt": column.lt, "le": column.le}
    return methods[operator](_value(field, value)).fill_null(value=False)


def to_expression(condition: Condition) -> pl.Expr:
    """A yes-or-no expression over columns named as the fields, never null.

    Raises:
        ValueError: for what a table alone cannot tell: a tree, and days counted from today that are not ``settled``.
    """
    match condition:
        case All(parts):
            return reduce(and_, [to_expression(part) for part in parts])
        case AnyOf(parts):
            return reduce(or_, [to_expression(part) for part in parts])
        case Not(part):
            return ~to_expression(part)
        case Compare(field, operator, value):
            return _compare(field, operator, value)
        case OneOf(field, values):
            return reduce(or_, [_compare(field, "eq", value) for value in values])
        case Holds(field, function, text, folded):
            column = pl.col(field.name)
            subject = column.str.to_lowercase() if folded else column
            methods = {"startswith": subject.str.starts_with, "endswith": subject.str.ends_with}
            matches = methods[function](text) if function in methods else subject.str.contains(text, literal=True)
            return matches.fill_null(value=False)
        case Includes(field, item):
            return pl.col(field.name).list.contains(item).fill_null(value=False)
        case Matches(field, pattern):
            return pl.col(field.name).str.contains(pattern).fill_null(value=False)
        case Below(field, _):
            raise ValueError(f"the tree of {field.label} is known to the application only")
