"""Receipts and rows not in, as files."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from vexo.core.sheets import Stamp
from vexo.core.sheets.csv_writing import write_csv
from vexo.core.sheets.outgoing import OutgoingColumn
from vexo.core.sheets.xlsx_writing import write_xlsx
from vexo.core.writing.ledger import states_of
from vexo.core.writing.receipts import not_in, receipt

from .. import stages
from ..errors import PlainError
from ..review.plans import Reviewed, reviewed_with
from ..review.windows import fault_words
from ..trips.models import Trip
from ..trips.sheets import stamp_of
from .models import Pass


def last_pass(trip: Trip) -> Pass:
    """The pass that ended, or was interrupted, last. Raises PlainError where nothing was written yet."""
    found = trip.passes.filter(plan__sheet__part__number=trip.part).exclude(page="").order_by("number").last()
    if found is None:
        raise PlainError(f"Nothing of trip {trip.pk} has been written yet.", "no-pass")
    return found


def _write(columns: list[OutgoingColumn], path: Path, title: str, stamp: Stamp) -> None:
    ending = path.suffix.lower()
    if ending not in (".xlsx", ".csv", ".tsv"):
        raise PlainError(f"The ending of {path.name} says no format; use .xlsx, .csv or .tsv.")
    if not path.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {path.parent}. Make it, or choose another.")
    try:
        if ending == ".xlsx":
            write_xlsx(columns, path, title, stamp)
        else:
            write_csv(columns, path, "\t" if ending == ".tsv" else ",")
    except OSError as error:
        raise PlainError(f"{path} cannot be written: {error.strerror or error}. Choose another place.") from error


def told_states(one: Pass, reviewed: Reviewed) -> pl.DataFrame:
    """What became of every row: ``row_id``, ``row``, ``state``, ``reason`` in words, ``@id``."""
    states = states_of(stages.read(one.plan_file), stages.read(one.page) if one.page else None)
    reasons = [fault_words(reviewed, faults[0]) if faults else None for faults in states["faults"].to_list()]
    return states.with_columns(pl.Series("reason", reasons, dtype=pl.String))


def write_receipt(trip: Trip, path: Path) -> None:
    """What became of each row, with old and new values of what was written."""
    one = last_pass(trip)
    reviewed = reviewed_with(one.plan)
    fields = [reviewed.record_type.field(name) for name in reviewed.settings.carried]
    plan = stages.read(one.plan_file)
    columns = receipt(reviewed.cells, reviewed.profile, plan, told_states(one, reviewed), fields)
    _write(columns, path, "Receipt", stamp_of(trip, [], trip.part, rows=True))


def write_rejects(trip: Trip, path: Path) -> None:
    """The rows that did not go in, as they came, with the reason."""
    one = last_pass(trip)
    reviewed = reviewed_with(one.plan)
    _write(
        not_in(reviewed.cells, reviewed.profile, told_states(one, reviewed)),
        path,
        "Not in",
        stamp_of(trip, [], trip.part, rows=True),
    )
