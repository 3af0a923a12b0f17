"""A trip as the list and its own page show it."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, Any

from vexo.core.planning.verdicts import Verdict

from ...shapes import OneOf, Serialized
from .approval import Approval
from .columns import Column, ColumnTotals
from .open import OpenItem
from .parts import AboutPart, Expected, Part, RouteFit, RowFilter, WentOut
from .passes import Pass, ScheduledPass, TroubleRule
from .plans import AbsentFigures, Damage, FirstStep, Plan, PlannedTotals, Summary
from .reversal import OtherWay
from .rows import FaultGroup
from .status import Needs, Station, StationName
from .sums import Sum


@dataclass(frozen=True, slots=True)
class ApplicationName:
    """The application of a trip; ``may_apply``: the person may write to it."""

    name: str
    label: str
    stage: Annotated[str, OneOf("vexo.server.applications.models.Stage.choices")]
    may_apply: bool


@dataclass(frozen=True, kw_only=True)
class Standing:
    """How a trip stands, as both the list and its own page tell it; see ``TripSummary``."""

    plural: str
    stations: list[Station]
    here: StationName
    needs: Needs
    asks: bool
    finished: bool
    sum: Sum
    rows: int | None
    sent_rows: int | None
    to_write: int
    trouble: str


@dataclass(frozen=True, kw_only=True)
class TripSummary(Standing):
    """A trip for the list. ``here`` is the station that is next; ``asks``: someone is needed; ``rows`` and
    ``sent_rows`` are those of the newest sheet and of what went out; ``to_write``: rows that the newest plan would
    write, if it still counts; ``trouble``: what went wrong last; ``about_part``: of a trip that was shared out, the
    part at which somebody is needed; the list tells of the trip as it stands there."""

    id: int
    title: str
    application: ApplicationName
    record_type: str
    condition: str
    operation: Annotated[str, OneOf("vexo.core.operations.Operation")]
    key: list[str]
    ignores: list[str]
    reach: str
    version: int
    about_part: AboutPart | None
    created_by: Annotated[Any, Serialized("vexo.server.who.WhoSerializer")]
    created_at: datetime
    touched_at: datetime
    job: Annotated[Any, Serialized("vexo.server.jobs.views.JobSerializer", allow_null=True)]


@dataclass(frozen=True, kw_only=True)
class Detail:
    """What a trip's own page shows beside what the list does; see ``TripDetail``. As it is here of a trip whose facts
    cannot be understood."""

    plan: Plan | None = None
    sent_by: int | None = None
    summary: Summary | None = None
    columns: list[Column] = field(default_factory=list)
    passes: list[Pass] = field(default_factory=list)
    reasons: list[FaultGroup] = field(default_factory=list)
    outcomes: list[FaultGroup] = field(default_factory=list)
    outcomes_left: int = 0
    weak: bool = False
    most_atomic: int = 0
    edits: int = 0
    damage: list[Damage] = field(default_factory=list)
    expected: list[Expected] = field(default_factory=list)
    planned_totals: dict[str, PlannedTotals] = field(default_factory=dict)
    parts: list[Part] = field(default_factory=list)
    went_out: WentOut | None = None
    examples: dict[str, str] = field(default_factory=dict)
    on_route: RouteFit | None = None
    open: list[OpenItem] = field(default_factory=list)
    said: list[OpenItem] = field(default_factory=list)
    moved: bool = False
    denied: list[Verdict] = field(default_factory=list)
    approval: Approval | None = None
    scheduled: ScheduledPass | None = None
    times: str = ""
    on_refusals: TroubleRule = field(default_factory=TroubleRule)
    needs_token: bool = False
    takes_back: OtherWay | None = None
    taken_back: list[OtherWay] = field(default_factory=list)
    absent: AbsentFigures | None = None
    pointed: dict[str, int] = field(default_factory=dict)
    pointed_renames: dict[str, int] = field(default_factory=dict)
    first_steps: list[FirstStep] = field(default_factory=list)


@dataclass(frozen=True, kw_only=True)
class TripDetail(Detail, TripSummary):
    """A trip for its own page. ``sent_by``: number of the pass that sent the newest plan; ``reasons``: what stops
    rows of the newest plan; ``outcomes``: rows of the last pass that are not in, or were taken with a warning, by the
    commonest reasons, and ``outcomes_left`` how many more are not in;
    ``examples``: field → a value of it in the application; ``open``: all that waits for a person; ``absent``: what
    becomes of records in reach that the sheet does not have, where such may be deleted; ``pointed`` (and
    ``pointed_renames``): how many other records point to those that are to be deleted (renamed), by where;
    ``first_steps``: rows that are written through another value first; ``denied``: what
    the application's rules have switched off for its records; ``approval`` of its newest plan by somebody else;
    ``scheduled``: the pass that is to begin at a time, or was; ``times`` at which its records may be written, in words,
    empty for all; ``on_refusals``: what a pass does where rows are refused, if nobody says otherwise;
    ``needs_token``: before the person may write, the application asks for a token of their own;
    ``takes_back``: the trip that it takes back, and ``taken_back``: those that take it back."""

    sheets: Annotated[Any, Serialized("vexo.server.trips.sheet_serializers.SheetSerializer", many=True)]
    row_filter: RowFilter
    part: int


@dataclass(frozen=True, slots=True)
class SheetColumnTotals(ColumnTotals):
    """A column of the sheet in figures, by its header."""

    header: str = ""


@dataclass(frozen=True, slots=True)
class FieldTotals(PlannedTotals):
    """The sum of one field before writing, and after it once that is known; ``unread``: how many cells are in none of
    these, since they cannot be read."""

    after: str | None
    unread: int


@dataclass(frozen=True, slots=True)
class TripTotals:
    """Counts and control totals of a trip's sheet."""

    rows: int
    columns: list[SheetColumnTotals]
    fields: dict[str, FieldTotals]
    expected: list[Expected]
