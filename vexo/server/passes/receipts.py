"""Receipts and rows not in, as files."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from vexo.core.sheets import Stamp
from vexo.core.sheets.overlay.versions import REASON_HEADER, STATE_HEADER
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.outgoing import OutgoingColumn
from vexo.core.sheets.writers.xlsx import write_xlsx
from vexo.core.values import to_text
from vexo.core.writing.ledger import FAULTS_OF_RECORD, STATE, states_of
from vexo.core.writing.receipts import not_in, receipt, text_column

from .. import artifacts
from ..errors import PlainError
from ..planning.context import PlanContext
from ..rows.windows import fault_words
from ..trips.part_view import PartView
from ..trips.sheets import stamp_of
from .models import Pass
from .recording import with_made_records


def last_pass(view: PartView) -> Pass:
    """The pass that ended, or was interrupted, last. Raises PlainError where nothing was written yet."""
    trip = view.trip
    pass_ = trip.passes.filter(plan__sheet__part__number=view.part).exclude(page="").order_by("number").last()
    if pass_ is None:
        raise PlainError(f"Nothing of trip {trip.pk} has been written yet.", "no-pass")
    return pass_


def _write(columns: list[OutgoingColumn], path: Path, title: str, stamp: Stamp) -> None:
    ending = path.suffix.lower()
    if ending not in (".xlsx", ".csv", ".tsv"):
        raise PlainError(f"Unknown format of {path.name}. Use .xlsx, .csv or .tsv.")
    if not path.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {path.parent}. Make it, or choose another.")
    try:
        if ending == ".xlsx":
            write_xlsx(columns, path, title, stamp)
        else:
            write_csv(columns, path, "\t" if ending == ".tsv" else ",")
    except OSError as error:
        raise PlainError(f"{path} cannot be written: {error.strerror or error}. Choose another place.") from error


def told_states(pass_: Pass, context: PlanContext) -> pl.DataFrame:
    """What became of every row: ``row_id``, ``row``, ``state``, ``reason`` in words, ``@id``."""
    states = states_of(artifacts.read(pass_.plan_file), artifacts.read(pass_.page) if pass_.page else None)
    reasons = [fault_words(context, faults[0]) if faults else None for faults in states["faults"].to_list()]
    return states.with_columns(pl.Series("reason", reasons, dtype=pl.String))


def write_receipt(view: PartView, path: Path) -> None:
    """What became of each row, with old and new values of what was written."""
    trip = view.trip
    pass_ = last_pass(view)
    context = PlanContext.of_plan(pass_.plan)
    fields = [context.record_type.field(name) for name in context.settings.carried]
    plan = with_made_records(pass_, artifacts.read(pass_.plan_file))
    columns = receipt(context.cells, context.profile, plan, told_states(pass_, context), fields)
    _write(columns, path, "Receipt", stamp_of(trip, [], view.part, rows=True))


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
