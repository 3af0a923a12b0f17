"""Capitals."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from .base import Argument, Beside, Treatment, TreatmentError

_STYLES = {"upper": "upper case", "lower": "lower case", "title": "title case", "name": "name case"}
_PARTICLES = ("van", "von", "de", "der", "den", "del", "della", "di", "da", "du", "la", "le", "of", "ten", "ter", "zu")
_FIRST = ("van", "von", "de", "der", "den", "ten", "ter", "zu")
"""Those that a name begins with in small letters, too."""
_LETTERS = "abcdefghijklmnopqrstuvwxyz"


@dataclass(frozen=True)
class Case(Treatment):
    """All texts in one style of capitals.

    Title case gives every word a capital. Name case leaves alone what has capitals and small letters already, and knows
    particles (``van der Berg``) and ``McKee``.
    """

    style: str = "upper"
    do = "case"
    title = "upper or lower case"
    says = "write in {style}"
    arguments = (Argument("style", "one-of", "Style of capitals", _STYLES),)

    def check(self) -> None:
        if self.style not in _STYLES:
            raise TreatmentError(f"Unknown style of capitals {self.style!r}. Use {', '.join(_STYLES)}.")

    @property
    def short(self) -> str:
        return _STYLES.get(self.style, self.style)

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        if self.style == "upper":
            return text.str.to_uppercase()
        if self.style == "lower":
            return text.str.to_lowercase()
        titled = _titled(text)
        if self.style == "title":
            return titled
        named = titled.str.replace_many([f"Mc{one}" for one in _LETTERS], [f"Mc{one.upper()}" for one in _LETTERS])
        named = named.str.replace_many([f" {one.title()} " for one in _PARTICLES], [f" {one} " for one in _PARTICLES])
        # Twice: a space between two particles is taken by the first of them.
        named = named.str.replace_many([f" {one.title()} " for one in _PARTICLES], [f" {one} " for one in _PARTICLES])
        for one in _FIRST:
            named = named.str.replace(rf"^{one.title()} ", f"{one} ")
        mixed = (text != text.str.to_lowercase()) & (text != text.str.to_uppercase())
        return pl.when(mixed).then(text).otherwise(named)


def _titled(text: pl.Expr) -> pl.Expr:
    """A capital at the beginning of every word; a letter after a figure begins none (3rd)."""
    titled = text.str.to_titlecase()
    after = [f"{figure}{letter.upper()}" for figure in "0123456789" for letter in _LETTERS]
    small = [f"{figure}{letter}" for figure in "0123456789" for letter in _LETTERS]
    # A possessive is not a new word.
    endings = [f"{mark}S{end}" for mark in "'\u2019" for end in (" ", ",", ".")]
    lowered = [one.replace("S", "s") for one in endings]
    return titled.str.replace_many(after + endings, small + lowered).str.replace(r"('|\u2019)S$", "${1}s")
