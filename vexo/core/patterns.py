"""Find and replace with regular expressions, as people write them: ``$1`` in a replacement is what the first group
found, whatever stands behind it."""

from __future__ import annotations

import io
import json
import re
import subprocess
import sys

import polars as pl

from .wording import thousands

LONGEST = 500
"""Characters of a pattern: what people write by hand. Far longer ones take minutes to look for."""
_AT_HAND = 500_000
"""Bytes of text in which a pattern is looked for within this process: even the slowest take two seconds for them."""
SECONDS = 60
"""Seconds that a pattern may take; nobody waits for longer, and it holds a processor meanwhile."""
_COMMAND = [sys.executable, "-m", "vexo.core.pattern_child"]


class PatternError(Exception):
    """A pattern that is none, or a replacement that names a group it has not; the message says why."""


def _reason(error: Exception) -> str:
    lines = [line.strip() for line in str(error).rpartition("regex error")[2].splitlines()]
    return next((line[6:].strip() for line in lines if line.startswith("error:")), "it is too large")


def refuse_long(pattern: str) -> None:
    """Raises PatternError for a pattern that nobody wrote by hand."""
    if len(pattern) > LONGEST:
        raise PatternError(f"A pattern has at most {LONGEST} characters, and this one {thousands(len(pattern))}.")


def replace_all(texts: pl.Series, pattern: str, put: str) -> pl.Series:
    """Texts with a pattern replaced, in the syntax of Polars; where there is much text, by a process of its own that is
    ended when it takes too long.

    Raises:
        PatternError: when it took too long.
    """
    if int(texts.str.len_bytes().sum() or 0) <= _AT_HAND:
        return texts.str.replace_all(pattern, put)
    buffer = io.BytesIO()
    texts.to_frame("texts").write_ipc(buffer)
    first_line = json.dumps([pattern, put]).encode() + b"\n"
    try:
        content = first_line + buffer.getvalue()
        done = subprocess.run(_COMMAND, input=content, capture_output=True, timeout=SECONDS, check=True)  # noqa: S603
    except subprocess.TimeoutExpired:
        raise PatternError(
            f"{pattern!r} took longer than {SECONDS} seconds. Show fewer rows, or choose a plainer pattern."
        ) from None
    except subprocess.CalledProcessError as error:
        raise PatternError(f"{pattern!r} could not be looked for: {_reason(error)}.") from error
    return pl.read_ipc(io.BytesIO(done.stdout))["texts"].alias(texts.name)


def groups_of(pattern: str) -> int:
    """How many groups a pattern has. Raises PatternError."""
    refuse_long(pattern)
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
