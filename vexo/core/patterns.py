"""Find and replace with regular expressions, as people write them: ``$1`` in a replacement is what the first group
found, whatever stands behind it."""

from __future__ import annotations

import re

import polars as pl


class PatternError(Exception):
    """A pattern that is none, or a replacement that names a group it has not; the message says why."""


def _reason(error: Exception) -> str:
    lines = [line.strip() for line in str(error).rpartition("regex error")[2].splitlines()]
    return next((line[6:].strip() for line in lines if line.startswith("error:")), "it is too large")


def groups_of(pattern: str) -> int:
    """How many groups a pattern has. Raises PatternError."""
    try:
        pl.Series(["x"]).str.contains(pattern)
        fields = pl.Series(["x"]).str.extract_groups(f"({pattern})").struct.fields
    except pl.exceptions.PolarsError as error:
        raise PatternError(f"{pattern!r} is not a regular expression: {_reason(error)}.") from error
    return len(fields) - 1


def replacement(pattern: str, put: str) -> str:
    """A replacement in the syntax of Polars: of figures behind a dollar sign as many are the group's number as name a
    group that there is; ``$$`` is a dollar sign, and so is one before anything else.

    Raises:
        PatternError
    """
    groups = groups_of(pattern)

    def one(match: re.Match[str]) -> str:
        braced, figures = match[1], match[2]
        if match[0] == "$$":
            return "$$"
        if braced is not None:
            if not braced.isdecimal() or int(braced) <= groups:
                return match[0]
            figures = braced
        elif figures is None:
            return "$$"
        for length in range(len(figures), 0, -1):
            if int(figures[:length]) <= groups and braced is None:
                return f"${{{int(figures[:length])}}}{figures[length:]}"
        has = "has no group" if not groups else "has 1 group" if groups == 1 else f"has {groups} groups"
        raise PatternError(f"{match[0]} in {put!r} names a group that is not there: the pattern {has} in brackets.")

    return re.sub(r"\$\$|\$\{(\w+)\}|\$(\d+)|\$", one, put)
