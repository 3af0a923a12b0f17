"""Edits over a trip's sheet: made, listed, undone one by one; the sheet's cells with those that count laid over."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import polars as pl
from django.db import transaction
from django.utils import timezone

from vexo.core.sheets import SheetProfile
from vexo.core.sheets.editing import EDITS, EditError, as_edits, counting, lay_edits, put
from vexo.core.sheets.laying import told_apart
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.sheets.totals import sheet_totals

from .. import stages
from ..errors import PlainError
from ..jobs.models import Job
from ..jobs.working import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Sheet, Trip
from ..trips.sheets import newest_sheet
from ..trips.standing import facts_of, refuse_while_sending, tell
from .models import Edit

_TRIES = 3
Change = Callable[[pl.DataFrame], pl.DataFrame]
"""From the cells as they stand to the changes of them."""


def edits_of(trip: Trip) -> list[int]:
    """The numbers of the edits that are not undone, oldest first."""
    return list(trip.edits.filter(undone_at=None).values_list("id", flat=True))


def _profile(sheet: Sheet) -> SheetProfile:
    return SheetProfile.from_json(sheet.profile or {})


def _over(edit: Edit, sheet: Sheet) -> pl.DataFrame:
    """An edit's cells as those of another version of the sheet: columns are known by their header."""
    cells = stages.unpack(edit.cells)
    if edit.sheet_id == sheet.pk:
        return cells.select(list(EDITS))
    there = told_apart(_profile(sheet).columns)
    names = {name: there[place] for place, name in told_apart(_profile(edit.sheet).columns).items() if place in there}
    column = pl.col("column").replace_strict(names, default=None, return_dtype=pl.String)
    return cells.with_columns(column.alias("column")).drop_nulls("column").select(list(EDITS))


def _table(sheet: Sheet, numbers: Iterable[int]) -> pl.DataFrame:
    found = Edit.objects.filter(pk__in=list(numbers)).select_related("sheet").order_by("id")
    return pl.concat([pl.DataFrame(schema=EDITS), *[_over(edit, sheet) for edit in found]])


def _place(sheet: Sheet, numbers: Sequence[int]) -> str:
    return stages.named(sheet.trip_id, "cells", sheet.cells, tuple(numbers)) if numbers else sheet.cells


def cells_of(sheet: Sheet, numbers: Sequence[int]) -> str:
    """Where the sheet's cells are with these edits laid over; made where they are not there. Raises StageLost."""
    place = _place(sheet, numbers)
    if not numbers or stages.there(place):
        return place
    before = _place(sheet, numbers[:-1])
    base = stages.read(sheet.cells)
    if numbers[:-1] and stages.there(before):
        made = put(stages.read(before), counting(base, _table(sheet, numbers[-1:])))
    else:
        made = lay_edits(base, _table(sheet, numbers))
    return stages.write(made, place)


def cells_now(sheet: Sheet) -> str:
    """Where the sheet's cells are with all edits that count."""
    return cells_of(sheet, edits_of(sheet.trip))


def columns_now(sheet: Sheet, numbers: Sequence[int], columns: Sequence[str]) -> pl.DataFrame:
    """Some columns of a sheet (and which row is which) with edits laid over, without making all of them."""
    shown = [f"shown.{name}" for name in columns]
    place = _place(sheet, numbers)
    there = stages.scan(sheet.cells).collect_schema().names()
    wanted = [name for name in (ROW_ID, ROW, *columns, *shown) if name in there]
    if stages.there(place):
        return stages.read(place, wanted)
    return lay_edits(stages.read(sheet.cells, wanted), _table(sheet, numbers))


def edits_over(sheet: Sheet, numbers: Sequence[int]) -> pl.DataFrame:
    """The edits as a table, for a window of the sheet to lay them over its own rows."""
    return _table(sheet, numbers)


def edited_between(sheet: Sheet, before: Sequence[int], now: Sequence[int]) -> pl.DataFrame:
    """``row_id`` and ``column`` of the cells that may differ between two states of a sheet's edits."""
    return _table(sheet, set(before) ^ set(now)).select(ROW_ID, "column").unique(maintain_order=True)


def headers_of(sheet: Sheet) -> dict[str, str]:
    """Column → what is called so."""
    return {column.name: column.header or column.name for column in _profile(sheet).columns}


