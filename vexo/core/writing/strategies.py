"""What every operation on a record knows of itself."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from ..new_records import number_of, row_of
from ..planning.verdicts import DONE, Verdict
from ..records import IDENTIFIER, VERSION, RecordType
from .results import Settled, WriteResult


@dataclass(frozen=True)
class Write:
    """One record to be written.

    ``at`` is its place in the pass; ``values`` are typed; ``version`` is the one that was reviewed; ``before`` the
    fields as they were reviewed; ``number`` names the request where the application promises repeatable ones;
    ``resent`` tells that an earlier sending may have reached the application.
    """

    at: int
    row_id: int
    verdict: Verdict
    identifier: str | None
    version: str | None
    values: Mapping[str, Any]
    before: Mapping[str, Any] = field(default_factory=dict)
    number: str = ""
    resent: bool = False


@dataclass(frozen=True)
class Request:
    """What an application is asked: what to do with which record."""

    what: Verdict
    identifier: str | None
    version: str | None
    values: Mapping[str, Any]


@dataclass(frozen=True)
class Rules:
    """What settling has to know: the record type, the key of the plan, and whether the type promises versions."""

    record_type: RecordType
    key: Sequence[str]
    versions: bool


def plain(value: Any) -> Any:
    """A cell as plain Python."""
    return value.to_list() if isinstance(value, pl.Series) else value


def equal(left: Any, right: Any) -> bool:
    """Whether two typed values are the same; sets in any order, an empty set is empty."""
    left, right = plain(left), plain(right)
    if isinstance(left, list) or isinstance(right, list):
        return sorted(left or []) == sorted(right or [])
    return bool(left == right)


def holds(record: Mapping[str, Any], values: Mapping[str, Any]) -> bool:
    """Whether a record has all these values."""
    return all(equal(record.get(name), value) for name, value in values.items())


def moved(record: Mapping[str, Any], before: Mapping[str, Any]) -> list[str]:
    """The fields of a record that are no longer as they were reviewed."""
    return [name for name, value in before.items() if name in record and not equal(record[name], value)]


def lost_parents(write: Write) -> dict[str, str]:
    """Fields in which a write refers to a record that another row was to make, and which is not there: each with the
    number of that row."""
    return {name: number_of(value) for name, value in write.values.items() if row_of(value) is not None}


class NoRecordError(Exception):
    """A change or a deletion that names no record, or a reference to none: always a fault of the program."""


class WriteStrategy(ABC):
    """Create, update or delete."""

    verdict: Verdict

    def request(self, write: Write) -> Request:
        """What the application is asked. Raises NoRecordError where a change or a deletion names no record."""
        if self.verdict != Verdict.CREATE and not write.identifier:
            raise NoRecordError(f"The write of row {write.row_id} names no record.")
        if lost_parents(write):
            raise NoRecordError(f"The write of row {write.row_id} refers to a record that was not made.")
        return Request(self.verdict, write.identifier, write.version, write.values)

    def done(self, write: Write, record: Mapping[str, Any] | None) -> WriteResult:
        """The answer of a write that is known to have happened."""
        values = {name: plain(value) for name, value in (record or {}).items() if not name.startswith("@")}
        identifier = (record or {}).get(IDENTIFIER) or write.identifier
        return WriteResult(write.at, DONE[self.verdict], identifier, (record or {}).get(VERSION), values=values)

    @abstractmethod
    def just_before(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> WriteResult | None:
        """Without versions: the refusal of a write whose record is no longer as reviewed, or None to let it go."""

    @abstractmethod
    def after_clash(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        """The record had another version than the reviewed one: again, or refused."""

    @abstractmethod
    def settle(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        """No answer came, and the longest request is over: what does the record itself say?"""


def refusal(write: Write, code: str, name: str = "", *arguments: str) -> WriteResult:
    """The refusal of a write by Vexo itself."""
    return WriteResult(write.at, "refused", write.identifier, None, code, name, arguments)


def unclear(write: Write, code: str) -> WriteResult:
    """A write of which it cannot be told whether it happened."""
    return WriteResult(write.at, "unclear", write.identifier, None, code)
