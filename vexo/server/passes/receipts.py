"""Receipts and rows not in, as files."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from vexo.core.receipts import not_in, receipt
from vexo.core.sheets.csv_writing import write_csv
from vexo.core.sheets.outgoing import OutgoingColumn
from vexo.core.sheets.xlsx_writing import write_xlsx

from ..data_folder import absolute
from ..jobs.working import PlainError
from ..trips.models import Trip
from ..trips.planning import load
from .services import states


def _write(columns: list[OutgoingColumn], path: Path, title: str) -> None:
    if path.suffix.lower() == ".xlsx":
        write_xlsx(columns, path, title)
    elif path.suffix.lower() in (".csv", ".tsv"):
        write_csv(columns, path, "\t" if path.suffix.lower() == ".tsv" else ",")
    else:
        raise PlainError(f"The ending of {path.name} says no format; use .xlsx, .csv or .tsv.")


def write_receipt(trip: Trip, path: Path) -> None:
    """What became of each row, with old and new values of what was written."""
    planned = load(trip)
    run = trip.runs.exclude(outcome="").last()
    plan = pl.read_parquet(absolute(run.plan if run else trip.plan))
    fields = [planned.record_type.field(name) for name in planned.settings.carried]
    _write(receipt(planned.cells, planned.profile, plan, states(trip), fields), path, "Receipt")


def write_rejects(trip: Trip, path: Path) -> None:
    """The rows that did not go in, as they came, with the reason."""
    planned = load(trip)
    _write(not_in(planned.cells, planned.profile, states(trip)), path, "Not in")
