"""Some characters of a text: from its beginning or end, or its initial."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError

_ENDS = {"first": "first", "last": "last"}
_DOTS = {"no": "initial", "yes": "initial with a dot"}


@dataclass(frozen=True)
class Take(Treatment):
    """The first or last characters."""

    end: str = "first"
    count: int = 1
    do = "take"
    title = "first or last characters"
    says = "take the {end} {count} characters"
    arguments = (
        Argument("end", "one-of", "From which end", _ENDS),
        Argument("count", "whole", "How many characters"),
    )

    def check(self) -> None:
        if self.end not in _ENDS:
            raise TreatmentError(f"Unknown end of text {self.end!r}. Use first or last.")
        if not 1 <= self.count <= 10_000:
            raise TreatmentError("Say how many characters to take, at least 1.")

    @property
    def short(self) -> str:
        return f"{self.end} {self.count}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        return text.str.head(self.count) if self.end == "first" else text.str.tail(self.count)


@dataclass(frozen=True)
class Initial(Treatment):
    """The first letter of each name, as a capital: Ada becomes A, Jean-Luc J-L with its dash, Ada Maria A M."""

    dot: str = "no"
    do = "initial"
    title = "initial"
    says = "take the {dot}"
    arguments = (Argument("dot", "one-of", "How an initial is written", _DOTS),)

    def check(self) -> None:
        if self.dot not in _DOTS:
            raise TreatmentError(f"Unknown way to write an initial {self.dot!r}. Use yes or no for its dot.")

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        dot = "." if self.dot == "yes" else ""
        return text.str.replace_all(r"(\p{L})[\p{L}\p{M}'\u2019]*\.?", f"${{1}}{dot}").str.to_uppercase()
