"""What can be wrong with a row, as data: a code, the field at fault, and what the words need to be made of it.

Words are made at the edge. The order of ``CODES`` is the order of weight: of all that is wrong with a row the first
says its verdict.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import polars as pl

BETWEEN = "\x1f"
FAULT = pl.Struct({"code": pl.String, "field": pl.String, "arguments": pl.List(pl.String)})


class Does(StrEnum):
    """What a fault does to its row."""

    ASIDE = "aside"
    REJECTS = "rejected"
    HOLDS = "held"
    SAYS = "says"


CELL_CODES = (
    "letter-for-figure",
    "decimal-comma",
    "not-a-number",
    "too-large",
    "too-fine",
    "not-yes-or-no",
    "not-a-date",
    "not-a-moment",
    "not-a-choice",
    "too-long",
    "unknown-mark",
    "names-none",
    "names-several",
    "not-read",
    "lost-character",
    "not-in-list",
    "no-number-form",
    "no-arithmetic",
    "no-date-form",
    "no-phone",
    "look-up-none",
    "look-up-several",
)
CODES: dict[str, Does] = {
    "set-aside": Does.ASIDE,
    "left-out": Does.ASIDE,
    "not-meant": Does.ASIDE,
    "exists": Does.ASIDE,
    "other-part": Does.REJECTS,
    "key-blank": Does.REJECTS,
    **dict.fromkeys(CELL_CODES, Does.REJECTS),
    "required-empty": Does.REJECTS,
    "required-new": Does.REJECTS,
    "required-column": Does.REJECTS,
    "finds-several": Does.REJECTS,
    "unknown-identifier": Does.REJECTS,
    "not-found": Does.REJECTS,
    "unclear": Does.HOLDS,
    "may-be-in": Does.HOLDS,
    "gone": Does.HOLDS,
    "renamed": Does.HOLDS,
    "swapped": Does.HOLDS,
    "identifier-differs": Does.HOLDS,
    "identifier-without-key": Does.HOLDS,
    "deleted-before": Does.HOLDS,
    "changed-since": Does.HOLDS,
    "both-changed": Does.HOLDS,
    "key-edited": Does.HOLDS,
    "emptied-many": Does.HOLDS,
    "check-differs": Does.HOLDS,
    "twin": Does.ASIDE,
    "shared": Does.HOLDS,
    "emptied": Does.SAYS,
}
"""``twin`` and ``shared`` are found among rows that nothing else stops; ``emptied`` stops none, it is only asked."""

OUTCOME_CODES = (
    "refused",
    "changed-meanwhile",
    "gone-meanwhile",
    "batch-too-large",
    "no-answer",
    "found-otherwise",
    "changed-in-between",
    "given-up",
    "undone-with-group",
)
"""Why a row that was sent is not in: the application's own reason (``refused``), or one of Vexo's."""
ALL_CODES = (*CODES, *OUTCOME_CODES)


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