def _tell(trip: Trip, sheet: Sheet, totals: dict[str, dict[str, Any]]) -> None:
    """Write down the figures of the columns that changed; the newest plan no longer counts."""
    sheet.totals = {**sheet.totals, "now": {**sheet.totals.get("now", {}), **totals}}
    Sheet.objects.filter(pk=sheet.pk).update(totals=sheet.totals)
    told = []
    for column in facts_of(trip).get("columns", []):
        own = totals.get(column["column"])
        figures = {"totals": own, "filled": own["filled"], "different": own["different"]} if own else {}
        told.append({**column, **figures})
    tell(trip, revised=True, columns=told, edits=trip.edits.filter(undone_at=None).count())


def tell_edited(trip: Trip) -> None:
    """A newer version of the sheet came in: earlier edits that count over it count in its figures too."""
    numbers = edits_of(trip)
    if not numbers:
        return
    sheet = newest_sheet(trip)
    columns = counting(stages.read(sheet.cells), _table(sheet, numbers))["column"].unique(maintain_order=True).to_list()
    if columns:
        totals = sheet_totals(columns_now(sheet, numbers, columns), columns)
        with transaction.atomic():
            trip.refresh_from_db()
            _tell(trip, sheet, totals)


def make(
    trip: Trip,
    person: Person,
    kind: str,
    words: str,
    columns: Sequence[str],
    change: Change,
    *,
    mine: bool = False,
) -> tuple[Edit, Job]:
    """Edit the trip's newest sheet; the rows are planned anew.

    Args:
        kind: cell, fill, replace, paste or repair.
        words: what is done, for the list of edits.
        columns: those that it may change.

    Returns:
        the edit, and the job that plans with it.

    Raises:
        NotAllowed, PlainError, EditError: where nothing would change.
    """
    require(person, Action.PREPARE)
    for _ in range(_TRIES):
        trip.refresh_from_db()
        refuse_while_sending(trip)
        sheet, revision, numbers = newest_sheet(trip), trip.revision, edits_of(trip)
        base, now = (columns_now(sheet, state, columns) for state in ((), numbers))
        cells = as_edits(change(now), base, now)
        if cells.is_empty():
            raise EditError("That changes no cell.")
        packed, touched = stages.pack(cells), cells["column"].unique(maintain_order=True).to_list()
        totals = sheet_totals(put(now, cells), touched)
        with transaction.atomic():
            trip.refresh_from_db()
            if trip.revision != revision:
                continue
            edit = Edit.objects.create(
                trip=trip, sheet=sheet, kind=kind, words=words[:300], cells=packed, count=len(cells), by=person.username
            )
            _tell(trip, sheet, totals)
            told = f"{words} ({edit.count:,} {'cell' if edit.count == 1 else 'cells'})"
            note(person.username, "edited", told[:300], trip.application, trip.pk, edit.count, sheet.name)
            return edit, enqueue("plan", person.username, trip, mine=mine, fresh=False)
    raise PlainError("The trip is changed faster than it can be edited. Do that again.")


def undo(trip: Trip, person: Person, number: int, *, mine: bool = False) -> Job:
    """Take one edit back; later ones of the same cells stay. Raises NotAllowed, PlainError."""
    require(person, Action.PREPARE)
    for _ in range(_TRIES):
        trip.refresh_from_db()
        refuse_while_sending(trip)
        sheet, revision = newest_sheet(trip), trip.revision
        edit = trip.edits.select_related("sheet").filter(pk=number, undone_at=None).first()
        if edit is None:
            raise PlainError(f"There is no edit {number} to undo on trip {trip.pk}.")
        left = [one for one in edits_of(trip) if one != number]
        columns = [c for c in _over(edit, sheet)["column"].unique(maintain_order=True) if c in headers_of(sheet)]
        totals = sheet_totals(columns_now(sheet, left, columns), columns)
        with transaction.atomic():
            trip.refresh_from_db()
            if trip.revision != revision:
                continue
            Edit.objects.filter(pk=number).update(undone_at=timezone.now(), undone_by=person.username)
            _tell(trip, sheet, totals)
            words = f"Took back edit {number}: {edit.words}"
            note(person.username, "edited", words[:300], trip.application, trip.pk, edit.count, sheet.name)
            return enqueue("plan", person.username, trip, mine=mine, fresh=False)
    raise PlainError("The trip is changed faster than it can be edited. Do that again.")


def listed(trip: Trip, most: int | None = None) -> list[Edit]:
    """The edits that are not undone, newest first."""
    return list(trip.edits.filter(undone_at=None).order_by("-id").select_related("sheet")[:most])


def first_cells(edit: Edit, most: int = 3) -> list[dict[str, str | None]]:
    """The first cells of an edit, for a person to know it by."""
    headers = headers_of(edit.sheet)
    cells = stages.unpack(edit.cells).head(most).select("column", "before", "text")
    return [{"header": headers.get(c, c), "before": before, "after": after} for c, before, after in cells.iter_rows()]
