"""Spaces."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ...values import SPACES
from .base import Beside, Treatment


@dataclass(frozen=True)
class Trim(Treatment):
    """Spaces at the ends go, several become one; those that do not break count as spaces, line ends stay."""

    do = "trim"
    title = "trim spaces"
    says = "trim and collapse spaces"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        ends = rf"^{SPACES}+|{SPACES}+$"
        return text.str.replace_all("[ \\t\u00a0\u2007\u202f\ufeff]+", " ").str.replace_all(ends, "")
