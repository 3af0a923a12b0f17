"""Writing down: what is about to go, that it goes, and what came back. Each step is one short transaction."""

from __future__ import annotations

import time
import uuid
from collections import Counter
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from email.utils import formatdate
from typing import Any

import polars as pl

from vexo.core.new_records import any_new, with_made
from vexo.core.planning.frame import FieldColumns
from vexo.core.planning.verdicts import RowState, Verdict
from vexo.core.records import RecordType
from vexo.core.values import from_python, to_python
from vexo.core.wording import thousands
from vexo.core.writing.batches import Item
from vexo.core.writing.results import WriteResult

from ..faults import words
from ..jobs.leases import Lease
from .models import Batch, Pass


def items_of(batch: Batch) -> list[Item]:
    """The writes of a batch as they were written down."""
    return [Item(*values) for values in batch.items]


def _stored(items: Sequence[Item]) -> list[list[Any]]:
    return [list(asdict(item).values()) for item in items]


def result_json(answer: WriteResult, record_type: RecordType, carried: Sequence[str]) -> dict[str, Any]:
    """A final answer as it is kept; of its values those of carried fields."""
    known = {name: to_python(record_type.field(name), v) for name, v in answer.values.items() if name in carried}
    kept = {"at": answer.at, "state": answer.state, "id": answer.identifier, "version": answer.version}
    more = {"code": answer.code, "field": answer.field, "arguments": list(answer.arguments)}
    rest: dict[str, Any] = {"values": known, "warnings": list(answer.warnings)}
    return kept | {name: value for name, value in {**more, **rest}.items() if value}


def result_of(kept: dict[str, Any], record_type: RecordType) -> WriteResult:
    """A kept answer again."""
    values = {name: from_python(record_type.field(name), v) for name, v in kept.get("values", {}).items()}
    return WriteResult(
        kept["at"],
        kept["state"],
        kept["id"],
        kept["version"],
        kept.get("code", ""),
        kept.get("field", ""),
        tuple(kept.get("arguments", ())),
        values,
        tuple(kept.get("warnings", ())),
    )


def made_by_rows(pass_: Pass) -> dict[int, str]:
    """``row_id`` of each row that has made a record on this pass, and that record's ID."""
    numbers = {item.at: item.row_id for batch in pass_.batches.all() for item in items_of(batch)}
    return {
        numbers[answer["at"]]: answer["id"]
        for batch in pass_.batches.filter(state=Batch.ANSWERED)
        for answer in batch.answers
        if answer["state"] == RowState.CREATED and answer["id"]
    }


def with_made_records(pass_: Pass, table: pl.DataFrame) -> pl.DataFrame:
    """A pass's plan, or its frozen rows, in which references to records that it made are these records' IDs."""
    columns = [FieldColumns(name).proposed for name in pass_.plan.carried]
    if not any(name in table.columns and any_new(table[name]) for name in columns):
        return table
    return with_made(table, columns, made_by_rows(pass_))


def _refusals_of(pass_: Pass) -> Counter[tuple[str, ...]]:
    """Why rows of a pass were refused so far: the code and the application's own words, with the number of rows."""
    answered = pass_.batches.filter(state=Batch.ANSWERED).values_list("answers", flat=True)
    return Counter(
        (answer.get("code", ""), *answer.get("arguments", [])[:1])
        for answers in answered
        for answer in answers
        if answer["state"] == RowState.REFUSED
    )


@dataclass(frozen=True)
class Follow:
    """Writes of a batch that are not settled: they are prepared to go (again), or stay in doubt since they went."""

    items: tuple[Item, ...]
    state: str
    rejected: bool = False


