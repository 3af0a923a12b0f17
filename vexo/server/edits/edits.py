"""Edits over a trip's sheet: made, listed, undone one by one; the sheet's cells with those that count laid over."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import polars as pl
from django.db import transaction
from django.utils import timezone

from vexo.core.sheets.overlay.edits import EditError, as_edits, as_seen, put
from vexo.core.sheets.totals import sheet_totals
from vexo.core.wording import shortened, thousands

from .. import artifacts
from ..errors import PlainError
from ..jobs.models import Job
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Edit
from ..trips.part_view import PartView
from ..trips.plan_jobs import enqueue_plan
from ..trips.refusals import refuse_while_sending
from ..trips.retries import until_unchanged
from ..trips.sheet_cells import columns_now, edits_of, headers_of, over_sheet, update_figures
from ..trips.sheets import newest_sheet

_TOO_FAST = "The trip is changed faster than it can be edited. Do that again."
Change = Callable[[pl.DataFrame], pl.DataFrame]
"""From the cells as they stand to the changes of them."""


def make(
    view: PartView,
    person: Person,
    kind: str,
    words: str,
    columns: Sequence[str],
    change: Change,
    *,
    run_here: bool = False,
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
    trip = view.trip
    require(person, Action.PREPARE)

    def attempt() -> tuple[Edit, Job] | None:
        refuse_while_sending(trip)
        sheet, revision, numbers = newest_sheet(view), trip.revision, edits_of(trip)
        base, now = (columns_now(sheet, state, columns) for state in ((), numbers))
        seen = as_seen(now)
        cells = as_edits(change(seen), base, seen)
        if cells.is_empty():
            raise EditError("That changes no cell.")
        packed, touched = artifacts.pack(cells), cells["column"].unique(maintain_order=True).to_list()
        totals = sheet_totals(put(now, cells), touched)
        with transaction.atomic():
            trip.refresh_from_db()
            if trip.revision != revision:
                return None
            edit = Edit.objects.create(
                trip=trip,
                sheet=sheet,
                kind=kind,
                words=shortened(words, 300),
                cells=packed,
                count=len(cells),
                by=person.username,
            )
            update_figures(view, sheet, totals)
            counted = f"{words} ({thousands(edit.count)} {'cell' if edit.count == 1 else 'cells'})"
            note(person.username, "edited", shortened(counted, 300), trip.application, trip.pk, edit.count, sheet.name)
            return edit, enqueue_plan(person.username, view, run_here=run_here, fresh=False)

    return until_unchanged(trip, attempt, _TOO_FAST)


def undo(view: PartView, person: Person, number: int, *, run_here: bool = False) -> Job:
    """Take one edit back; later ones of the same cells stay. Raises NotAllowed, PlainError."""
    trip = view.trip
    require(person, Action.PREPARE)

    def attempt() -> Job | None:
        refuse_while_sending(trip)
        sheet, revision = newest_sheet(view), trip.revision
        edit = trip.edits.select_related("sheet").filter(pk=number, undone_at=None).first()
        if edit is None:
            raise PlainError(f"There is no edit {number} to undo on trip {trip.pk}.")
        left = [other for other in edits_of(trip) if other != number]
        columns = [c for c in over_sheet(edit, sheet)["column"].unique(maintain_order=True) if c in headers_of(sheet)]
        totals = sheet_totals(columns_now(sheet, left, columns), columns)
        with transaction.atomic():
            trip.refresh_from_db()
            if trip.revision != revision:
                return None
            Edit.objects.filter(pk=number).update(undone_at=timezone.now(), undone_by=person.username)
            update_figures(view, sheet, totals)
            words = f"Took back edit {number}: {edit.words}"
            note(person.username, "edited", shortened(words, 300), trip.application, trip.pk, edit.count, sheet.name)
            return enqueue_plan(person.username, view, run_here=run_here, fresh=False)

    return until_unchanged(trip, attempt, _TOO_FAST)


def first_cells(edit: Edit, most: int = 3) -> list[dict[str, str | None]]:
    """The first cells of an edit, for a person to know it by."""
    headers = headers_of(edit.sheet)
    cells = artifacts.unpack(edit.cells).head(most).select("column", "before", "text")
    return [{"header": headers.get(c, c), "before": before, "after": after} for c, before, after in cells.iter_rows()]
