"""Passes of a trip, as they are stored and told."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Annotated, Any

from ...shapes import Serialized
from .plans import PlannedTotals, Reason
from .rows import FaultGroup
from .sums import Sum


class PassState(StrEnum):
    """How a pass stands."""

    RUNNING = "running"
    INTERRUPTED = "interrupted"
    PAUSED = "paused"
    ENDED = "ended"
    STOPPED = "stopped"
    GIVEN_UP = "given up"


OPEN_PASS = (PassState.RUNNING, PassState.INTERRUPTED, PassState.PAUSED)


@dataclass(frozen=True, slots=True)
class AbsentOutcome:
    """The second sum after a pass: records that the sheet does not have, by what became of them. ``waiting`` were not
    sent, ``held`` had no answer, ``kept`` stay; ``reasons`` are those of the refused and unclear."""

    deleted: int
    refused: int
    unclear: int
    waiting: int
    held: int
    kept: int
    reasons: list[Reason] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class AbsentResult:
    """The second sum after a pass as it is told (``AbsentOutcome``)."""

    deleted: int
    refused: int
    unclear: int
    waiting: int
    held: int
    kept: int
    groups: list[FaultGroup]


@dataclass(frozen=True, slots=True)
class StoredPass:
    """One sending of rows. ``totals``: what was sent by what became of it; ``sum``: all rows of its plan; ``absent``:
    records that the sheet does not have, where such could be deleted; ``not_as_sent``: values, and records that are or
    are not there, which reading back found otherwise."""

    number: int
    plan: int
    sheet: int
    part: int
    state: PassState
    rows: int
    atomic: bool
    totals: Sum | None
    sum: Sum | None
    reasons: list[Reason]
    reason: str
    by: str
    started_at: datetime
    ended_at: datetime | None
    absent: AbsentOutcome | None = None
    stop_after: int | None = None
    take_back: bool = False
    not_as_sent: int = 0


class ScheduledState(StrEnum):
    """How a pass stands that was to begin at a time: it waits for it, or nothing was sent."""

    WAITING = "waiting"
    LAPSED = "lapsed"


@dataclass(frozen=True, slots=True)
class ScheduledFacts:
    """A plan that is to be sent at a time, and by whom that was said; ``reason``: why nothing was sent then."""

    plan: int
    at: datetime
    state: ScheduledState
    by: str
    reason: str = ""


@dataclass(frozen=True, slots=True)
class ScheduledPass:
    """The same as it is told. ``counts``: its plan is still the one that counts."""

    plan: int
    at: datetime
    state: ScheduledState
    by: Annotated[Any, Serialized("vexo.server.who.WhoSerializer")]
    reason: str
    counts: bool


@dataclass(frozen=True, slots=True)
class TroubleRule:
    """What a pass does where rows are refused: it carries on, or stops once so many are (``stop_after``), and with
    ``take_back`` prepares then to take back what it wrote."""

    stop_after: int | None = None
    take_back: bool = False


@dataclass(frozen=True, slots=True)
class WrittenTotals(PlannedTotals):
    """The sum of one field over a trip's rows; after writing, once it is known."""

    after: str | None


@dataclass(frozen=True, slots=True)
class SelectionTotals:
    """The sum of one field over the trip's selection."""

    before: str
    after: str


@dataclass(frozen=True, slots=True)
class RecordCounts:
    """Records before a pass, and what became of them. ``moved`` left the selection by an update (negative), ``others``
    are changes that were not ours."""

    before: int
    after: int
    created: int = 0
    deleted: int = 0
    moved: int = 0
    others: int = 0
    totals: dict[str, SelectionTotals] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Difference:
    """A written field that is not as it was sent."""

    row_id: int
    row: int
    field: str
    sent: str | None
    found: str | None


@dataclass(frozen=True, slots=True)
class ReadBackCounts:
    """How many rows and values of each kind a report is about; its lists hold the first of them."""

    lost: int = 0
    differences: int = 0
    by_itself: int = 0


@dataclass(frozen=True, slots=True)
class Report:
    """What reading back found: of ``records`` that were written, ``as_sent`` are as they were sent; ``lost`` are rows
    whose record is not there, ``differences`` values that are others, ``by_itself`` those that the application made of
    ours, ``set`` fields that it filled; of ``deleted`` records ``gone`` are gone; ``warnings`` rows were taken with
    one. The lists hold the first of them, ``counts`` how many there are."""

    records: int = 0
    as_sent: int = 0
    lost: list[int] = field(default_factory=list)
    differences: list[Difference] = field(default_factory=list)
    by_itself: list[Difference] = field(default_factory=list)
    set: dict[str, int] = field(default_factory=dict)
    deleted: int = 0
    gone: int = 0
    warnings: int = 0
    totals: dict[str, WrittenTotals] = field(default_factory=dict)
    type: RecordCounts | None = None
    selection: RecordCounts | None = None
    counts: ReadBackCounts | None = None


@dataclass(frozen=True, slots=True)
class Pass:
    """One sending of rows, with what reading back found. ``sum``: all rows of its plan by what became of them, or of
    earlier passes."""

    number: int
    plan: int
    state: PassState
    rows: int
    totals: Sum | None
    sum: Sum | None
    report: Report | None
    reason: str
    atomic: bool
    by: Annotated[Any, Serialized("vexo.server.who.WhoSerializer")]
    started_at: datetime
    ended_at: datetime | None
    absent: AbsentResult | None = None
    stop_after: int | None = None
    take_back: bool = False
