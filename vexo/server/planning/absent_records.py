"""Records in reach that no row of the sheet is about: counted, listed, and as a sheet; and what becomes of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import polars as pl

from vexo.core.documents import SENT
from vexo.core.planning.absent import BECOMES, NUMBER, REASON
from vexo.core.planning.verdicts import AbsentVerdict, AbsentWhy
from vexo.core.records import IDENTIFIER, Field, Kind, RecordType
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.outgoing import OutgoingColumn
from vexo.core.values import dtype, to_text

from .. import artifacts
from ..errors import PlainError
from ..faults import absent_reason_words
from ..trips.answers import options_for_absent
from ..trips.facts.keys import AbsentRecord, AbsentRecords
from ..trips.part_view import PartView
from .context import PlanContext, newest_plan
from .models import Plan
from .pointing import pointed_words
from .reach import reach_paths, sent_records

_MOST_LISTED = 200


@dataclass(frozen=True)
class _Absent:
    """``@id`` and the natural key of the records, what becomes of them where such may be deleted, and how many records
    are in reach."""

    records: pl.DataFrame
    record_type: RecordType
    reach: int
    pointed_path: str = ""

    @property
    def fields(self) -> list[Field]:
        """The fields of the natural key that are known of them."""
        return [self.record_type.field(name) for name in self.record_type.natural_key if name in self.records.columns]

    @property
    def planned(self) -> bool:
        """Whether such may be deleted."""
        return BECOMES in self.records.columns


def absent_records(view: PartView) -> AbsentRecords:
    """What the newest plan knows of records in reach that its sheet does not have. ``known`` is false where that cannot
    be told: no plan, or all of a type in reach that is too large to be read whole."""
    absent = _absent(view)
    if absent is None:
        return AbsentRecords(known=False, count=0, reach=0, labels=[], records=[])
    shown = absent.records.head(_MOST_LISTED)
    texts = [to_text(field, shown[field.name]).to_list() for field in absent.fields]
    lines = [AbsentRecord(one, [column[at] or "" for column in texts]) for at, one in enumerate(shown[IDENTIFIER])]
    if absent.planned:
        pointed = pointed_words(absent.pointed_path)
        planned = zip(lines, shown[NUMBER], shown[BECOMES], _words_of(shown), strict=True)
        lines = [
            replace(line, row_id=at, verdict=AbsentVerdict(what), says=says, pointed=pointed.get(line.identifier, []))
            for line, at, what, says in planned
        ]
    labels = [field.label for field in absent.fields]
    answers = options_for_absent() if absent.planned else []
    return AbsentRecords(True, len(absent.records), absent.reach, labels, lines, answers)


def write_absent(view: PartView, path: Path) -> None:
    """All of them as delimited text, their record ID and their key.

    Raises:
        PlainError: where they are not known.
    """
    absent = _absent(view)
    if absent is None:
        raise PlainError("Which records the sheet lacks is not known. Plan the trip, or say its reach.", "reach")
    records, record_type = absent.records, absent.record_type
    identifier = record_type.field(record_type.identifier)
    columns = [
        (identifier, records[IDENTIFIER]),
        *[(field, to_text(field, records[field.name])) for field in absent.fields],
    ]
    if absent.planned:
        lines = zip(records[BECOMES], _words_of(records), strict=True)
        happens = pl.Series([f"{_HAPPENS[AbsentVerdict(verdict)]} {says}".strip() for verdict, says in lines])
        columns.append((Field("happens", "What happens", Kind.TEXT), happens))
    write_csv([OutgoingColumn(field, field.label, "", texts, False, False) for field, texts in columns], path)


_HAPPENS = {
    AbsentVerdict.DELETE: "Deleted.",
    AbsentVerdict.HELD: "Asked.",
    AbsentVerdict.KEPT: "Kept.",
}


def _words_of(records: pl.DataFrame) -> list[str]:
    """Why each record is not simply deleted; empty where it is."""
    return [absent_reason_words(AbsentWhy(reason)) if reason else "" for reason in records[REASON]]


def _absent(view: PartView) -> _Absent | None:
    plan = newest_plan(view)
    if plan is None or not artifacts.there(plan.path):
        return None
    context = PlanContext.of_plan(plan)
    record_type = context.record_type
    if plan.absent_path and artifacts.there(plan.absent_path) and plan.counts.get("reach"):
        planned = artifacts.read(plan.absent_path)
        return _Absent(planned, record_type, plan.counts["reach"]["records"], plan.pointed_path)
    reach = _in_reach(context, plan)
    if reach is None:
        return None
    fields = [record_type.field(name) for name in record_type.natural_key if name in reach.columns]
    met = artifacts.read(plan.path, [IDENTIFIER])[IDENTIFIER].drop_nulls()
    absent = reach.filter(~pl.col(IDENTIFIER).is_in(met.implode())).select(
        IDENTIFIER, *[pl.col(field.name).cast(dtype(field), strict=False) for field in fields]
    )
    return _Absent(absent, record_type, len(reach))


def _in_reach(context: PlanContext, plan: Plan) -> pl.DataFrame | None:
    """The records in reach as the plan read them; None where it did not, or they are kept no more."""
    if context.settings.reach == SENT:
        return sent_records(context)
    for path in reach_paths(plan.counts):
        return artifacts.read(path) if artifacts.there(path) else None
    if not artifacts.there(plan.records_path):
        return None
    records = artifacts.read(plan.records_path)
    return records if len(records) >= plan.counts.get("type", 0) else None
