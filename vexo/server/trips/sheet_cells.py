"""The cells of a trip's sheets, with the edits that count laid over them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import polars as pl
from django.db import transaction

from vexo.core.sheets import SheetProfile
from vexo.core.sheets.overlay.edits import EDITS, counting, lay_edits
from vexo.core.sheets.overlay.versions import told_apart
from vexo.core.sheets.shape import column_titles
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.sheets.totals import Figures, sheet_totals

from .. import artifacts
from .facts.columns import ColumnTotals
from .models import Edit, Sheet, Trip
from .part_view import PartView
from .sheets import newest_sheet
from .status import status_facts, update_status


def edits_of(trip: Trip) -> list[int]:
    """The numbers of the edits that are not undone, oldest first."""
    return list(trip.edits.filter(undone_at=None).values_list("id", flat=True))


def _profile(sheet: Sheet) -> SheetProfile:
    return sheet.profile


def columns_over(before: Sheet, sheet: Sheet) -> dict[str, str]:
    """Column of an earlier version of a sheet → the same one now: known by its header or, where no column is called so
    any more, by the field that it goes into."""
    names_here, was = told_apart(_profile(sheet).columns), told_apart(_profile(before).columns)
    names = {name: names_here[place] for place, name in was.items() if place in names_here}
    return names | _by_field(before, sheet, [name for name in was.values() if name not in names])


def _by_field(before: Sheet, sheet: Sheet, columns: Sequence[str]) -> dict[str, str]:
    if not columns:
        return {}
    fields = before.mappings.filter(column__in=columns).exclude(field="").values_list("column", "field")
    now = dict(sheet.mappings.exclude(field="").values_list("field", "column"))
    return {column: now[field] for column, field in fields if field in now}


def over_sheet(edit: Edit, sheet: Sheet) -> pl.DataFrame:
    """An edit's cells as those of another version of the sheet."""
    cells = artifacts.unpack(edit.cells)
    if edit.sheet_id == sheet.pk:
        return cells.select(list(EDITS))
    names = columns_over(edit.sheet, sheet)
    column = pl.col("column").replace_strict(names, default=None, return_dtype=pl.String)
    return cells.with_columns(column.alias("column")).drop_nulls("column").select(list(EDITS))


def _table(sheet: Sheet, numbers: Iterable[int]) -> pl.DataFrame:
    edits = Edit.objects.filter(pk__in=list(numbers)).select_related("sheet").order_by("id")
    return pl.concat([pl.DataFrame(schema=EDITS), *[over_sheet(edit, sheet) for edit in edits]])


def _name(sheet: Sheet, numbers: Sequence[int]) -> str:
    others = Edit.objects.filter(pk__in=list(numbers)).exclude(sheet=sheet).values_list("sheet", flat=True)
    before = Sheet.objects.filter(pk__in=others.distinct()).order_by("pk")
    # Over a newer version of the sheet, where edits lie depends on where its columns go.
    moved = tuple((one.pk, *sorted(columns_over(one, sheet).items())) for one in before)
    return artifacts.named(sheet.trip_id, "cells", sheet.cells, tuple(numbers), *moved)


def cells_of(sheet: Sheet, numbers: Sequence[int]) -> str:
    """Where the sheet's cells are with these edits laid over; made where they are not there. Raises ArtifactLost."""
    if not numbers:
        return sheet.cells
    name, edits = _name(sheet, numbers), _table(sheet, numbers)
    place = artifacts.find(name)
    if place:
        return place
    places = artifacts.read(sheet.cells, [ROW_ID])[ROW_ID].is_in(edits[ROW_ID].implode()).arg_true()
    return artifacts.patch(sheet.cells, lay_edits(artifacts.read_rows(sheet.cells, places), edits), places, name)


def cells_now(sheet: Sheet) -> str:
    """Where the sheet's cells are with all edits that count."""
    return cells_of(sheet, edits_of(sheet.trip))


def columns_now(sheet: Sheet, numbers: Sequence[int], columns: Sequence[str]) -> pl.DataFrame:
    """Some columns of a sheet (and which row is which) with edits laid over, without making all of them."""
    shown = [f"shown.{name}" for name in columns]
    cell_columns = artifacts.columns_of(sheet.cells)
    wanted = [name for name in (ROW_ID, ROW, *columns, *shown) if name in cell_columns]
    place = artifacts.find(_name(sheet, numbers)) if numbers else sheet.cells
    if place:
        return artifacts.read(place, wanted)
    return lay_edits(artifacts.read(sheet.cells, wanted), _table(sheet, numbers))


def edits_over(sheet: Sheet, numbers: Sequence[int]) -> pl.DataFrame:
    """The edits as a table, for a window of the sheet to lay them over its own rows."""
    return _table(sheet, numbers)


def edited_between(sheet: Sheet, before: Sequence[int], now: Sequence[int]) -> pl.DataFrame:
    """``row_id`` and ``column`` of the cells that may differ between two states of a sheet's edits."""
    return _table(sheet, set(before) ^ set(now)).select(ROW_ID, "column").unique(maintain_order=True)


def headers_of(sheet: Sheet) -> dict[str, str]:
    """Column → what is called so."""
    return {column: title or column for column, title in column_titles(_profile(sheet).columns).items()}


def update_figures(view: PartView, sheet: Sheet, totals: Figures) -> None:
    """Write down the figures of the columns that changed; the newest plan no longer counts."""
    sheet.totals = {**sheet.totals, "now": {**sheet.totals.get("now", {}), **totals}}
    Sheet.objects.filter(pk=sheet.pk).update(totals=sheet.totals)
    columns = []
    for column in status_facts(view).columns:
        figures = ColumnTotals(**totals[column.column]) if column.column in totals else None
        if figures is not None:
            columns.append(replace(column, totals=figures, filled=figures.filled, different=figures.different))
        else:
            columns.append(column)
    edits = view.trip.edits.filter(undone_at=None).count()
    update_status(view, revised=True, columns=columns, edits=edits)


def refresh_edit_figures(view: PartView) -> None:
    """A newer version of the sheet came in: earlier edits that count over it count in its figures too."""
    trip = view.trip
    numbers = edits_of(trip)
    if not numbers:
        return
    sheet = newest_sheet(view)
    columns = (
        counting(artifacts.read(sheet.cells), _table(sheet, numbers))["column"].unique(maintain_order=True).to_list()
    )
    if columns:
        totals = sheet_totals(columns_now(sheet, numbers, columns), columns)
        with transaction.atomic():
            trip.refresh_from_db()
            update_figures(view, sheet, totals)
