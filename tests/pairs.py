"""Combinations of several choices: all of them, or few that have every two choices together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations, product
from typing import Any

from tests import FULL


def all_pairs(*axes: Sequence[Any]) -> Iterator[tuple[Any, ...]]:
    """Few combinations in which every two choices of different axes come together; with ``VEXO_FULL=1`` all of them.

    Each next one is the combination with most pairs that were not there yet.
    """
    every = list(product(*axes))
    if FULL:
        yield from every
        return

    def pairs_of(case: tuple[Any, ...]) -> set[tuple[Any, ...]]:
        return {(a, case[a], b, case[b]) for a, b in combinations(range(len(axes)), 2)}

    missing = set().union(*map(pairs_of, every))
    while missing:
        best = max(every, key=lambda case: len(pairs_of(case) & missing))
        missing -= pairs_of(best)
        yield best
