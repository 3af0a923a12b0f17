"""A trip, looked at one of its parts."""

from __future__ import annotations

from dataclasses import dataclass

from ..jobs.leases import Lease
from .models import Trip


@dataclass(frozen=True)
class PartView:
    """A trip and the number of the part that is looked at. A trip that was not shared out has one part, 1."""

    trip: Trip
    part: int

    @classmethod
    def of(cls, trip: Trip, part: int = 0) -> PartView:
        """The view of a part; 0 for the one whose sheet came in last."""
        return cls(trip, part or trip.last_part)

    @classmethod
    def all_of(cls, trip: Trip) -> list[PartView]:
        """The views of all its parts."""
        return [cls(trip, number) for number in trip.parts.values_list("number", flat=True)] or [cls.of(trip)]

    @classmethod
    def of_lease(cls, lease: Lease) -> PartView:
        """The part that a job is about."""
        return cls.of(lease.trip, int(lease.job.arguments.get("part") or 0))

    def at(self, part: int) -> PartView:
        """The same trip, looked at another part."""
        return PartView(self.trip, part)
