"""A trip that takes back what another wrote."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime


@dataclass(frozen=True, slots=True)
class Reversal:
    """What a trip takes back of another: of which of its passes, the ``records`` that its rows are about there (an
    artifact: ``row_id``, ``@id``), and those that it has taken back (an artifact: ``@id``; empty for none yet)."""

    passes: list[int] = field(default_factory=list)
    records: str = ""
    landed: str = ""


@dataclass(frozen=True, slots=True)
class OtherWay:
    """A trip that takes another back: its number and title; ``count`` records that it has taken back."""

    trip: int
    title: str
    at: datetime
    count: int
