"""Numbers: how they are written, and plain arithmetic, exact to the last digit."""

from __future__ import annotations

import re
from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError, bad, is_bad

_PLACES = 18
"""Decimals that arithmetic keeps: more than fields have, so that only the last step rounds."""
_EXACT = pl.Decimal(38, _PLACES)
_MOST = Decimal(10) ** 19
_PLAIN = r"^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$"
_SPACE = "[\\s\u00a0\u2007\u202f]"
_CURRENCIES = (
    "AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BHD BIF BMD BND BOB BRL BSD BTN BWP BYN BZD CAD CDF CHF "
    "CLP CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GNF GTQ GYD HKD HNL HRK "
    "HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL "
    "MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON "
    "RSD RUB RWF SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TND TOP TRY TTD TWD TZS UAH "
    "UGX USD UYU UZS VES VND VUV WST XAF XCD XOF XPF YER ZAR ZMW ZWL"
)
MONEY = rf"\p{{Sc}}|{_CURRENCIES.replace(' ', '|')}|eur|usd|gbp|chf|nok|sek|dkk|jpy"
"""A currency beside a number (ISO 4217), in capitals but for those that are no other words."""
FORMS = {
    "1234.5": (".", "", False),
    "1234,5": (",", "", False),
    "1,234.5": (".", ",", False),
    "1.234,5": (",", ".", False),
    "1 234.5": (".", " ", False),
    "1 234,5": (",", " ", False),
    "1'234.5": (".", "'", False),
    "1'234,5": (",", "'", False),
    "12.5 %": (".", "", True),
    "12,5 %": (",", "", True),
}
"""How a number is written → decimal sign, what stands between thousands, whether it is a percentage (12 % is 0.12)."""


@dataclass(frozen=True)
class Number(Treatment):
    """Numbers as people write them: with a decimal comma, thousands apart, as percentages; a currency's sign or its
    three letters (ISO 4217) before or behind, negative ones in brackets or with the minus behind. What is not so
    written is not read: no other word behind a number, and no number without its sign among percentages."""

    written: str = "1234,5"
    do = "number"
    title = "number format"
    says = "read numbers written as {written}"
    arguments = (Argument("written", "one-of", "How numbers are written", {form: form for form in FORMS}),)
    fails = True

    def check(self) -> None:
        if self.written not in FORMS:
            raise TreatmentError(f"Unknown form of numbers {self.written!r}. Use {', '.join(FORMS)}.")

    @property
    def short(self) -> str:
        return f"as {self.written}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        return text.map_batches(lambda texts: self._read(texts.rename("text")), return_dtype=pl.String)

    def run(self, frame: pl.DataFrame, beside: Beside) -> pl.Series:
        return self._read(frame["text"])

    def _read(self, texts: pl.Series) -> pl.Series:
        """Numbers that are simply written at once, what else there is with more care."""
        decimal, thousands, percentage = FORMS[self.written]
        if percentage:
            return self._with_care(texts)
        whole = rf"\d{{1,3}}(?:{re.escape(thousands)}\d{{3}})+|\d+" if thousands else r"\d+"
        plain = texts.str.strip_chars()
        simple = plain.str.contains(rf"^[+-]?(?:{whole})(?:{re.escape(decimal)}\d*)?$")
        if thousands:
            plain = plain.str.replace_all(thousands, "", literal=True)
        if decimal == ",":
            plain = plain.str.replace(",", ".", literal=True)
        others = ~simple & texts.is_not_null()
        if not others.any():
            return plain.alias("text")
        return plain.scatter(others.arg_true(), self._with_care(texts.filter(others))).alias("text")

    def _with_care(self, texts: pl.Series) -> pl.Series:
        decimal, thousands, percentage = FORMS[self.written]
        sign = re.escape(decimal)
        between = _SPACE if thousands == " " else re.escape(thousands)
        whole = rf"\d{{1,3}}(?:{between}\d{{3}})+|\d+" if thousands else r"\d+"
        money = rf"(?:{MONEY})?{_SPACE}*"
        percent = rf"{_SPACE}*%" if percentage else ""
        body = rf"(?P<digits>(?:{whole})(?:{sign}\d*)?|{sign}\d+)"
        before = rf"^{_SPACE}*(?P<front>\(|[-\u2212+])?{money}(?P<inner>[-\u2212])?"
        behind = rf"{percent}{_SPACE}*(?:{MONEY})?(?P<back>\)|-)?{_SPACE}*$"
        groups = pl.col("text").str.extract_groups(before + body + behind).alias("groups")
        frame = texts.to_frame("text").with_columns(groups).unnest("groups")
        digits = pl.col("digits")
        if thousands:
            digits = digits.str.replace_all(between, "")
        if decimal == ",":
            digits = digits.str.replace(",", ".", literal=True)
        signs = pl.concat_str(pl.col("front", "inner", "back").fill_null(""))
        frame = frame.with_columns(digits.alias("digits"), signs.alias("signs"))
        minus = pl.col("signs").str.contains(r"[-\u2212(]")
        closed = (pl.col("front").fill_null("") == "(") == (pl.col("back").fill_null("") == ")")
        once = pl.col("signs").str.replace_all(r"[()+]", "").str.len_chars() <= 1
        frame = frame.with_columns(
            pl.when(closed & once & minus)
            .then(pl.lit("-") + pl.col("digits"))
            .when(closed & once)
            .then("digits")
            .alias("plain")
        )
        if percentage:
            exact = pl.col("plain").cast(_EXACT, strict=False) * pl.lit("0.01").cast(_EXACT)
            frame = frame.with_columns(_in_full(exact).alias("plain"))
        text = pl.col("text")
        kept = is_bad(text) | (text.str.strip_chars() == "") | text.is_null()
        result = pl.when(pl.col("plain").is_not_null()).then("plain").when(kept).then(text)
        return frame.select(result.otherwise(bad("no-number-form")).alias("text"))["text"]


