"""Phone numbers in one form."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError, bad, is_bad

_SHORTEST = 7
"""Digits of the shortest number with its country: shorter ones are extensions."""


@dataclass(frozen=True)
class Phone(Treatment):
    """Numbers as ``+`` with the country's figures, then all others, as ITU-T E.164 has them; a number that begins with
    one zero is one of the ``country``, two zeros stand for the plus. What has fewer than 7 or more than 15 figures, or
    other characters than people write in numbers, is not read."""

    country: str = "44"
    do = "phone"
    title = "phone number"
    says = "write phone numbers in one form, those without a country as +{country}"
    arguments = (Argument("country", "text", "Country code"),)
    fails = True

    def check(self) -> None:
        if not re.fullmatch(r"\+?[1-9]\d{0,2}", self.country):
            raise TreatmentError(f"{self.country!r} is not a country code; it is one to three figures, as 44.")

    @property
    def short(self) -> str:
        return "one form of phone"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        own = self.country.removeprefix("+")
        plain = text.str.replace(r"(?i)^\s*(?:tel|phone|mob|mobile)?\.?:?\s*", "").str.replace_all(r"\(0\)", "")
        digits = plain.str.replace_all("[\\s\u00a0\u202f()./\u2010-\u2015-]", "")
        full = (
            pl.when(digits.str.starts_with("+"))
            .then(digits)
            .when(digits.str.starts_with("00"))
            .then(pl.lit("+") + digits.str.slice(2))
            .when(digits.str.starts_with("0"))
            .then(pl.lit(f"+{own}") + digits.str.slice(1))
            .otherwise(pl.lit(f"+{own}") + digits)
        )
        good = full.str.contains(r"^\+[1-9]\d{6,14}$") & (digits.str.len_chars() >= _SHORTEST)
        kept = is_bad(text) | (text.str.strip_chars() == "") | text.is_null()
        return pl.when(kept).then(text).when(good).then(full).otherwise(bad("no-phone"))
