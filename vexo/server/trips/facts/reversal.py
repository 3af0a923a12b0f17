"""A trip that takes back what another wrote."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Reversal:
    """What a trip takes back of another: of which of its passes, the ``records`` that its rows are about there (an
    artifact: ``row_id``, ``@id``), and the ``count`` of those that it has taken back so far, ``landed`` (an artifact:
    ``@id``; empty for none yet)."""

    passes: list[int] = field(default_factory=list)
    records: str = ""
    landed: str = ""
    count: int = 0


@dataclass(frozen=True, slots=True)
class OtherWay:
    """A trip that takes another back, or is taken back: its number and title, and how many records are back so far."""

    trip: int
    title: str
    count: int
