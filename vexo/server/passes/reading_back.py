"""Reading back: every written field and every delete, and the totals before and after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import polars as pl

from vexo.core.conditions import read_condition
from vexo.core.planning.frame import VERDICT
from vexo.core.records import IDENTIFIER, VERSION, Catalogue, RecordType
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.writing import WriteResult
from vexo.core.writing.batches import AT
from vexo.core.writing.ledger import outcome_of
from vexo.core.writing.read_back import differences, set_by_itself
from vexo.core.writing.totals import after_totals, as_texts, left_over

from .. import artifacts
from ..trips.facts import from_json
from ..trips.facts.passes import Difference, ReadBackCounts, RecordCounts, Report, SelectionTotals, WrittenTotals
from .ending import Reading, final_answers
from .models import Pass
from .record_reader import Reader
from .recording import with_made_records

_MOST_LISTED = 1000
"""Rows that are told by number where they differ; all are counted."""
_MOST_SUMMED = 50_000
"""Records that are read only to be summed, where the application does not sum by itself: a few seconds' worth."""


def _records(pass_: Pass, reader: Reader, wanted: list[str], total: int, whole: bool) -> pl.DataFrame:
    """These records now: one by one, or all of the type where that is less to ask."""
    fields = [f.name for f in reader.type.fields] if whole else reader.fields
    if len(wanted) * 3 > total:
        every = pl.concat(list(reader.client.read(reader.type, fields)))
        return every.filter(pl.col(IDENTIFIER).is_in(wanted))
    return reader.by_identifier(wanted, fields)


def _told_by_reading(answers: list[WriteResult], now: pl.DataFrame, carried: list[str]) -> list[WriteResult]:
    """Where an answer gave no values: those read back, if the version is still the answer's own."""
    silent = {a.identifier for a in answers if a.state in ("created", "updated") and not a.values and a.version}
    if not silent:
        return answers
    lines = {(r[IDENTIFIER], r[VERSION]): r for r in now.filter(pl.col(IDENTIFIER).is_in(silent)).iter_rows(named=True)}
    names = [name for name in carried if name in now.columns]
    write_results = []
    for answer in answers:
        line = lines.get((answer.identifier, answer.version)) if answer.identifier in silent else None
        write_results.append(replace(answer, values={name: line[name] for name in names}) if line else answer)
    return write_results


def read_back(pass_: Pass, reader: Reader, catalogue: Catalogue) -> Reading:
    """What was sent, held against what the application holds now; control totals; records before and after."""
    record_type, carried = reader.type, list(pass_.plan.carried)
    fields = [record_type.field(name) for name in carried]
    answers = final_answers(pass_, record_type, "no-answer")
    total = reader.client.count(record_type)
    plan = artifacts.read(pass_.plan_file, [ROW_ID, VERDICT, IDENTIFIER])
    ids = {a.at: a.identifier for a in answers if a.state in ("created", "updated")}
    created = [a for a in answers if a.state == "created"]
    land = plan.filter(pl.col(VERDICT).is_in(["update", "same"]))[IDENTIFIER].drop_nulls().to_list()
    wanted = list(dict.fromkeys([*land, *[i for i in ids.values() if i]]))
    now = _records(pass_, reader, wanted, total, whole=bool(created))
    answers = _told_by_reading(answers, now, carried)
    outcome = outcome_of([a for a in answers if a.at in ids], fields)
    frozen = with_made_records(pass_, artifacts.read(pass_.rows_file)).drop(IDENTIFIER, VERSION)
    written = frozen.join(outcome.drop(VERSION), on=AT, how="inner", maintain_order="left")
    by_application, since = differences(written, now, fields)
    lost = written.join(now, on=IDENTIFIER, how="anti")
    deleted = [a.identifier for a in answers if a.state == "deleted" and a.identifier]
    left_over = reader.by_identifier(deleted, [])[IDENTIFIER].to_list() if deleted else []
    wrong = set(since[ROW_ID].to_list()) | set(lost[ROW_ID].to_list())
    new = written.filter(pl.col("state") == "created")
    filled = set_by_itself(new, now, record_type, carried)
    selection = pass_.plan.counts.get("selection")
    report = Report(
        records=len(written),
        as_sent=len(written) - len(wrong),
        lost=lost[ROW].to_list()[:_MOST_LISTED],
        differences=_listed(since),
        by_itself=_listed(by_application),
        set={record_type.field(name).label: count for name, count in filled.items()},
        deleted=len(deleted),
        gone=len(deleted) - len(left_over),
        totals=_totals(pass_, record_type, plan, now, answers),
        type=_counts(pass_, answers, total),
        selection=_selection(pass_, reader, catalogue, selection, answers) if selection else None,
        counts=ReadBackCounts(len(lost), len(since), len(by_application)),
    )
    return Reading(report, answers)


