"""Spaces."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ...values import SPACE_CHARACTERS
from .base import Beside, Treatment

_RUNS = "[ \\t\u00a0\u2007\u202f\ufeff]+"
_MORE = "  |[\\t\u00a0\u2007\u202f\ufeff]"
"""What there is to collapse but for spaces at the ends."""


@dataclass(frozen=True)
class Trim(Treatment):
    """Spaces at the ends go, several become one; those that do not break count as spaces, line ends stay."""

    do = "trim"
    title = "trim spaces"
    says = "trim and collapse spaces"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        return text.str.replace_all(_RUNS, " ").str.strip_chars(SPACE_CHARACTERS)

    def run(self, frame: pl.DataFrame, beside: Beside) -> pl.Series:
        texts = frame["text"]
        if texts.str.contains(_MORE).any():
            return super().run(frame, beside)
        return texts.str.strip_chars(SPACE_CHARACTERS)
