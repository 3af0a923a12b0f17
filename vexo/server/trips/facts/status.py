"""Where a trip stands: what is stored with it, and its stations."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from vexo.core.planning.verdicts import RowState

from .approval import ApprovalFacts
from .columns import Question, SheetColumn
from .parts import AlsoOut, Holdings, Key, NewestSheet, PartCounts, RouteFit, SentSheet
from .passes import ScheduledFacts, StoredPass
from .plans import StoredPlan


class StationName(StrEnum):
    """The six places of a trip, in their order."""

    FILE = "file"
    COLUMNS = "columns"
    KEYS = "keys"
    REVIEW = "review"
    APPLY = "apply"
    OUTCOME = "outcome"


class StationState(StrEnum):
    """Whether a station lies behind, is next, or lies ahead."""

    DONE = "done"
    HERE = "here"
    AHEAD = "ahead"


@dataclass(frozen=True, slots=True)
class Station:
    """``says`` its state in words, ``asks`` whether someone is needed there."""

    name: StationName
    state: StationState
    says: str
    asks: bool = False


@dataclass(frozen=True, slots=True)
class Needs:
    """What the list of trips says of a trip: a state to colour it by, the words, and the time that they end with."""

    kind: RowState
    says: str
    at: datetime | None = None


@dataclass(frozen=True, slots=True)
class PartFacts:
    """What each part of a trip has of its own."""

    sheet: NewestSheet | None = None
    columns: list[SheetColumn] = field(default_factory=list)
    key: Key = field(default_factory=Key)
    plan: StoredPlan | None = None
    questions: dict[str, list[Question]] = field(default_factory=dict)
    on_route: RouteFit | None = None
    approval: ApprovalFacts | None = None
    scheduled: ScheduledFacts | None = None


@dataclass(frozen=True, slots=True)
class StatusFacts(PartFacts):
    """What is stored of a trip: of the part whose sheet came in last, and of the trip as a whole. ``plural`` is what
    its records are called."""

    plural: str = ""
    sent: SentSheet | None = None
    holds: Holdings = field(default_factory=Holdings)
    passes: list[StoredPass] = field(default_factory=list)
    edits: int = 0
    also_out: list[AlsoOut] = field(default_factory=list)
    also_out_note: str = ""
    parts: PartCounts = field(default_factory=PartCounts)