def _in_full(numbers: pl.Expr) -> pl.Expr:
    """Exact numbers as texts, without zeros behind."""
    return numbers.cast(pl.String).str.strip_chars_end("0").str.strip_chars_end(".")


@dataclass(frozen=True)
class Arithmetic(Treatment):
    """A treatment of numbers that are plainly written. Several in a row are done at once, without a text in between."""

    fails = True

    @abstractmethod
    def counted(self, numbers: pl.Expr) -> pl.Expr:
        """The numbers (``_EXACT``) after it."""

    @property
    def places(self) -> int | None:
        """How many decimals its numbers have for certain."""
        return None

    @property
    def most(self) -> Decimal:
        """The greatest number that it can take."""
        return _MOST

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        return text.map_batches(lambda texts: at_once([self], texts), return_dtype=pl.String)

    def run(self, frame: pl.DataFrame, beside: Beside) -> pl.Series:
        return at_once([self], frame["text"])


def at_once(steps: Sequence[Arithmetic], texts: pl.Series, *, plain: bool = False) -> pl.Series:
    """Texts of numbers after several treatments.

    Args:
        plain: what is not a number among them was found by a treatment before.
    """
    text, numbers = pl.col("text"), pl.col("number")
    plain_text = text if plain else pl.when(text.str.strip_chars().str.contains(_PLAIN)).then(text.str.strip_chars())
    frame = texts.to_frame("text").with_columns(plain_text.cast(_EXACT, strict=False).alias("number"))
    for step in steps:
        within = pl.when(numbers.abs() <= pl.lit(str(step.most)).cast(_EXACT)).then(numbers)
        frame = frame.with_columns(within.alias("number")).with_columns(step.counted(numbers).alias("number"))
    places = steps[-1].places
    done = _in_full(numbers) if places is None else numbers.cast(pl.Decimal(38, places)).cast(pl.String)
    kept = is_bad(text) | text.is_null() | (text.str.strip_chars() == "")
    frame = frame.with_columns(done.alias("done"))
    lost = frame["done"].is_null()
    if not lost.any():
        return frame["done"].alias("text")
    rest = frame.filter(lost).select(pl.when(kept).then(text).otherwise(bad("no-arithmetic")).alias("text"))["text"]
    return frame["done"].scatter(lost.arg_true(), rest).alias("text")


def _decimal(text: str) -> Decimal | None:
    try:
        decimal = Decimal(text)
    except InvalidOperation:
        return None
    return decimal if decimal.is_finite() else None


@dataclass(frozen=True)
class Multiply(Arithmetic):
    """Numbers times a factor, exact: 39.4 by 0.3048 is 12.00912."""

    by: str = "1"
    do = "multiply"
    title = "multiply"
    says = "multiply by {by}"
    arguments = (Argument("by", "number", "Factor"),)

    def check(self) -> None:
        factor = _decimal(self.by)
        if factor is None or factor == 0 or abs(factor) > 10**9 or -int(factor.as_tuple().exponent) > 12:
            raise TreatmentError(
                f"{self.by!r} is not a factor: a number such as 0.3048, with at most 12 decimals, other than 0."
            )

    @property
    def short(self) -> str:
        return f"×{self.by}"

    @property
    def most(self) -> Decimal:
        factor = abs(_decimal(self.by) or Decimal(1))
        return (_MOST / max(factor, Decimal(1))).quantize(Decimal(1))

    def counted(self, numbers: pl.Expr) -> pl.Expr:
        return numbers * pl.lit(format(_decimal(self.by) or Decimal(1), "f")).cast(_EXACT)


@dataclass(frozen=True)
class Round(Arithmetic):
    """Numbers to so many decimals; a half goes away from zero, as people round money."""

    to: int = 2
    do = "round"
    title = "round"
    says = "round to {to} decimals"
    arguments = (Argument("to", "whole", "Decimals"),)

    def check(self) -> None:
        if not 0 <= self.to <= 10:
            raise TreatmentError("Round to 0 to 10 decimals.")

    @property
    def short(self) -> str:
        return f"{self.to} dec."

    @property
    def places(self) -> int | None:
        return self.to

    def counted(self, numbers: pl.Expr) -> pl.Expr:
        return numbers.round(self.to, mode="half_away_from_zero")
