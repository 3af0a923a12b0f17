"""Measured keys, as they are told."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

from vexo.core.planning.verdicts import AbsentVerdict

from .rows import AnswerOption


@dataclass(frozen=True, slots=True)
class KeyRows:
    """How many rows find one record, none, several; whose key is blank or cannot be read; and, of those that find one,
    whose record another row finds too."""

    one: int
    none: int
    several: int
    blank: int
    shared: int


@dataclass(frozen=True, slots=True)
class KeyCandidate:
    """What one key would give.

    Attributes:
        declared: the application promises that no two records share it.
        recommended: it is the best measured, and ``why`` says by what.
        weaker: what is not sure with it, in a sentence; empty where nothing is.
        different: how many different keys the rows have, and ``distinct`` how many the records.
    """

    fields: list[str]
    labels: list[str]
    declared: bool
    recommended: bool
    why: str
    weaker: str
    different: int
    distinct: int
    rows: KeyRows


@dataclass(frozen=True, slots=True)
class MeasuredKeys:
    """The keys of a sheet, measured.

    Attributes:
        records: how many records they were looked for among, and ``read_at`` when these were read.
        current: whether it still counts: the sheet, its columns and edits, and what makes no difference between keys
            are as they were.
        type_size: how many records the type had when the sheet was planned last, where it was.
    """

    candidates: list[KeyCandidate]
    rows: int
    records: int
    read_at: datetime | None
    ignores: list[str]
    current: bool
    type_size: int | None = None


@dataclass(frozen=True, slots=True)
class AbsentRecord:
    """A record that no row is about: its ID, and its key as people know it, field by field. Where such may be deleted:
    the number by which it is answered about, what becomes of it, why it is not simply deleted, and how many others
    point to it."""

    identifier: str
    key: list[str]
    row_id: int | None = None
    verdict: AbsentVerdict | None = None
    says: str = ""
    pointed: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class AbsentRecords:
    """Records in reach that no row of the sheet is about.

    Attributes:
        known: whether that can be told.
        count: how many these are, of ``reach`` records in all; the first 200 are listed.
        labels: the fields of their key.
        answers: where such may be deleted, the answers about those whose deletion is held.
    """

    known: bool
    count: int
    reach: int
    labels: list[str]
    records: list[AbsentRecord]
    answers: list[AnswerOption] = field(default_factory=list)
