"""Optimistic concurrency: work on a trip that is made anew where the trip was changed meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from ..errors import PlainError
from .models import Trip

TRIES = 5
"""Attempts before it is said that the trip changes too fast: nobody changes a trip five times in seconds by hand."""
Result = TypeVar("Result")


def until_unchanged(trip: Trip | None, attempt: Callable[[], Result | None], refusal: str) -> Result:
    """The result of the first attempt that found the trip, at its end, as it was at its beginning.

    Args:
        trip: read anew before each attempt; None for work that begins a trip.
        attempt: gives None where the trip was changed meanwhile, and has written nothing then.
        refusal: what is said where the trip is changed each time.

    Raises:
        PlainError
    """
    for _ in range(TRIES):
        if trip is not None:
            trip.refresh_from_db(from_queryset=Trip.objects.select_related("application"))
        result = attempt()
        if result is not None:
            return result
    raise PlainError(refusal)
