"""An application in memory, for tests: as small as the door, with the same promises kept and broken on demand."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from vexo.core.conditions import Condition
from vexo.core.conditions.to_expression import to_expression
from vexo.core.planning.verdicts import DONE, Verdict
from vexo.core.records import IDENTIFIER, VERSION, Catalogue, RecordType
from vexo.core.values import dtype
from vexo.core.writing import Write, WriteResult
from vexo.core.writing.results import CLASH

from .base import PLAINLY, ApplicationError, Client, NoAnswer, Sending


@dataclass(frozen=True)
class Effect:
    """One write that was done: ``before`` is what the record then held."""

    what: Verdict
    type: str
    identifier: str
    values: dict[str, Any]
    before: dict[str, Any]


@dataclass
class Store:
    """The records of one fake application.

    ``records``: type → ID → values; ``effects`` everything that was done, in order; ``lose`` the batches whose answer
    is lost after they were saved, ``drop`` those lost before.
    """

    catalogue: Catalogue
    records: dict[str, dict[str, dict[str, Any]]] = field(default_factory=dict)
    versions: dict[tuple[str, str], int] = field(default_factory=dict)
    effects: list[Effect] = field(default_factory=list)
    remembered: dict[str, WriteResult] = field(default_factory=dict)
    next: int = 1
    lose: int = 0
    drop: int = 0

    def put(self, name: str, values: dict[str, Any], identifier: str | None = None) -> str:
        """Keep a record; a new one gets an ID."""
        if identifier is None:
            identifier, self.next = str(self.next), self.next + 1
        records = self.records.setdefault(name, {})
        records[identifier] = {**records.get(identifier, {}), **values}
        self.versions[name, identifier] = self.versions.get((name, identifier), 0) + 1
        return identifier


SERVED: dict[str, Store] = {}


class FakeClient(Client):
    """The application whose store is served under an address."""

    def __init__(self, address: str, token: str = "", pages: str = "", *, quick: bool = False) -> None:
        if address not in SERVED:
            raise ApplicationError(f"{address} does not answer.")
        self.store = SERVED[address]

    def describe(self) -> Catalogue:
        return self.store.catalogue

    def _frame(self, record_type: RecordType, fields: Sequence[str]) -> pl.DataFrame:
        records = self.store.records.get(record_type.name, {})
        versioned = record_type.versioned
        tags = [str(self.store.versions[record_type.name, i]) if versioned else None for i in records]
        columns = [pl.Series(IDENTIFIER, list(records), dtype=pl.String), pl.Series(VERSION, tags, dtype=pl.String)]
        for name in dict.fromkeys(fields):
            known_field = self.store.catalogue.field(record_type, name)
            values = list(records) if name == record_type.identifier else [r.get(name) for r in records.values()]
            columns.append(pl.Series(name, values, dtype=dtype(known_field)))
        return pl.DataFrame(columns)

    def count(self, record_type: RecordType, condition: Condition | None = None) -> int:
        names = [f.name for f in record_type.fields]
        return sum(len(chunk) for chunk in self.read(record_type, names, condition))

    def read(
        self,
        record_type: RecordType,
        fields: Sequence[str],
        condition: Condition | None = None,
        order: Sequence[str] = (),
        top: int | None = None,
        after: str = "",
    ) -> Iterator[pl.DataFrame]:
        frame = self._frame(record_type, [f.name for f in record_type.fields])
        frame = frame.filter(to_expression(condition)) if condition else frame
        if order:
            down = [name.startswith("-") for name in order]
            frame = frame.sort([name.removeprefix("-") for name in order], descending=down, nulls_last=down)
        elif after:
            frame = frame.slice(frame[IDENTIFIER].to_list().index(after) + 1)
        yield frame.select(IDENTIFIER, VERSION, *dict.fromkeys(fields)).head(top if top is not None else len(frame))

    def read_by_keys(
        self, record_type: RecordType, fields: Sequence[str], key: Sequence[str], values: pl.DataFrame
    ) -> pl.DataFrame:
        frame = self._frame(record_type, [*fields, *key])
        wanted = values.select(key).drop_nulls().unique()
        joined = frame.join(wanted, on=list(key), how="semi", maintain_order="left")
        return joined.select(IDENTIFIER, VERSION, *dict.fromkeys(fields))

    def write(self, record_type: RecordType, writes: Sequence[Write], sending: Sending = PLAINLY) -> list[WriteResult]:
        sending.before_body()
        if self.store.drop > 0:
            self.store.drop -= 1
            raise NoAnswer("The answer was lost before anything was saved.")
        answers = [self._write(record_type, write, sending) for write in writes]
        if self.store.lose > 0:
            self.store.lose -= 1
            raise NoAnswer("The answer was lost after all was saved.")
        return answers

    def _write(self, record_type: RecordType, write: Write, sending: Sending) -> WriteResult:
        if sending.first_sent and write.number in self.store.remembered:
            return self.store.remembered[write.number]
        answer = self._do(record_type, write, bool(sending.first_sent))
        if sending.first_sent:
            self.store.remembered[write.number] = answer
        return answer

    def _do(self, record_type: RecordType, write: Write, accepted: bool) -> WriteResult:
        name, records = record_type.name, self.store.records.setdefault(record_type.name, {})
        identifier = write.identifier
        if write.verdict != Verdict.CREATE:
            if identifier not in records:
                return WriteResult(write.at, "refused", identifier, None, "refused", "", ("No such record.", "404"))
            if write.version is not None and write.version != str(self.store.versions[name, identifier]):
                return WriteResult(write.at, CLASH, identifier, accepted=accepted)
        for key in record_type.keys:
            mine = {**records.get(identifier or "", {}), **write.values}
            others = [r for i, r in records.items() if i != identifier]
            if mine.get(key[0]) is not None and any(all(r.get(n) == mine.get(n) for n in key) for r in others):
                return WriteResult(
                    write.at,
                    "refused",
                    identifier,
                    None,
                    "refused",
                    key[-1],
                    ("There already.", "409"),
                    accepted=accepted,
                )
        before = dict(records.get(identifier or "", {}))
        if write.verdict == Verdict.DELETE:
            del records[identifier or ""]
        else:
            identifier = self.store.put(name, dict(write.values), identifier)
        self.store.effects.append(Effect(write.verdict, name, identifier or "", dict(write.values), before))
        held = dict(records.get(identifier or "", {}))
        versioned = self.store.catalogue.type(name).versioned
        version = str(self.store.versions[name, identifier or ""]) if versioned else None
        return WriteResult(write.at, DONE[write.verdict], identifier, version, values=held, accepted=accepted)

    def link(self, record_type: RecordType, identifier: str) -> str | None:
        return None
