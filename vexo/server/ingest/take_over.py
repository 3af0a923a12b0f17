"""What a trip that was moved to another application takes over from the one that it was tried on."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import artifacts
from ..trips.models import Edit, Sheet, Trip


def take_over(trip: Trip, sheet: Sheet, cells: pl.DataFrame, moved_from: tuple[int, int]) -> None:
    """Give a trip what was done with the sheet that it is moved from: edits, rows that are left out, and what is
    expected of it.

    Args:
        cells: of the trip's new sheet, which came from the same file.
        moved_from: the numbers of the other trip and of its sheet.
    """
    other = Trip.objects.filter(pk=moved_from[0]).first()
    before = Sheet.objects.filter(pk=moved_from[1]).first()
    if other is None or before is None or not artifacts.there(before.cells):
        return
    then = artifacts.read(before.cells, [ROW_ID, ROW]).rename({ROW_ID: "then"})
    rows = then.join(cells.select(ROW_ID, ROW), on=ROW, how="inner").select("then", ROW_ID)
    for edit in other.edits.filter(undone_at=None).order_by("id"):
        moved = _renumbered(artifacts.unpack(edit.cells), rows)
        if len(moved):
            kept = {name: getattr(edit, name) for name in ("kind", "words", "by")}
            Edit.objects.create(trip=trip, sheet=sheet, cells=artifacts.pack(moved), count=len(moved), **kept)
    known = dict(rows.iter_rows())
    left_out = sorted(known[row] for row in other.row_filter.get("left_out", []) if row in known)
    row_filter: dict[str, Any] = {**other.row_filter, "left_out": left_out}
    Trip.objects.filter(pk=trip.pk).update(moved_from=other, expected=other.expected, row_filter=row_filter)
    trip.refresh_from_db()


def _renumbered(cells: pl.DataFrame, rows: pl.DataFrame) -> pl.DataFrame:
    """Edited cells under the numbers that their rows have now; cells of rows that are not there are none."""
    then = cells.rename({ROW_ID: "then"}).with_columns(pl.col("then").cast(rows.schema["then"]))
    return then.join(rows, on="then", how="inner", maintain_order="left").select(cells.columns)
