"""Phone numbers in one form."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

from ...values import ascii_digits
from .base import Argument, Beside, Treatment, TreatmentError, bad, is_bad

_SHORTEST = 7
"""Digits of the shortest number with its country: shorter ones are extensions."""
_AREA = r"^[^/0-9]*(?:[0-9][^/0-9]*){2,6}/[^/0-9]*(?:[0-9][^/0-9]*){4,}$"
"""A stroke between an area and its number; behind a longer number it stands before another one."""
_WITH_TRUNK = (
    "20|27|3[0-3]|40|41|43|44|46|49|6[0-6]|8[1246]|9[0-5]|98|21[23]|234|25[4-6]|353|358|380|381|38[5-7]|389|421"
)
"""Countries in which the zero before an area is left out behind the country's figures. In some others, such as Italy,
it is part of the number."""


@dataclass(frozen=True)
class Phone(Treatment):
    """Numbers as ``+`` with the country's figures, then all others, as ITU-T E.164 has them; a number that begins with
    one zero is one of the ``country``, two zeros stand for the plus. What has fewer than 7 or more than 15 figures, or
    other characters than people write in numbers, is not read; neither is what may be two numbers (``960003/4``), nor
    what begins with the country's own figures and no plus, as spreadsheets leave numbers that had one."""

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
        code = self.country.removeprefix("+")
        ascii_text = text.map_batches(ascii_digits, return_dtype=pl.String)
        plain = ascii_text.str.replace(r"(?i)^\s*(?:tel|phone|mob|mobile)?\.?:?\s*", "").str.replace_all(r"\(0\)", "")
        has_one_number = ~plain.str.contains("/") | plain.str.contains(_AREA)
        digits = plain.str.replace_all("[\\s\u00a0\u202f()./\u2010-\u2015-]", "")
        full = (
            pl.when(digits.str.starts_with("+"))
            .then(digits)
            .when(digits.str.starts_with("00"))
            .then(pl.lit("+") + digits.str.slice(2))
            .when(digits.str.starts_with("0"))
            .then(pl.lit(f"+{code}") + digits.str.slice(1))
            # In North America no area begins with a 1: eleven figures that do are a number with its country.
            .when((pl.lit(code) == "1") & digits.str.contains(r"^1[0-9]{10}$"))
            .then(pl.lit("+") + digits)
            .when(~digits.str.starts_with(code))
            .then(pl.lit(f"+{code}") + digits)
        )
        national = full.str.replace(rf"^(\+(?:{_WITH_TRUNK}))0", "${1}")
        good = national.str.contains(r"^\+[1-9][0-9]{6,14}$") & (digits.str.len_chars() >= _SHORTEST) & has_one_number
        good = good.fill_null(value=False)
        kept = is_bad(text) | (text.str.strip_chars() == "") | text.is_null()
        return pl.when(kept).then(text).when(good).then(national).otherwise(bad("no-phone"))
