"""What an application must answer. One module a protocol; each passes the same tests."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from types import TracebackType
from typing import Any, Self

import polars as pl

from vexo.core.conditions import Condition
from vexo.core.errors import MendableError
from vexo.core.records import Catalogue, NewField, RecordType
from vexo.core.spread import Spread, spread_of
from vexo.core.values import EXACT, exact_sum
from vexo.core.writing import Write, WriteResult


class ApplicationError(MendableError):
    """The application could not be asked, or did not understand; the message says what to do."""


class NoAnswer(ApplicationError):
    """A request was sent and its answer never came, or says nothing: what it did is not known."""


class NotTaken(ApplicationError):
    """A batch that certainly was not looked at: it can go again as it is.

    ``wait`` are the seconds after which that is worth trying, or None where a person has to do something first.
    """

    def __init__(self, message: str, wait: float | None = None) -> None:
        super().__init__(message)
        self.wait = wait


class TooLarge(ApplicationError):
    """A batch that the application does not take for its size."""


@dataclass(frozen=True)
class Sending:
    """How a batch goes out.

    ``first_sent`` is the HTTP date that repeatable requests carry with their numbers, empty where they are not to be
    used; ``before_body`` is called when all is ready and nothing of the batch has left yet, and may raise.
    """

    atomic: bool = False
    first_sent: str = ""
    before_body: Callable[[], None] = lambda: None


PLAINLY = Sending()


class NotPromised(ApplicationError):
    """Something that this application, or its protocol, cannot do."""


class Client(ABC):
    """A connection to one application. Tables have ``@id``, ``@version`` and a typed column for each field asked."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Give connections back."""

    @abstractmethod
    def describe(self) -> Catalogue:
        """Record types, fields, keys and promises."""

    @abstractmethod
    def count(self, record_type: RecordType, condition: Condition | None = None) -> int:
        """How many records meet a condition."""

    @abstractmethod
    def read(
        self,
        record_type: RecordType,
        fields: Sequence[str],
        condition: Condition | None = None,
        order: Sequence[str] = (),
        top: int | None = None,
        after: str = "",
    ) -> Iterator[pl.DataFrame]:
        """Records in chunks; at least one chunk, empty if there are none. ``fields`` may be paths.

        Without an order they come in that of their identifiers, each once, whatever is made or deleted meanwhile.

        Args:
            order: fields, with a minus in front where the highest come first.
            after: where no order is asked for: only records whose identifier comes after this one.
        """

    @abstractmethod
    def read_by_keys(
        self, record_type: RecordType, fields: Sequence[str], key: Sequence[str], values: pl.DataFrame
    ) -> pl.DataFrame:
        """The records that have one of the keys; ``values`` has a typed column for each field of ``key``."""

    @abstractmethod
    def write(self, record_type: RecordType, writes: Sequence[Write], sending: Sending = PLAINLY) -> list[WriteResult]:
        """Send a batch, once; one answer a write, in order.

        Raises:
            NotTaken: where it certainly was not looked at.
            TooLarge: where it has to be cut.
            NoAnswer: where it went out and no answer came.
            ApplicationError: where the application understands it otherwise; it took nothing.
        """

    @abstractmethod
    def link(self, record_type: RecordType, identifier: str) -> str | None:
        """The address of a page for people that shows the record, if there is one."""

    def totals(
        self, record_type: RecordType, fields: Sequence[str], condition: Condition | None = None
    ) -> Mapping[str, Any]:
        """Sums of number fields over the records that meet a condition."""
        sums: dict[str, Any] = dict.fromkeys(fields)
        for chunk in self.read(record_type, fields, condition):
            for name in fields:
                if chunk[name].drop_nulls().len():
                    sums[name] = EXACT.add(exact_sum(chunk[name]), sums[name] or 0)
        return sums

    def distinct(self, record_type: RecordType, field: str, condition: Condition | None = None) -> pl.DataFrame:
        """The different values of a field, under its name, with their ``count``, most frequent first."""
        parts = [chunk[field] for chunk in self.read(record_type, [field], condition)]
        return pl.concat(parts).value_counts(sort=True)

    def spread(self, record_type: RecordType, field: str, condition: Condition | None = None) -> Spread | None:
        """How the values of a number or day are spread over the records that meet a condition; None without any."""
        parts = [chunk[field] for chunk in self.read(record_type, [field], condition)]
        return spread_of(pl.concat(parts), record_type.field(field))

    def check(self, record_type: RecordType, writes: Sequence[Write]) -> list[WriteResult]:
        """What would be answered, without writing. Raises NotPromised."""
        raise NotPromised("This application cannot check rows without writing them.")

    def add_field(self, record_type: RecordType, field: NewField) -> None:
        """Add a field. Raises NotPromised, ApplicationError."""
        raise NotPromised("This application's record types cannot be changed from here.")

    def add_choice(self, record_type: RecordType, field: str, value: str) -> None:
        """Add a choice. Raises NotPromised, ApplicationError."""
        raise NotPromised("This application's choices cannot be changed from here.")
