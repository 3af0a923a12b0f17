"""Numbers in the addresses of questions, as they come from anywhere."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping
from difflib import get_close_matches

from rest_framework.exceptions import ValidationError

_MOST_DIGITS = 18
"""Digits that SQLite's integers hold for certain."""
LARGEST = 10**_MOST_DIGITS - 1


def whole_number(query: Mapping[str, str], name: str, otherwise: int, most: int = 2**31) -> int:
    """A whole number of a query, at most ``most``; ``otherwise`` where it is not said.

    Raises:
        ValidationError: for anything else, since what is ignored would show something else than was asked for.
    """
    text = query.get(name, "")
    if not text:
        return otherwise
    if not text.isascii() or not text.isdecimal() or len(text) > _MOST_DIGITS:
        raise ValidationError({name: f"{text[:40]!r} is not a whole number from 0 on."})
    return min(int(text), most)


def one_of(query: Mapping[str, str], name: str, known: Iterable[str]) -> str:
    """A word of a query, or nothing where it is not said. Raises ValidationError for one that is not known."""
    text, words = query.get(name, ""), [*known]
    if text and text not in words:
        near = get_close_matches(text, words, n=1)
        rest = f"Did you mean '{near[0]}'?" if near else f"Use {', '.join(words)}."
        raise ValidationError({name: f"Unknown {name} {text[:40]!r}. {rest}"})
    return text


def holds_text(text: str) -> str:
    """A pattern, for ``iregex``, of what holds a text, in capitals or not and however its accents are written; SQLite's
    own comparison knows the case of ASCII alone."""
    written = dict.fromkeys(unicodedata.normalize(form, text) for form in ("NFC", "NFD"))
    return "|".join(re.escape(one) for one in written)
