"""What a plan is made of."""

from __future__ import annotations

from dataclasses import dataclass, field

import polars as pl

from ..records import RecordType
from .deciding import DECISIONS
from .pairs import Ledger
from .verdicts import Operation


@dataclass(frozen=True)
class Settings:
    """What the rows are for: operation, key fields, and the fields whose values go in."""

    operation: Operation
    key: tuple[str, ...]
    carried: tuple[str, ...]


@dataclass(frozen=True)
class Inputs:
    """The tables a plan is made of.

    ``carried`` are the rows' typed values; ``now`` and ``kept`` records with ``@id`` and ``@version``; ``shown`` tells
    by which other column of ``kept`` a reference was written out. ``first_new`` is the first row that this sheet
    brought to the trip, and ``left_out`` how many created rows of earlier sheets it lacks.
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
