"""What a plan is made of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import polars as pl

from ..columns.lanes import PLAIN, Lane
from ..records import RecordType
from .deciding import DECISIONS
from .pairs import Ledger
from .verdicts import Operation

OTHERS = {"@id": pl.String, "part": pl.String}


@dataclass(frozen=True)
class Settings:
    """What the rows are for: operation, key fields, the fields whose values go in, and the rules of those.

    ``most_emptied`` is the share of a column's values above which those that its rule clears are held; ``checks`` are
    fields that are compared and never written.
    """

    operation: Operation
    key: tuple[str, ...]
    carried: tuple[str, ...]
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    most_emptied: float = 0.1
    checks: tuple[str, ...] = ()

    def lane(self, name: str) -> Lane:
        """The rules of a field."""
        return self.lanes.get(name, PLAIN)


@dataclass(frozen=True)
class Inputs:
    """The tables a plan is made of.

    ``carried`` are the rows' typed values; ``now`` and ``kept`` records with ``@id`` and ``@version``; ``shown`` tells
    by which other column of ``kept`` a reference was written out. ``first_new`` is the first row that this sheet
    brought to the trip, and ``left_out`` how many created rows of earlier sheets it lacks. ``unmeant`` are rows that
    are not to be carried (``row_id``, and whether that was said ``by_hand`` or by the sheet's condition). ``others``
    are the records of the trip's other parts (``@id``, and the ``part`` that has them).
    """

    record_type: RecordType
    carried: pl.DataFrame
    now: pl.DataFrame
    kept: pl.DataFrame | None = None
    ledger: Ledger = field(default_factory=Ledger.empty)
    decisions: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=DECISIONS))
    shown: dict[str, str] = field(default_factory=dict)
    first_new: int = 0
    left_out: int = 0
    unmeant: pl.DataFrame = field(
        default_factory=lambda: pl.DataFrame(schema={"row_id": pl.UInt32, "by_hand": pl.Boolean})
    )
    others: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=OTHERS))
