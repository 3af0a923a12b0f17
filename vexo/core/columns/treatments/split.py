"""Split, and take a part."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError

_PARTS = {
    "first": "the first part",
    "rest": "what is after the first",
    "last": "the last part",
    "head": "what is before the last",
    "2": "the second part",
    "3": "the third part",
    "4": "the fourth part",
}


@dataclass(frozen=True)
class Split(Treatment):
    """One part of a text that is split at another: *first* and *rest* joined again give the text, *head* and *last*
    too. Where the splitting text is not there, first and last are the whole text, the others blank."""

    at: str = " "
    take: str = "first"
    do = "split"
    title = "split and take a part"
    says = "split at {at} and take {take}"
    arguments = (Argument("at", "text", "Split at"), Argument("take", "one-of", "Part to take", _PARTS))

    def check(self) -> None:
        if not self.at:
            raise TreatmentError("Say at which text to split.")
        if self.take not in _PARTS:
            raise TreatmentError(f"Unknown part {self.take!r}. Use {', '.join(_PARTS)}.")

    @property
    def short(self) -> str:
        return _PARTS.get(self.take, self.take)

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        at = re.escape(self.at).replace("\\ ", " ")
        match self.take:
            case "first":
                return text.str.splitn(self.at, 2).struct.field("field_0")
            case "rest":
                return text.str.splitn(self.at, 2).struct.field("field_1")
            case "last":
                return text.str.split(self.at).list.last()
            case "head":
                return text.str.extract(f"(?s)^(.*){at}", 1)
        return text.str.split(self.at).list.get(int(self.take) - 1, null_on_oob=True)
