"""What reading back found, in words: row by row for a receipt, and as a few lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from vexo.core.records import RecordType
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.wording import many, thousands

from .. import artifacts
from ..trips.facts import from_json
from ..trips.facts.passes import Difference, ReadBackCounts, Report
from .models import Pass

ROW_WORDS = {ROW_ID: pl.UInt32(), "read_back": pl.String()}


def report_of_pass(pass_: Pass) -> Report:
    """What reading back a pass found; nothing where it was not read back."""
    return from_json(pass_.report, Report) if pass_.report else Report()


def counts_of(report: Report) -> ReadBackCounts:
    """How many rows and values are not as sent; of a report from before they were counted, as many as it names."""
    return report.counts or ReadBackCounts(len(report.lost), len(report.differences), len(report.by_itself))


def not_as_sent(report: Report) -> int:
    """How many values, and records that are or are not there, are otherwise than was sent."""
    counts = counts_of(report)
    return counts.differences + counts.lost + report.deleted - report.gone


def words_of_pass(pass_: Pass) -> str:
    """What a pass did, in a few words."""
    otherwise = not_as_sent(report_of_pass(pass_))
    words = [f"{thousands(count)} {name}" for name, count in (pass_.totals or {}).items() if count]
    return ", ".join([*words, *([f"{thousands(otherwise)} not as sent"] if otherwise else [])]) or "nothing"


def _value(text: str | None) -> str:
    return "empty" if text is None else text


def _difference(one: Difference, label: str) -> str:
    return f"{label} is {_value(one.found)}, not {_value(one.sent)} as sent"


def _by_itself(one: Difference, label: str) -> str:
    return f"{label} is {_value(one.found)}, which the application made of {_value(one.sent)}"


_LOST = "its record is not there"


def _told(report: Report, labels: Mapping[str, str]) -> list[tuple[Difference, str]]:
    return [
        (one, words(one, labels[one.field]))
        for words, listed in ((_difference, report.differences), (_by_itself, report.by_itself))
        for one in listed
        if one.field in labels
    ]


def words_by_row(report: Report, record_type: RecordType) -> list[tuple[int, str]]:
    """Numbers of the rows of which something is not as sent, each with the words for it; a row may be there often."""
    labels = {field.name: field.label for field in record_type.fields}
    return [(row, _LOST) for row in report.lost] + [(one.row, words) for one, words in _told(report, labels)]


def words_of_rows(passes: Sequence[Pass], record_type: RecordType, names: Sequence[str]) -> pl.DataFrame:
    """What reading back some passes found of each row: ``ROW_WORDS``, a line a row, without those of which all is as
    sent.

    Args:
        names: fields of which it may be told.
    """
    labels = {field.name: field.label for field in record_type.fields if field.name in names}
    lines: list[tuple[int, str]] = []
    for pass_ in passes:
        which, report = f"pass {pass_.number}: " if len(passes) > 1 else "", report_of_pass(pass_)
        if report.lost:
            rows = artifacts.read(pass_.plan_file, [ROW_ID, ROW])
            lost = rows.filter(pl.col(ROW).is_in(report.lost))[ROW_ID].to_list()
            lines += [(row_id, which + _LOST) for row_id in lost]
        lines += [(one.row_id, which + words) for one, words in _told(report, labels)]
    table = pl.DataFrame(lines, schema=ROW_WORDS, orient="row")
    return table.group_by(ROW_ID, maintain_order=True).agg(pl.col("read_back").str.join("; "))


def summary_words(report: Report) -> list[str]:
    """What reading back found, a sentence each."""
    counts, lines = counts_of(report), []
    if report.records:
        lines.append(f"{thousands(report.as_sent)} of {thousands(report.records)} records are as sent")
    if report.deleted:
        lines.append(f"{thousands(report.gone)} of {thousands(report.deleted)} deleted records are gone")
    named = (
        (counts.differences, len(report.differences), "value is", "values are", "not as sent"),
        (counts.lost, len(report.lost), "record is", "records are", "not there"),
        (counts.by_itself, len(report.by_itself), "value is", "values are", "as the application made it"),
    )
    for count, listed, one, others, what in named:
        if count:
            first = f"; the first {thousands(listed)} are named" if listed < count else ""
            lines.append(f"{many(count, one, others)} {what}{first}")
    return lines
