"""The plan as a document: a workbook, a text file or a page to print, that says when it was made and that nothing was
written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import polars as pl

from vexo.core.documents.bring_in import OPERATION_WORDS
from vexo.core.planning.absent import BECOMES, REASON
from vexo.core.planning.document import REASON as WHY
from vexo.core.planning.document import RECORD_FOUND, plan_columns
from vexo.core.planning.frame import FieldColumns
from vexo.core.planning.verdicts import AbsentVerdict, AbsentWhy, CellAction, Verdict
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.outgoing import OutgoingColumn, in_pieces
from vexo.core.sheets.writers.xlsx import Beside, fill_xlsx
from vexo.core.values import to_text
from vexo.core.wording import moment, thousands

from .. import artifacts
from ..decisions.listed import listed_decisions
from ..errors import PlainError, unknown_format
from ..faults import absent_reason_words
from ..locales import ANYONE, Reader
from ..naming import names_of
from ..planning.context import PlanContext, plan_of
from ..planning.models import Plan
from ..planning.not_read import not_read
from ..planning.row_states import states_now
from ..trips.facts import from_json
from ..trips.facts.plans import PlanSummary
from ..trips.part_view import PartView
from ..trips.status import TripStatus
from .document_page import Document, as_page
from .windows import fault_words

_SUMMARY = "What it does"


def document_of(view: PartView, username: str, reader: Reader = ANYONE) -> Document:
    """The newest plan of a trip as a document.

    Args:
        username: who asks for it.
        reader: for whom its numbers and times are written.

    Raises:
        PlainError: where the trip has no plan.
    """
    plan = plan_of(view)
    context = PlanContext.of_plan(plan)
    table = artifacts.read(plan.path)
    states = states_now(view, plan)
    reasons = [
        reader.text(" ".join(fault_words(context, fault) for fault in faults or []))
        for faults in states["faults"].to_list()
    ]
    table = table.with_columns(pl.Series(WHY, reasons, dtype=pl.String))
    by_field = {m.field.name: m.column for m in context.matches if m.field and m.column}
    keys = [(context.record_type.field(name), by_field.get(name, "")) for name in context.settings.key]
    fields = [context.record_type.field(name) for name in context.settings.carried if _is_shown(table, context, name)]
    columns = plan_columns(table, context.cells, keys, fields)
    absent = _absent(plan, context, columns)
    return Document(
        f"Plan {plan.number} of trip {view.trip.pk}, {view.trip.title}",
        reader.text(_when(view, plan)),
        _lists(view, plan, context, username, reader),
        absent or columns,
        len((absent or columns)[0].cells),
    )


def _is_shown(table: pl.DataFrame, context: PlanContext, name: str) -> bool:
    """Whether old and new of a field are shown: of a key's only where it renames a record."""
    if name not in context.settings.key:
        return True
    writes = table[FieldColumns(name).action].is_in([CellAction.WRITE, CellAction.HELD])
    return bool((writes & table[IDENTIFIER].is_not_null()).any())


def _when(view: PartView, plan: Plan) -> str:
    """When it was made, and that nothing was written by it; or by which pass something was."""
    sentence = f"Made at {moment(plan.made_at)} by {names_of([plan.made_by])[plan.made_by]}"
    sent = TripStatus(view).sent_by
    if sent is not None:
        return f"{sentence}. Pass {sent.number} has sent it since: its outcome and receipt say what became of it."
    if plan.revision != view.trip.revision:
        return f"{sentence}; nothing was written. The trip was changed since, so this plan no longer counts."
    return f"{sentence}; nothing was written."


def _lists(
    view: PartView, plan: Plan, context: PlanContext, username: str, reader: Reader
) -> list[tuple[str, list[list[str]]]]:
    trip, summary, status = view.trip, from_json(plan.summary, PlanSummary), TripStatus(view)
    application = trip.application
    labels = {field.name: field.label for field in context.record_type.fields}
    key = " + ".join(labels.get(name, name) for name in summary.key)
    about = [
        ["Application", f"{application.label} ({application.get_stage_display().upper()})"],
        ["Record type", context.record_type.plural],
        ["Sheet", f"{context.sheet.name}, {thousands(summary.rows)} rows"],
        ["Rows are to", OPERATION_WORDS[context.settings.operation]],
        ["Found by", key or "nothing"],
    ]
    if view.trip.parts.count() > 1:
        about.append(["Part", str(view.part)])
    changes = [
        [c.label, f"{thousands(c.changed)} changed", *_sums(reader, c.before, c.after)]
        for c in summary.columns
        if c.changed
    ]
    totals = [
        [labels.get(name, name), *map(reader.exact, (total.sheet, total.planned, total.before))]
        for name, total in summary.totals.items()
    ]
    decided = [
        [one.says, ", ".join(filter(None, (one.label, one.asked))), thousands(one.count), str(one.by["name"])]
        for one in listed_decisions(view, username)
    ]
    lists = [
        ("About", about),
        ("Rows", [[str(name), thousands(count)] for name, count in summary.verdicts.items() if count]),
        ("Changes by column", changes),
        ("Sums: sheet, as planned, the same records now", totals),
        ("Records that the sheet does not have", _absent_lines(summary)),
        ("Open", [[item.says, thousands(item.count)] for item in status.open]),
        ("To know", [[item.says, thousands(item.count)] for item in status.said]),
        ("Not looked at", [[sentence] for sentence in not_read(summary, context.record_type)]),
        ("Decided", decided),
    ]
    return [(head, [[reader.text(cell) for cell in line] for line in lines]) for head, lines in lists if lines]


