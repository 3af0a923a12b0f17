"""What went out on a trip, what came back, and its parts."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from vexo.core.planning.verdicts import RowState

from .columns import Option
from .sums import Sum


@dataclass(frozen=True, slots=True)
class SentSheet:
    """The sheet, or the first of several, that went out. ``missing``: keys that found no record, ``not_found`` the
    first of them. ``formulas``: cells of a sheet filled anew that kept theirs, ``formula_cells`` the first of them."""

    id: int
    rows: int
    name: str
    at: datetime
    parts: int
    missing: int
    not_found: list[str]
    formulas: int = 0
    formula_cells: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class NewestSheet:
    """The sheet that came in last; ``recognised`` where it went out from here."""

    id: int
    rows: int
    name: str
    at: datetime
    recognised: bool


@dataclass(frozen=True, slots=True)
class AlsoOut:
    """An open trip that has some of the records out: whose, since when, how many."""

    trip: int
    title: str
    by: str
    since: datetime
    count: int


@dataclass(frozen=True, slots=True)
class PartCounts:
    """How many parts a trip was shared out into, and how many of them are back."""

    all: int = 0
    back: int = 0


@dataclass(frozen=True, slots=True)
class AboutPart:
    """The part of a shared-out trip at which somebody is needed; at ``more`` others somebody is, too."""

    number: int
    label: str
    more: int


@dataclass(frozen=True, slots=True)
class Key:
    """The key fields of the newest sheet, by name and as people know them."""

    names: list[str] = field(default_factory=list)
    labels: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Holdings:
    """What the application holds, as far as columns are compared with it: an example of each field, and the least and
    greatest value of the fields that are measured in a unit."""

    examples: dict[str, str] = field(default_factory=dict)
    ranges: dict[str, list[str]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class RouteFit:
    """A route, and where a sheet's header differs from it.

    Attributes:
        missing: columns that the sheet lacks, and ``new`` ones.
        without: a person goes on without those that it lacks.
        lost: field whose lane lacks its columns → those.
        instead: other columns from which such a lane may take its values.
    """

    id: int
    name: str
    application: str
    record_type: str
    missing: list[str]
    new: list[str]
    without: bool = False
    lost: dict[str, list[str]] = field(default_factory=dict)
    instead: list[Option] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Expected:
    """Something that a person expects: of the column ``what``, or of the rows where that is empty; ``off`` is by how
    much it is more or less, empty where it agrees, ? where it cannot be told."""

    what: str
    expected: str
    now: str
    off: str


@dataclass(frozen=True, slots=True)
class RowFilter:
    """Which rows are carried: ``condition`` on the sheet's columns, and how many are left out by hand."""

    condition: str
    left_out: int


class PartState(StrEnum):
    """Whether a part's sheet is still out, is back, or was written."""

    OUT = "out"
    BACK = "back"
    IN = "in"


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a shared-out trip: its sheet that went out, who has it, how often it came back, and where it stands."""

    number: int
    label: str
    holder: str
    state: PartState
    kind: RowState
    says: str
    sheet: int | None
    name: str
    rows: int
    came: int
    back_rows: int | None
    back_at: datetime | None
    back_by: str | None
    sum: Sum


@dataclass(frozen=True, slots=True)
class LabelledSum:
    """The sum of a field over what went out."""

    label: str
    sum: str


@dataclass(frozen=True, slots=True)
class SumThen:
    """The sum of a field when it went out, and now."""

    name: str
    label: str
    then: str
    is_now: str


@dataclass(frozen=True, slots=True)
class ChangeSince:
    """A cell of a record that changed since it went out; ``ours``: a pass of the trip wrote what is there now."""

    record: str
    label: str
    then: str | None
    is_now: str | None
    ours: bool


@dataclass(frozen=True, slots=True)
class Since:
    """The selection read again: records then and now; of the changed cells ``ours`` were written by this trip; of the
    records that went out ``gone`` are deleted and ``left`` meet the condition no more, ``come`` are new in it."""

    at: datetime
    then: int
    now: int
    records: int
    cells: int
    ours: int
    gone: int
    gone_by_us: int
    left: int
    come: int
    come_by_us: int
    totals: list[SumThen]
    changes: list[ChangeSince]


@dataclass(frozen=True, slots=True)
class WentOut:
    """What went out on a trip: its condition as a sentence, records and sums as they went, keys that found no record,
    who else has some of the records (``also_out_note`` says what was not looked at), and what changed since where that
    was asked. ``pending``: the sheet is not there yet."""

    says: str
    records: int
    totals: list[LabelledSum]
    missing: int
    not_found: list[str]
    formulas: int
    formula_cells: list[str]
    also_out: list[AlsoOut]
    also_out_note: str
    since: Since | None
    parts: int
    pending: bool