def _listed(differences_: pl.DataFrame) -> list[Difference]:
    return [Difference(**line) for line in differences_.head(_MOST_LISTED).iter_rows(named=True)]


def _counts(pass_: Pass, answers: list[WriteResult], total: int) -> RecordCounts:
    """The records of the type, before and after."""
    before = pass_.plan.counts.get("type", total)
    created, deleted = (sum(1 for a in answers if a.state == state) for state in ("created", "deleted"))
    return RecordCounts(before, total, created, deleted, others=left_over(before, total, created, deleted))


def _totals(
    pass_: Pass, record_type: RecordType, plan: pl.DataFrame, now: pl.DataFrame, answers: list[WriteResult]
) -> dict[str, WrittenTotals]:
    """Control totals over the same rows: as planned, before and after."""
    carried = list(pass_.plan.carried)
    frozen = artifacts.read(pass_.rows_file, [AT, ROW_ID])
    created = {a.at: a.identifier for a in answers if a.state == "created"}
    table = pl.DataFrame(
        {AT: list(created), "made": list(created.values())}, schema={AT: pl.UInt32, "made": pl.String}
    ).join(frozen, on=AT, how="inner")
    joined = plan.join(table.select(ROW_ID, "made"), on=ROW_ID, how="left", maintain_order="left")
    joined = joined.with_columns(pl.coalesce("made", IDENTIFIER).alias(IDENTIFIER))
    after = after_totals(joined, now, [record_type.field(n) for n in carried if n in now.columns])
    planned = pass_.plan.summary.get("totals", {})
    return {name: from_json({**sums, "after": after.get(name)}, WrittenTotals) for name, sums in planned.items()}


def _selection(
    pass_: Pass, reader: Reader, catalogue: Catalogue, before: Mapping[str, Any], answers: list[WriteResult]
) -> RecordCounts:
    """The trip's selection (its condition) after: records, sums, and what this trip moved in or out of it."""
    record_type = reader.type
    condition = read_condition(pass_.trip.condition, record_type, catalogue)
    records = reader.client.count(record_type, condition)
    counts = RecordCounts(before["records"], records)
    numbers = list(before.get("totals", {}))
    if records > _MOST_SUMMED:
        return counts
    inside = pl.concat(list(reader.client.read(record_type, [record_type.identifier], condition)))[IDENTIFIER]
    known = set(inside.to_list())
    created = sum(1 for a in answers if a.state == "created" and a.identifier in known)
    moved = -sum(1 for a in answers if a.state == "updated" and a.identifier not in known)
    deleted = sum(1 for a in answers if a.state == "deleted")
    others = left_over(before["records"], records, created, deleted, moved)
    totals = {}
    if numbers:
        after = as_texts(reader.client.totals(record_type, numbers, condition))
        totals = {name: SelectionTotals(before["totals"][name], after.get(name, "0")) for name in numbers}
    return replace(counts, created=created, deleted=deleted, moved=moved, others=others, totals=totals)
