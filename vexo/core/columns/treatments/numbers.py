"""Numbers: how they are written, and plain arithmetic, exact to the last digit."""

from __future__ import annotations

import re
from abc import abstractmethod
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError, bad, is_bad

_PLACES = 18
_EXACT = pl.Decimal(38, _PLACES)
_MOST = Decimal(10) ** 19
_PLAIN = r"^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$"
_SPACE = "[\\s\u00a0\u2007\u202f]"
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
    """Numbers as people write them: with a decimal comma, thousands apart, as percentages; a currency's sign or three
    letters before or behind, negative ones in brackets or with the minus behind. What is not so written is not read."""

    written: str = "1234,5"
    do = "number"
    title = "number format"
    says = "read numbers written as {written}"
    arguments = (Argument("written", "one-of", "How numbers are written", {form: form for form in FORMS}),)
    fails = True

    def check(self) -> None:
        if self.written not in FORMS:
            raise TreatmentError(f"{self.written!r} is no form of numbers; use {', '.join(FORMS)}.")

    @property
    def short(self) -> str:
        return f"as {self.written}"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        decimal, thousands, percentage = FORMS[self.written]
        sign = re.escape(decimal)
        between = _SPACE if thousands == " " else re.escape(thousands)
        whole = rf"\d{{1,3}}(?:{between}\d{{3}})+|\d+" if thousands else r"\d+"
        money = rf"(?:\p{{Sc}}|[A-Za-z]{{3}})?{_SPACE}*"
        percent = rf"{_SPACE}*%?" if percentage else ""
        body = rf"((?:{whole})(?:{sign}\d*)?|{sign}\d+)"
        before = rf"^{_SPACE}*(\(|[-\u2212+])?{money}([-\u2212])?"
        behind = rf"{percent}{_SPACE}*(?:\p{{Sc}}|[A-Za-z]{{3}})?(\)|-)?{_SPACE}*$"
        groups = text.str.extract_groups(before + body + behind)
        front, inner, back = (groups.struct[name].fill_null("") for name in ("1", "2", "4"))
        digits = groups.struct["3"]
        if thousands:
            digits = digits.str.replace_all(between, "")
        if decimal == ",":
            digits = digits.str.replace(",", ".", literal=True)
        minus = (front + inner + back).str.contains(r"[-\u2212(]")
        closed = (front == "(") == (back == ")")
        once = (front + inner + back).str.replace_all(r"[()+]", "").str.len_chars() <= 1
        plain = pl.when(minus).then(pl.lit("-") + digits).otherwise(digits)
        if percentage:
            plain = _in_full(plain.cast(_EXACT, strict=False) * pl.lit("0.01").cast(_EXACT))
        read = plain.is_not_null() & closed & once
        return (
            pl.when(read)
            .then(plain)
            .when(is_bad(text) | (text.str.strip_chars() == "") | text.is_null())
            .then(text)
            .otherwise(bad("no-number-form"))
        )


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
        return at_once([self], text)


def at_once(steps: list[Arithmetic], text: pl.Expr) -> pl.Expr:
    """Texts of numbers after several treatments."""
    plain = text.str.strip_chars()
    numbers = pl.when(plain.str.contains(_PLAIN)).then(plain).cast(_EXACT, strict=False)
    for step in steps:
        numbers = pl.when(numbers.abs() <= pl.lit(str(step.most)).cast(_EXACT)).then(numbers)
        numbers = step.counted(numbers)
    places = next((step.places for step in reversed(steps) if step.places is not None), None)
    if places is not None and steps[-1].places is not None:
        done = numbers.cast(pl.Decimal(38, places)).cast(pl.String)
    else:
        done = _in_full(numbers)
    kept = is_bad(text) | (plain == "") | text.is_null()
    return pl.when(numbers.is_not_null()).then(done).when(kept).then(text).otherwise(bad("no-arithmetic"))


def _decimal(text: str) -> Decimal | None:
    try:
        made = Decimal(text)
    except InvalidOperation:
        return None
    return made if made.is_finite() else None


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
                f"{self.by!r} is no factor: a number such as 0.3048, with at most 12 decimals, other than 0."
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
