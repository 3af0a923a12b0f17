"""Receipts and rows not in, as files."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

import polars as pl
from django.utils import timezone

from vexo.core.planning.verdicts import RowState
from vexo.core.sheets import Stamp
from vexo.core.sheets.overlay.versions import REASON_HEADER, STATE_HEADER
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.outgoing import OutgoingColumn
from vexo.core.sheets.writers.xlsx import Beside, write_xlsx
from vexo.core.values import to_text
from vexo.core.writing.batches import WHOLE
from vexo.core.writing.ledger import FAULTS_OF_RECORD, STATE, states_of
from vexo.core.writing.receipts import Evidence, not_in, receipt, text_column

from .. import artifacts
from ..errors import PlainError
from ..naming import names_of
from ..planning.context import PlanContext
from ..rows.windows import fault_words
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.sheets import stamp_of
from .models import Pass


def last_pass(view: PartView) -> Pass:
    """The pass that ended, or was interrupted, last. Raises PlainError where nothing was written yet."""
    trip = view.trip
    pass_ = trip.passes.filter(plan__sheet__part__number=view.part).exclude(page="").order_by("number").last()
    if pass_ is None:
        raise PlainError(f"Nothing of trip {trip.pk} has been written yet.", "no-pass")
    return pass_


def _write(columns: list[OutgoingColumn], path: Path, title: str, stamp: Stamp, cover: Beside | None = None) -> None:
    ending = path.suffix.lower()
    if ending not in (".xlsx", ".csv", ".tsv"):
        raise PlainError(f"Unknown format of {path.name}. Use .xlsx, .csv or .tsv.")
    if not path.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {path.parent}. Make it, or choose another.")
    try:
        if ending == ".xlsx":
            write_xlsx(columns, path, title, stamp, cover)
        else:
            write_csv(columns, path, "\t" if ending == ".tsv" else ",")
    except OSError as error:
        raise PlainError(f"{path} cannot be written: {error.strerror or error}. Choose another place.") from error


def told_states(pass_: Pass, context: PlanContext) -> pl.DataFrame:
    """What became of every row: ``row_id``, ``row``, ``state``, ``reason`` in words, ``@id``."""
    states = states_of(artifacts.read(pass_.plan_file), artifacts.read(pass_.page) if pass_.page else None)
    reasons = [fault_words(context, faults[0]) if faults else None for faults in states["faults"].to_list()]
    return states.with_columns(pl.Series("reason", reasons, dtype=pl.String))


def write_receipt(view: PartView, path: Path, number: int | None = None) -> None:
    """What became of each row, with old and new values of what was written: by all passes of the sheet that was sent
    last together, or by one alone.

    Raises:
        PlainError: where nothing was written yet, or there is no such pass.
    """
    trip = view.trip
    pass_ = last_pass(view) if number is None else _pass(view, number)
    context = PlanContext.of_plan(pass_.plan)
    passes = [pass_] if number is not None else _passes_of_sheet(pass_)
    evidence = [_evidence(one) for one in passes]
    names = {field.name for field in context.record_type.fields if not field.read_only}
    fields = [field for field in context.record_type.fields if field.name in names]
    columns = receipt(context.cells, context.profile, told_states(pass_, context), evidence, fields)
    cover = Beside(cover_lines(trip, pass_, passes), "About")
    _write(columns, path, "Receipt", stamp_of(trip, [], view.part, rows=True), cover)


def _pass(view: PartView, number: int) -> Pass:
    pass_ = view.trip.passes.filter(number=number).exclude(page="").first()
    if pass_ is None:
        raise PlainError(f"Trip {view.trip.pk} has no pass {number} that has written.", "no-pass")
    return pass_


def _passes_of_sheet(pass_: Pass) -> list[Pass]:
    """The passes of the part, up to one; rows keep their numbers through newer versions of its sheet."""
    part = pass_.plan.sheet.part_id
    passes = pass_.trip.passes.filter(plan__sheet__part=part, number__lte=pass_.number).exclude(page="")
    return list(passes.order_by("number"))


def _evidence(pass_: Pass) -> Evidence:
    page = artifacts.read(pass_.page)
    whole = [name for name in artifacts.columns_of(pass_.rows_file) if name.startswith(WHOLE)]
    gone = page.filter(pl.col("state") == RowState.DELETED)[ROW_ID]
    frozen = artifacts.read(pass_.rows_file, [ROW_ID, *whole]).filter(pl.col(ROW_ID).is_in(gone.implode()))
    return Evidence(pass_.number, page, frozen.rename({name: name.removeprefix(WHOLE) for name in whole}))


def cover_lines(trip: Trip, pass_: Pass, passes: Sequence[Pass]) -> list[list[str]]:
    """What a receipt is evidence of: whose trip, to which application, by whom and when, and what each pass did."""
    application, sheet = trip.application, pass_.plan.sheet
    names = names_of([trip.created_by, *[one.by for one in passes]])
    lines = [
        ["Trip", f"{trip.pk}, {trip.title}"],
        ["Application", f"{application.label} ({application.get_stage_display().upper()})"],
        ["Record type", trip.record_type],
        ["Sheet", f"{sheet.name}, {sheet.rows:,} rows"],
        ["Prepared by", names[trip.created_by]],
    ]
    for one in passes:
        did = ", ".join(f"{count:,} {name}" for name, count in (one.totals or {}).items() if count) or "nothing"
        ended = f" to {_at(one.ended_at)}" if one.ended_at else ""
        lines.append([f"Pass {one.number}", f"plan {one.plan.number}, confirmed by {names[one.by]}"])
        lines.append(["", f"{_at(one.started_at)}{ended}: {did} ({one.state})"])
        approval = one.plan.approvals.filter(state="approved").last()
        if approval is not None and approval.at is not None:
            who = names_of([approval.by])[approval.by]
            lines.append(["", f"approved by {who}, {_at(approval.at)}{f': {approval.word}' if approval.word else ''}"])
        if one.lifted:
            lines.append(["", f"without the approval that it needed: {one.lifted}"])
    for name, sums in ((pass_.report or {}).get("totals") or {}).items():
        lines.append([f"Sum of {name}", f"before {sums['before']}, planned {sums['planned']}, after {sums['after']}"])
    return [["Receipt", f"made {_at(timezone.now())}"], *lines]


def _at(moment: datetime) -> str:
    return moment.astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S UTC")


def write_absent_outcome(view: PartView, path: Path) -> None:
    """What became of records that the sheet does not have, each with all that it held.

    Raises:
        PlainError: where the pass could delete none.
    """
    pass_ = last_pass(view)
    if not pass_.absent_page:
        raise PlainError(f"Pass {pass_.number} deleted nothing but what its rows are about.", "no-absent")
    context = PlanContext.of_plan(pass_.plan)
    page = artifacts.read(pass_.absent_page)
    reasons = [fault_words(context, faults[0]) if faults else None for faults in page[FAULTS_OF_RECORD].to_list()]
    fields = [field for field in context.record_type.fields if field.name in page.columns]
    columns = [
        text_column("@state", STATE_HEADER, page[STATE]),
        text_column("@reason", REASON_HEADER, pl.Series(reasons, dtype=pl.String)),
        *[text_column(field.name, field.label, to_text(field, page[field.name])) for field in fields],
    ]
    _write(columns, path, "Not in the sheet", stamp_of(view.trip, [], view.part, rows=True))


def write_rejects(view: PartView, path: Path) -> None:
    """The rows that did not go in, as they came, with the reason."""
    trip = view.trip
    pass_ = last_pass(view)
    context = PlanContext.of_plan(pass_.plan)
    _write(
        not_in(context.cells, context.profile, told_states(pass_, context)),
        path,
        "Not in",
        stamp_of(trip, [], view.part, rows=True),
    )