class Recorder:
    """Keeps a pass's batches. Every write checks that the lease is held."""

    def __init__(self, pass_: Pass, lease: Lease, record_type: RecordType, repeatable: bool) -> None:
        self.pass_, self.lease, self.type, self.repeatable = pass_, lease, record_type, repeatable
        self.carried = list(pass_.plan.carried)
        self._refusals = _refusals_of(pass_)

    @property
    def refused(self) -> int:
        """How many rows of the pass were refused so far."""
        return self._refusals.total()

    @property
    def refusals(self) -> str:
        """How many were, and why, the commonest reason in words; empty for none."""
        if not self._refusals:
            return ""
        [((code, *said), count)] = self._refusals.most_common(1)
        why = words(code, "", said)
        more = len(self._refusals) - 1
        others = f"; and {thousands(more)} other {'reason' if more == 1 else 'reasons'}" if more else ""
        return f"{thousands(self.refused)} refused: {why} ({thousands(count)}){others}"

    def _first_sent(self) -> str:
        return formatdate(usegmt=True) if self.repeatable else ""

    def number(self) -> str:
        """A new request's number, where they count."""
        return str(uuid.uuid4()) if self.repeatable else ""

    def prepare(self, items: Sequence[Item]) -> Batch:
        """Write down the next batch of the plan."""
        with self.lease.writing():
            cursor = self.pass_.cursor + len(items)
            Pass.objects.filter(pk=self.pass_.pk).update(cursor=cursor)
            batch = Batch.objects.create(of_pass=self.pass_, items=_stored(items), first_sent=self._first_sent())
        self.pass_.cursor = cursor
        return batch

    def sent(self, batch: Batch) -> None:
        """Write down that a batch goes, before its first byte does."""
        batch.sent_at, batch.state = time.time(), Batch.SENT
        with self.lease.writing():
            Batch.objects.filter(pk=batch.pk).update(sent_at=batch.sent_at, state=batch.state)

    def silent(self, batch: Batch) -> int:
        """Write down that no answer came to a batch. How often that was so for any of its writes."""
        items = [replace(item, silences=item.silences + 1) for item in items_of(batch)]
        batch.items = _stored(items)
        with self.lease.writing():
            Batch.objects.filter(pk=batch.pk).update(items=batch.items)
        return max(item.silences for item in items)

    def not_taken(self, batch: Batch) -> None:
        """It certainly was not looked at: it can go as it is."""
        batch.state = Batch.PREPARED
        with self.lease.writing():
            Batch.objects.filter(pk=batch.pk).update(state=Batch.PREPARED, sent_at=0)

    def answered(self, batch: Batch, answers: Sequence[WriteResult], follows: Sequence[Follow] = ()) -> None:
        """Write down final answers, and what is to be done about the others, in one step."""
        kept = [result_json(answer, self.type, self.carried) for answer in answers]
        with self.lease.writing():
            Batch.objects.filter(pk=batch.pk).update(state=Batch.ANSWERED, answers=kept)
            for follow in follows:
                if not follow.items:
                    continue
                goes = follow.state == Batch.PREPARED
                Batch.objects.create(
                    of_pass=self.pass_,
                    items=_stored(follow.items),
                    state=follow.state,
                    first_sent=self._first_sent() if goes else batch.first_sent,
                    sent_at=0 if goes else batch.sent_at,
                    rejected=follow.rejected,
                )
        self._refusals.update(
            (answer.code, *answer.arguments[:1]) for answer in answers if answer.state == RowState.REFUSED
        )

    def again(self, item: Item, version: str | None, *, resent: bool = False, tried: bool = True) -> Item:
        """A write that goes again as a request of its own."""
        return replace(
            item,
            version=version,
            number=self.number(),
            tries=item.tries + int(tried),
            resent=item.resent or (resent and item.verdict == Verdict.CREATE),
        )

    def split(self, batch: Batch) -> None:
        """Cut a batch in two halves."""
        items = items_of(batch)
        half = len(items) // 2
        parts = [Follow(tuple(items[:half]), Batch.PREPARED), Follow(tuple(items[half:]), Batch.PREPARED)]
        self.answered(batch, [], parts)
