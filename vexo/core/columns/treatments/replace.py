"""Find and replace."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ...patterns import PatternError, replacement
from .base import Argument, Beside, Treatment, TreatmentError

_HOW = {"text": "the text", "whole": "the whole cell", "pattern": "the pattern"}


@dataclass(frozen=True)
class Replace(Treatment):
    """A text, a whole cell or a regular expression is replaced wherever it is found; in the replacement of a pattern,
    ``$1`` is what its first group found."""

    find: str = ""
    put: str = ""
    how: str = "text"
    do = "replace"
    title = "find and replace"
    says = "replace {how} {find} by {put}"
    arguments = (
        Argument("how", "one-of", "What is found", _HOW),
        Argument("find", "text", "Find"),
        Argument("put", "text", "Put in its place"),
    )

    def check(self) -> None:
        if not self.find:
            raise TreatmentError("Say what is to be found.")
        if self.how not in _HOW:
            raise TreatmentError(f"Unknown way of finding {self.how!r}. Use {', '.join(_HOW)}.")
        if self.how == "pattern":
            try:
                replacement(self.find, self.put)
            except PatternError as error:
                raise TreatmentError(str(error)) from error

    @property
    def short(self) -> str:
        return f"{self.find} → {self.put or 'nothing'}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        if self.how == "whole":
            return pl.when(text == self.find).then(pl.lit(self.put)).otherwise(text)
        if self.how == "text":
            return text.str.replace_all(self.find, self.put, literal=True)
        return text.str.replace_all(self.find, replacement(self.find, self.put))
