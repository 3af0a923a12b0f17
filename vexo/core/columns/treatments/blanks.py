"""Texts that stand for nothing."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ...values import SPACE_CHARACTERS
from .base import Argument, Beside, Treatment, TreatmentError, listed


@dataclass(frozen=True)
class Blank(Treatment):
    """Cells with one of these texts, in any capitals, count as blank."""

    texts: tuple[str, ...] = ()
    do = "blank"
    title = "treat as blank"
    says = "treat {texts} as blank"
    arguments = (Argument("texts", "texts", "Texts that count as blank"),)

    def check(self) -> None:
        if not self.texts or any(not text.strip() for text in self.texts):
            raise TreatmentError("Say which texts count as blank.")

    @property
    def short(self) -> str:
        return f"no {listed(self.texts, 2)}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        meant = [one.strip().lower() for one in self.texts]
        plain = text.str.strip_chars(SPACE_CHARACTERS).str.to_lowercase()
        return pl.when(plain.is_in(meant)).then(None).otherwise(text)