def _sums(reader: Reader, before: str | None, after: str | None) -> list[str]:
    return [f"{reader.exact(before)} → {reader.exact(after)}"] if before is not None and after is not None else []


def _absent_lines(summary: PlanSummary) -> list[list[str]]:
    absent = summary.absent
    if absent is None:
        return []
    counts = (("to delete", absent.delete), ("held", absent.held), ("kept", absent.kept))
    return [[name, thousands(count)] for name, count in counts if count]


_BECOMES = {
    AbsentVerdict.DELETE: Verdict.DELETE,
    AbsentVerdict.HELD: Verdict.HELD,
    AbsentVerdict.KEPT: "kept",
}


def _absent(plan: Plan, context: PlanContext, columns: list[OutgoingColumn]) -> list[OutgoingColumn] | None:
    """The rows, and after them the records that the sheet does not have, which have no row; None without any."""
    if not plan.absent_path:
        return None
    table = artifacts.read(plan.absent_path)
    if table.is_empty():
        return None
    texts_by_header = {
        "Verdict": [_BECOMES[AbsentVerdict(one)] for one in table[BECOMES]],
        "Why": [
            "The sheet does not have this record." + (f" {absent_reason_words(AbsentWhy(one))}" if one else "")
            for one in table[REASON]
        ],
        RECORD_FOUND: table["@id"].to_list(),
    }
    for name in context.settings.key:
        field = context.record_type.field(name)
        if name in table.columns:
            texts_by_header[field.label] = to_text(field, table[name]).to_list()
    return [
        OutgoingColumn(
            column.field,
            column.header,
            column.note,
            pl.concat(
                [column.cells, pl.Series(texts_by_header.get(column.header, [None] * len(table)), dtype=pl.String)]
            ),
            column.as_number,
            column.is_key,
        )
        for column in columns
    ]


def write_document(view: PartView, path: Path, username: str, reader: Reader = ANYONE) -> None:
    """Write the newest plan as a workbook, a text file or a page to print, by the ending of its name.

    Raises:
        PlainError: for another ending, a folder that is not there, or a trip without a plan.
    """
    make = _MAKERS.get(path.suffix.lower())
    if make is None:
        raise unknown_format(path.name, ENDINGS)
    if not path.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {path.parent}. Make it, or choose another.")
    document = document_of(view, username, reader)
    try:
        make(document, path, reader)
    except ValueError as error:
        raise PlainError(f"That cannot be written as {path.suffix}: {error}. Choose .csv.") from error


def _write_workbook(document: Document, path: Path, _: Reader) -> None:
    heads = [column.head for column in document.columns]
    lines: list[Sequence[str]] = [[document.title, document.nothing_written, "", "", ""]]
    for head, listed in document.lists:
        lines += [["", "", "", "", ""], [head, "", "", "", ""], *[[*line, "", "", "", ""][:5] for line in listed]]
    fill_xlsx(
        heads, in_pieces(document.columns), document.rows, path, "Rows", beside=Beside(lines, _SUMMARY, first=True)
    )


def _write_page(document: Document, path: Path, reader: Reader) -> None:
    path.write_text(reader.text(as_page(document)), encoding="utf-8")


_MAKERS: dict[str, Callable[[Document, Path, Reader], None]] = {
    ".xlsx": _write_workbook,
    ".csv": lambda document, path, _: write_csv(document.columns, path),
    ".tsv": lambda document, path, _: write_csv(document.columns, path, "\t"),
    ".html": _write_page,
}
ENDINGS = tuple(_MAKERS)
"""Endings of the names that a plan can be written under."""
