"""Plans of a trip, as they are stored and told."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

from vexo.core.planning.guards import GuardCode
from vexo.core.planning.verdicts import AbsentVerdict, AbsentWhy, RowState

from .columns import CheckFigures
from .sums import Sum


@dataclass(frozen=True, slots=True)
class ColumnFigures:
    """What a plan does to a field: cells changed, held, unreadable, emptied and left, left since filled before; the sum
    of a number field over the changed cells before and after. ``cleared`` of those changed would empty a field, without
    those of which a person said so; ``filled``: rows whose record has a value there; ``updated`` of those changed are
    in records that are there, and ``alike`` is the one value that all of these get."""

    field: str
    label: str
    changed: int
    held: int
    unreadable: int
    emptied: int
    filled_before: int
    two_way: bool
    before: str | None = None
    after: str | None = None
    difference: str | None = None
    cleared: int = 0
    filled: int = 0
    updated: int = 0
    alike: str | None = None


@dataclass(frozen=True, slots=True)
class Check(CheckFigures):
    """The figures of a check, by its field."""

    field: str


@dataclass(frozen=True, slots=True)
class Reason:
    """Rows with one fault, as they are stored: the words and answers are made when it is told."""

    state: RowState
    code: str
    field: str
    label: str
    arguments: list[str]
    count: int
    first: int


@dataclass(frozen=True, slots=True)
class Damage:
    """What a spreadsheet did to cells of one column: how many, of how many it is sure, how many can be repaired; the
    first rows, and an example of what stands there and what stood there. ``meant`` of them are so on purpose, as a
    person says; ``field`` is where they go."""

    kind: str
    column: str
    header: str
    says: str
    count: int
    sure: int
    repairs: int
    rows: list[int]
    text: str
    repair: str | None
    field: str = ""
    meant: int = 0


@dataclass(frozen=True, slots=True)
class PlannedTotals:
    """The sum of one field before writing: all rows of the sheet, as the rows that land will be, the same records as
    they are."""

    sheet: str
    planned: str
    before: str


@dataclass(frozen=True, slots=True)
class SetGuard:
    """What is asked about the whole plan: ``count`` records, of ``of`` in all (of those that are mostly new: beside so
    many that change); of one field, and of the value that it gets, where it is about these. ``answered``: a person has
    said that so many are meant; ``asks``: it waits for an answer, and is not only said."""

    code: GuardCode
    count: int
    of: int
    answered: bool
    field: str = ""
    label: str = ""
    value: str = ""
    asks: bool = True


@dataclass(frozen=True, slots=True)
class AbsentReason:
    """Records that the sheet does not have and that are not simply deleted, by why (``core.planning.absent``)."""

    verdict: AbsentVerdict
    reason: AbsentWhy
    count: int


@dataclass(frozen=True, slots=True)
class AbsentSum:
    """The second sum: records in reach that no row is about, where they are to become what the sheet says. ``delete``
    of them go, ``held`` wait for an answer, ``kept`` stay; ``reach`` records are in reach in all. ``weak``: one that
    goes has no version; ``confirmed``: a person has said of each that goes that it is to."""

    delete: int
    held: int
    kept: int
    reach: int
    reasons: list[AbsentReason]
    weak: bool = False
    confirmed: bool = False


@dataclass(frozen=True, slots=True)
class AbsentGroup(AbsentReason):
    """Such records with why, in words."""

    says: str


@dataclass(frozen=True, slots=True)
class AbsentFigures:
    """The second sum as it is told (``AbsentSum``)."""

    delete: int
    held: int
    kept: int
    reach: int
    groups: list[AbsentGroup]


@dataclass(frozen=True, slots=True)
class FirstStep:
    """A row that is written through another value first, so that a circle of unique values opens."""

    row_id: int
    field: str
    text: str


@dataclass(frozen=True, slots=True)
class PlanSummary:
    """A plan in figures. ``elsewhere``: rows that stay the same, and whose record the application changed since;
    ``pointed`` (and ``pointed_renames``): records that point to those to be deleted (renamed), by where;
    ``keys_not_read``: how many records the type has, where that is too many to read all their keys;
    ``patterns_not_read``: fields with texts of which it was not seen whether a spreadsheet damaged them, since the type
    has too many records to read all values; ``weak``: a record
    that is changed or deleted has no version; ``most_atomic``: rows that it takes all or nothing at most; ``absent``:
    what becomes of records without a row, where the plan may delete such; ``first_steps``: rows that go in two;
    ``warnings``: what whoever changes a field should know, by its name, the type under an empty one."""

    rows: int
    blank_rows: int
    total_rows: int
    verdicts: Sum
    elsewhere: int
    known_rows: dict[str, int]
    columns: list[ColumnFigures]
    checks: list[Check]
    key: list[str]
    reasons: list[Reason]
    totals: dict[str, PlannedTotals]
    weak: bool
    most_atomic: int
    pointed: dict[str, int]
    damage: list[Damage]
    keys_not_read: int
    guards: list[SetGuard] = field(default_factory=list)
    absent: AbsentSum | None = None
    pointed_renames: dict[str, int] = field(default_factory=dict)
    first_steps: list[FirstStep] = field(default_factory=list)
    warnings: dict[str, str] = field(default_factory=dict)
    patterns_not_read: list[str] = field(default_factory=list)

    @property
    def deletes(self) -> int:
        """How many records it deletes, those that the sheet does not have among them."""
        return self.verdicts.get(RowState.DELETE, 0) + (self.absent.delete if self.absent is not None else 0)

    @property
    def writes(self) -> int:
        """How many records it creates, updates or deletes."""
        return self.deletes + sum(self.verdicts.get(state, 0) for state in (RowState.CREATE, RowState.UPDATE))


@dataclass(frozen=True, slots=True)
class StoredPlan:
    """The newest plan of a sheet: its number in the trip, and the revision of the trip that it was made of."""

    number: int
    revision: int
    sheet: int
    summary: PlanSummary
    made_at: datetime


@dataclass(frozen=True, slots=True)
class Plan:
    """The newest plan: its number in the trip, and whether it still counts."""

    number: int
    current: bool
    made_at: datetime


@dataclass(frozen=True, slots=True)
class Summary:
    """The newest plan in figures: rows by verdict, the key that found their records, and what could not be read for it,
    as ``PlanSummary`` has it."""

    verdicts: Sum
    key: list[str]
    keys_not_read: int
    patterns_not_read: list[str]
