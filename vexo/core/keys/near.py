"""Near keys: for a key that was not found, the existing ones it was probably meant to be."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable

from rapidfuzz import process
from rapidfuzz.distance import OSA

SEPARATOR = " \u00b7 "
_LOOKS = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1", "i": "1"})
_MOST = 3
"""Near keys that are told of one that was not found."""


def _loose(key: str) -> str:
    return re.sub(r"[\s\-_./]+", "", key.casefold())


def _without_zeros(key: str) -> str:
    return re.sub(r"(?<!\d)0+(?=\d)", "", _loose(key))


_FORMS: tuple[Callable[[str], str], ...] = (
    str.casefold,
    _loose,
    lambda key: _loose(key.translate(_LOOKS)),
    _without_zeros,
)


def near_keys(missing: Iterable[str], existing: Iterable[str]) -> dict[str, list[str]]:
    """Each missing key with the existing ones nearest to it, by the first way in which any is near.

    Ways, in order: other capitals; spaces and separators; O/0 and l/1/I; zeros at the front; two neighbours swapped
    or one character more, less or other, if the key has five characters and the difference is not figure for figure.
    """
    wanted, there = list(missing), list(existing)
    found: dict[str, list[str]] = {}
    for form in _FORMS:
        left = [key for key in wanted if key not in found]
        if not left:
            return found
        index: dict[str, list[str]] = {}
        for key in there:
            index.setdefault(form(key), []).append(key)
        found.update({key: index[form(key)][:_MOST] for key in left if form(key) in index})
    for key in wanted:
        if key not in found and len(key) >= 5:
            close = process.extract(key, there, scorer=OSA.distance, score_cutoff=1, limit=_MOST * 4)
            fits = [str(other) for other, _, _ in close if not _figure_for_figure(key, str(other))]
            if fits:
                found[key] = fits[:_MOST]
    return found


def _figure_for_figure(left: str, right: str) -> bool:
    if len(left) != len(right):
        return False
    differing = [(a, b) for a, b in zip(left, right, strict=True) if a != b]
    return len(differing) == 1 and differing[0][0].isdigit() and differing[0][1].isdigit()
