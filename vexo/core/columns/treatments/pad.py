"""Characters in front until a text is long enough."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError


@dataclass(frozen=True)
class Pad(Treatment):
    """Zeros that a spreadsheet took away, or another character, in front of texts that are too short. Zeros go before
    texts of figures only."""

    length: int = 7
    character: str = "0"
    do = "pad"
    title = "pad, restore zeros"
    says = "pad with {character} to {length} characters"
    arguments = (
        Argument("character", "text", "Character to pad with"),
        Argument("length", "whole", "Length"),
    )

    def check(self) -> None:
        if len(self.character) != 1 or self.character.isspace():
            raise TreatmentError("Pad with one character.")
        if not 1 <= self.length <= 500:
            raise TreatmentError("Say to how many characters to pad, at most 500.")

    @property
    def short(self) -> str:
        return f"{self.character * 2}… to {self.length}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        padded = text.str.pad_start(self.length, self.character)
        if self.character != "0":
            return padded
        return pl.when(text.str.contains(r"^\d+$")).then(padded).otherwise(text)
