"""Plan → ordered batches of writes, and what an application's answers mean."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from .planning.comparing import do_column, new_column, old_column
from .planning.verdicts import WRITTEN, Do, Verdict
from .records import IDENTIFIER, VERSION, Field, RecordType
from .sheets.sheet import ROW
from .values import same, to_text

BATCH_SIZE = 200
DONE = {Verdict.CREATE: "created", Verdict.UPDATE: "updated", Verdict.DELETE: "deleted"}


@dataclass(frozen=True)
class Write:
    """One record to be written. ``values`` are typed; ``version`` is the one that was reviewed."""

    row: int
    verdict: Verdict
    identifier: str | None
    version: str | None
    values: Mapping[str, Any]


@dataclass(frozen=True)
class Answer:
    """What became of a write.

    ``state`` is created, updated, deleted, refused or unclear, or clash where the version was no longer the reviewed
    one. ``field`` is the one at fault, ``code`` the application's own word for the reason.
    """

    row: int
    state: str
    identifier: str | None = None
    version: str | None = None
    reason: str | None = None
    field: str | None = None
    code: str | None = None


def _plain(value: Any) -> Any:
    return value.to_list() if isinstance(value, pl.Series) else value


def writes_of(plan: pl.DataFrame, carried: Sequence[str]) -> list[Write]:
    """The writes of the plan's rows, deletes last; a row writes only the fields that the plan says."""
    rows = plan.filter(pl.col("verdict").is_in([verdict.value for verdict in WRITTEN]))
    writes = []
    for line in rows.iter_rows(named=True):
        values = {name: _plain(line[new_column(name)]) for name in carried if line[do_column(name)] == Do.WRITE}
        verdict = Verdict(line["verdict"])
        if verdict == Verdict.DELETE:
            values = {}
        writes.append(Write(line[ROW], verdict, line[IDENTIFIER], line[VERSION], values))
    order = [Verdict.CREATE, Verdict.UPDATE, Verdict.DELETE]
    return sorted(writes, key=lambda write: (order.index(write.verdict), write.row))


def batches(writes: Sequence[Write], size: int = BATCH_SIZE) -> Iterator[Sequence[Write]]:
    """Consecutive writes of at most ``size``."""
    for start in range(0, len(writes), size):
        yield writes[start : start + size]


def _equal(record_type: RecordType, name: str, left: Any, right: Any) -> bool:
    if isinstance(left, list) or isinstance(right, list):
        return sorted(left or []) == sorted(right or [])
    return bool(left == right)


@dataclass(frozen=True)
class Judgement:
    """What to do about a write whose fate was in doubt: done, again (with ``version``), changed or gone."""

    verdict: str
    version: str | None = None
    fields: tuple[str, ...] = ()


def judge(
    write: Write,
    reviewed: Mapping[str, Any],
    now: Mapping[str, Any] | None,
    key: Sequence[str],
    record_type: RecordType,
) -> Judgement:
    """What the record as it is now says of a write that met another version, or whose answer never came.

    Args:
        reviewed: the row of the plan (``old.FIELD`` values).
        now: the record read again, or None where it is gone.
    """
    if now is None:
        return Judgement("done" if write.verdict == Verdict.DELETE else "gone")
    names = list(write.values)
    if write.verdict == Verdict.UPDATE and all(
        _equal(record_type, name, _plain(now[name]), write.values[name]) for name in names
    ):
        return Judgement("done", now[VERSION])
    watched = [*names, *[name for name in key if old_column(name) in reviewed and name in now]]
    moved = [n for n in watched if not _equal(record_type, n, _plain(now[n]), _plain(reviewed[old_column(n)]))]
    if moved or (write.verdict == Verdict.DELETE and now[VERSION] != write.version):
        return Judgement("changed", now[VERSION], tuple(moved))
    return Judgement("again", now[VERSION])


def changed_meanwhile(write: Write, fields: Sequence[str], record_type: RecordType) -> Answer:
    """The refusal of a write whose fields someone changed after the review."""
    labels = ", ".join(record_type.field(name).label for name in fields) or "The record"
    reason = f"{labels} was changed by someone else after the review; look again and decide."
    return Answer(write.row, "refused", write.identifier, None, reason, next(iter(fields), None), "changed-meanwhile")


def gone_meanwhile(write: Write) -> Answer:
    """The refusal of an update whose record is no longer there."""
    reason = "The record was deleted in the application after the review."
    return Answer(write.row, "refused", write.identifier, None, reason, None, "gone")


def done(write: Write, identifier: str | None, version: str | None) -> Answer:
    """The answer of a write that is known to have happened."""
    return Answer(write.row, DONE[write.verdict], identifier or write.identifier, version)


def differences(plan: pl.DataFrame, now: pl.DataFrame, fields: Sequence[Field]) -> pl.DataFrame:
    """Read back: for rows whose record was written, each written field whose value is not the one sent.

    Args:
        plan: rows with the ``@id`` that the write gave.
        now: the records read again.

    Returns:
        columns ``row``, ``field``, ``sent`` and ``found`` (values as text).
    """
    schema = {ROW: pl.UInt32, "field": pl.String, "sent": pl.String, "found": pl.String}
    parts = [pl.DataFrame(schema=schema)]
    joined = plan.join(now, on=IDENTIFIER, how="inner", maintain_order="left", suffix=".now")
    for field in fields:
        if field.name not in now.columns:
            continue
        new = new_column(field.name)
        wrong = joined.filter((pl.col(do_column(field.name)) == Do.WRITE) & ~same(new, field.name, field))
        if len(wrong):
            parts.append(
                pl.DataFrame(
                    {
                        ROW: wrong[ROW],
                        "field": [field.name] * len(wrong),
                        "sent": to_text(field, wrong[new]),
                        "found": to_text(field, wrong[field.name]),
                    },
                    schema=schema,
                )
            )
    return pl.concat(parts)
