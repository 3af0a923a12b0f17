"""Texts put before and behind."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError


@dataclass(frozen=True)
class Prefix(Treatment):
    """A text is put in front of every one that does not begin with it."""

    text: str = ""
    do = "prefix"
    title = "put in front"
    says = "put {text} in front"
    arguments = (Argument("text", "text", "Text to put in front"),)

    def check(self) -> None:
        if not self.text:
            raise TreatmentError("Say what to put in front.")

    @property
    def short(self) -> str:
        return f"{self.text}…"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        return pl.when(text.str.starts_with(self.text)).then(text).otherwise(pl.lit(self.text) + text)


@dataclass(frozen=True)
class Suffix(Treatment):
    """A text is put behind every one that does not end with it."""

    text: str = ""
    do = "suffix"
    title = "put behind"
    says = "put {text} behind"
    arguments = (Argument("text", "text", "Text to put behind"),)

    def check(self) -> None:
        if not self.text:
            raise TreatmentError("Say what to put behind.")

    @property
    def short(self) -> str:
        return f"…{self.text}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        return pl.when(text.str.ends_with(self.text)).then(text).otherwise(text + pl.lit(self.text))
