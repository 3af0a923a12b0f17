"""What every treatment is: data with a phrase, and an expression made from it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any, ClassVar

import polars as pl

from ...errors import MendableError
from ...problems import BETWEEN, problem

BAD = "\x1e\x1f\x1e"
"""Stands before what a treatment could not read; the rest is a cell's problem, as ``problems.problem`` makes it."""


class TreatmentError(MendableError):
    """A treatment that cannot be; the message says why and what to do."""

    code = "treatment"


@dataclass(frozen=True)
class Argument:
    """One part of a treatment's phrase that people can change.

    ``kind`` is text, texts (several), number, whole, pairs (this → that), columns (of the sheet), table (another sheet
    or record type), name (a column or field of that table) or one-of; ``options`` are value → words of one-of.
    """

    name: str
    kind: str
    label: str
    options: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Beside:
    """What a treatment may look at beside the column's own texts: the sheet's other columns by header, and tables in
    which values are looked up, by their names (``text``, ``value`` and ``problem``)."""

    columns: Mapping[str, pl.Expr] = field(default_factory=dict)
    tables: Mapping[str, pl.DataFrame] = field(default_factory=dict)


@dataclass(frozen=True)
class Treatment(ABC):
    """One cleaning operation on texts. A blank cell stays blank, but where ``fills`` says otherwise.

    ``says`` is its phrase with arguments in braces, ``title`` its name in a list, ``arguments`` what can be changed.
    """

    do: ClassVar[str]
    title: ClassVar[str]
    says: ClassVar[str]
    arguments: ClassVar[tuple[Argument, ...]] = ()
    fails: ClassVar[bool] = False
    """There are texts that it cannot read."""
    fills: ClassVar[bool] = False
    """It can give a blank cell a value."""
    by_item: ClassVar[bool] = False
    """In a many-valued field it is for each item, not for the cell."""

    @abstractmethod
    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        """The treated texts; what cannot be read is ``bad`` of a problem."""

    def run(self, frame: pl.DataFrame, beside: Beside) -> pl.Series:
        """The treated texts of the column ``text``. Those that need several steps lay one over the other: an expression
        that stands twice in another is worked out twice."""
        return frame.select(self.applied(pl.col("text"), beside).alias("text"))["text"]

    def check(self) -> None:
        """Raises TreatmentError where the arguments make no treatment."""

    @property
    def headers(self) -> tuple[str, ...]:
        """Other columns of the sheet that it looks at."""
        return ()

    @property
    def short(self) -> str:
        """What it does in a word or two, for the head of a column."""
        return self.title

    def to_json(self) -> dict[str, Any]:
        """Its form as data: ``do`` and its arguments."""
        return {"do": self.do, **{argument.name: _plain(getattr(self, argument.name)) for argument in fields(self)}}


def _plain(value: Any) -> Any:
    return [_plain(one) for one in value] if isinstance(value, tuple) else value


def bad(code: str, *arguments: str | int | pl.Expr) -> pl.Expr:
    """A text that says that a cell could not be read, and why."""
    return pl.concat_str(pl.lit(BAD), problem(code, *arguments))


def problem_of(texts: pl.Series) -> pl.Series:
    """The problems among treated texts, null in others."""
    return texts.set(~texts.str.starts_with(BAD).fill_null(value=False), None).str.slice(len(BAD))


def is_bad(text: pl.Expr) -> pl.Expr:
    """Whether a treatment before this one could not read the cell."""
    return text.str.starts_with(BAD)


def listed(values: Sequence[str], most: int = 3) -> str:
    """The first of several texts, for a phrase."""
    more = f" and {len(values) - most} more" if len(values) > most else ""
    return ", ".join(values[:most]) + more


__all__ = ["BAD", "BETWEEN", "Argument", "Beside", "Treatment", "TreatmentError", "bad", "is_bad", "problem_of"]
