"""Rows that take unique values from one another: which wait for which, and which wait in a circle."""

from __future__ import annotations

import heapq
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping


def in_order(rows: Iterable[int], waits_for: Mapping[int, Collection[int]]) -> list[int]:
    """Rows in their own order, but each after those that it waits for; those in a circle in their own order, last.

    Args:
        rows: their numbers; smaller ones come first where nothing tells otherwise.
        waits_for: row → the rows that have to go before it.
    """
    numbers = set(rows)
    left = {row: {other for other in waits_for.get(row, ()) if other in numbers and other != row} for row in numbers}
    followers = _turned(left)
    free = [row for row, others in left.items() if not others]
    heapq.heapify(free)
    ordered = []
    while free:
        row = heapq.heappop(free)
        ordered.append(row)
        for follower in followers.get(row, ()):
            left[follower].discard(row)
            if not left[follower]:
                heapq.heappush(free, follower)
    done = set(ordered)
    return [*ordered, *sorted(numbers - done)]


def in_circles(waits_for: Mapping[int, Collection[int]]) -> list[list[int]]:
    """Groups of rows that wait for one another, so that none can go first; each group in order."""
    rows = {*waits_for, *(other for others in waits_for.values() for other in others)}
    onward = {row: {other for other in waits_for.get(row, ()) if other != row} for row in rows}
    onward = _without_ends(onward)
    backward = _turned(onward)
    left = _turned(_without_ends({row: backward[row] for row in onward}))
    groups: list[list[int]] = []
    unseen = set(left)
    beside = _turned(left)
    while unseen:
        group, reached = set(), [min(unseen)]
        while reached:
            row = reached.pop()
            if row not in group:
                group.add(row)
                reached += [*left.get(row, ()), *beside.get(row, ())]
        groups.append(sorted(group))
        unseen -= group
    return groups


def blocked_rows(blocked: Iterable[int], waits_for: Mapping[int, Collection[int]]) -> set[int]:
    """These rows, and all that wait for one of them."""
    followers = _turned(waits_for)
    blocked_all: set[int] = set()
    reached = list(blocked)
    while reached:
        row = reached.pop()
        if row not in blocked_all:
            blocked_all.add(row)
            reached += followers.get(row, ())
    return blocked_all


def _turned(edges: Mapping[int, Collection[int]]) -> dict[int, set[int]]:
    turned: dict[int, set[int]] = defaultdict(set)
    for row, others in edges.items():
        for other in others:
            turned[other].add(row)
    return turned


def _without_ends(edges: Mapping[int, Collection[int]]) -> dict[int, set[int]]:
    """The edges without the rows that lead to none, over and over, until each that is left leads to another."""
    left = {row: set(others) for row, others in edges.items()}
    back = _turned(left)
    ends = [row for row, others in left.items() if not others]
    while ends:
        row = ends.pop()
        del left[row]
        for other in back.get(row, ()):
            if other in left:
                left[other].discard(row)
                if not left[other]:
                    ends.append(other)
    return left
