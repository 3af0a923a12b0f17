"""Numbers in the addresses of questions, as they come from anywhere."""

from __future__ import annotations

_MOST_DIGITS = 18
"""Digits that SQLite's integers hold for certain."""
LARGEST = 10**_MOST_DIGITS - 1


def whole_number(text: str, otherwise: int, most: int = 2**31) -> int:
    """A whole number of a query, at most ``most``; ``otherwise`` where the text is not one."""
    if not text.isascii() or not text.isdecimal() or len(text) > _MOST_DIGITS:
        return otherwise
    return min(int(text), most)
