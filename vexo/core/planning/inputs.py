"""What a plan is made of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import polars as pl

from ..columns.lanes import PLAIN, Lane
from ..conditions import Condition
from ..guards import USUAL, GuardSettings
from ..operations import Operation
from ..records import EXACT, IDENTIFIER, Ignored, RecordType
from ..sheets.sheet import ROW_ID
from ..spread import Spread
from .decisions import DECISIONS
from .merge_base import Ledger
from .verdicts import Verdict

OTHER_PARTS = {IDENTIFIER: pl.String, "part": pl.String}
EXCLUDED_ROWS = {ROW_ID: pl.UInt32, "by_hand": pl.Boolean}


@dataclass(frozen=True)
class Reach:
    """The records that a trip may touch: their ``ids``, and the condition that new ones have to meet, if any."""

    ids: pl.Series
    condition: Condition | None = None


@dataclass(frozen=True)
class Settings:
    """What the rows are for.

    Attributes:
        operation: what to do with them.
        key: the fields that find their records.
        carried: the fields whose values go in, in the order of the sheet.
        lanes: the rules of fields of which anything was said.
        guards: what guards do, and from which limits on.
        checks: fields that are compared and never written.
        asked: fields of which it is asked in which form, in which unit or from which column their values come.
        ignores: what makes no difference between keys.
        deny: verdicts that the application's rules have switched off.
        reach: ``documents.SENT``, a condition on records, or empty for all records of the type.
    """

    operation: Operation
    key: tuple[str, ...]
    carried: tuple[str, ...]
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    guards: GuardSettings = USUAL
    checks: tuple[str, ...] = ()
    asked: frozenset[str] = frozenset()
    ignores: frozenset[Ignored] = EXACT
    reach: str = ""
    deny: frozenset[Verdict] = frozenset()

    def lane(self, name: str) -> Lane:
        """The rules of a field."""
        return self.lanes.get(name, PLAIN)


@dataclass(frozen=True)
class Inputs:
    """The tables a plan is made of.

    Attributes:
        carried: the rows' typed values (``columns.carried_columns``).
        now: records as the application holds them, with ``@id`` and ``@version``.
        kept: records as they went out, or None for a sheet from elsewhere.
        decisions: the answers that count.
        shown: reference field → the column of ``kept`` with which it was written out.
        first_new: number of the first row that this sheet brought to the trip.
        unmatched_creates: how many rows of earlier sheets made records, and are not in this one.
        excluded_rows: rows excluded by the sheet's condition or ``by_hand``.
        other_parts: the records of the trip's other parts, and the ``part`` that has them.
        reach: the records that the trip may touch; None for all of the type.
        takes_back: the trip takes back what another wrote: records that were changed since are asked about.
        referrers: where records are taken back, what points to them (``pointed.REFERRERS``).
        spreads: field → how its values are spread in the application, of numbers and days.
    """

    record_type: RecordType
    carried: pl.DataFrame
    now: pl.DataFrame
    kept: pl.DataFrame | None = None
    ledger: Ledger = field(default_factory=Ledger.empty)
    decisions: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=DECISIONS))
    shown: dict[str, str] = field(default_factory=dict)
    first_new: int = 0
    unmatched_creates: int = 0
    excluded_rows: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=EXCLUDED_ROWS))
    other_parts: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=OTHER_PARTS))
    reach: Reach | None = None
    spreads: Mapping[str, Spread] = field(default_factory=dict)
    takes_back: bool = False
    referrers: pl.DataFrame | None = None
