"""Faults in columns: of a row as a struct, of a cell as one text, and the cases that a rule finds."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

BETWEEN = "\x1f"
FAULT = pl.Struct({"code": pl.String, "field": pl.String, "arguments": pl.List(pl.String)})


@dataclass(frozen=True)
class Case:
    """A fault that some rows have: ``when`` says which, ``field`` and ``arguments`` are columns or plain texts.

    ``seen`` are the columns whose values a person is shown with the question; an answer counts as long as they stay.
    """

    code: str
    when: pl.Expr
    field: str | None = None
    arguments: tuple[pl.Expr, ...] = ()
    seen: tuple[pl.Expr, ...] = ()


def problem(code: str, *arguments: str | int | pl.Expr) -> pl.Expr:
    """A cell's problem as one text: the code, then its arguments."""
    parts = [part if isinstance(part, pl.Expr) else pl.lit(str(part)) for part in (code, *arguments)]
    return pl.concat_str(parts, separator=BETWEEN)


def code_of(problems: pl.Expr) -> pl.Expr:
    """The code of a cell's problem."""
    return problems.str.split(BETWEEN).list.first()


def arguments_of(problems: pl.Expr) -> pl.Expr:
    """The arguments of a cell's problem, a list of texts."""
    return problems.str.split(BETWEEN).list.slice(1)


def as_text(columns: tuple[pl.Expr, ...]) -> pl.Expr:
    """Values of several columns as one text that differs where any of them does; empty is told from blank text."""
    if not columns:
        return pl.lit("")
    parts = [pl.when(c.is_null()).then(pl.lit("\x00")).otherwise(c.cast(pl.String)) for c in columns]
    return pl.concat_str(parts, separator=BETWEEN)
