"""Which rows of a trip's sheet are carried, and what a person expects of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypedDict, Unpack

from django.db import transaction

from vexo.core.sheets.row_filter import read_choice
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.sheets.totals import as_typed
from vexo.core.wording import shortened, thousands

from .. import artifacts
from ..errors import PlainError
from ..jobs.models import Job
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.plan_jobs import enqueue_plan
from ..trips.refusals import refuse_while_sending
from ..trips.sheet_cells import cells_now
from ..trips.sheets import newest_sheet
from ..trips.status import status_facts, update_status


def words_of(row_filter: Mapping[str, Any]) -> str:
    """Which rows a trip carries."""
    words = [f"rows where {row_filter['condition']}" if row_filter.get("condition") else "all rows"]
    out = len(row_filter.get("left_out", []))
    return " ".join([*words, f"without {thousands(out)} left out by hand"] if out else words)


def carry_only(
    view: PartView,
    person: Person,
    *,
    condition: str | None = None,
    leave_out: Sequence[int] = (),
    take_in: Sequence[int] = (),
    carry: str = "",
    run_here: bool = False,
) -> Job:
    """Carry only some of the sheet's rows; the rest is set aside. The rows are planned anew.

    Args:
        condition: on the sheet's own columns; empty for all rows, None leaves what was said.
        leave_out: numbers of rows that are left out one by one, ``take_in`` those that no longer are.
        carry: ``none`` to leave out every row first, ``all`` to take every row in.

    Raises:
        NotAllowed, PlainError, ConditionError
    """
    trip = view.trip
    require(person, Action.PREPARE)
    if condition is None and not (leave_out or take_in or carry):
        # A plan that somebody has seen or approved is not replaced for nothing.
        raise PlainError("Nothing is said that would change. Name a condition or rows.", "nothing")
    sheet = newest_sheet(view)
    if condition:
        read_choice(condition, artifacts.read(cells_now(sheet)), sheet.profile.columns)
    both = set(leave_out) & set(take_in)
    if both:
        raise PlainError(
            f"{thousands(len(both))} of these rows would be left out and taken in. Say one of them.", "twice"
        )
    by_hand = carry == "none" or leave_out or take_in
    rows = set(artifacts.read(sheet.cells, [ROW_ID])[ROW_ID].to_list()) if by_hand else set()
    unknown = {*leave_out, *take_in} - rows - set(trip.row_filter.get("left_out", []))
    if unknown:
        raise PlainError(f"{thousands(len(unknown))} of these rows are not in the newest sheet. Look at it anew.")
    with transaction.atomic():
        trip.refresh_from_db()
        refuse_while_sending(trip)
        before = set(rows if carry == "none" else () if carry == "all" else trip.row_filter.get("left_out", []))
        out = (before | set(leave_out)) - set(take_in)
        row_filter = {"condition": trip.row_filter.get("condition", "") if condition is None else condition.strip()}
        only = {name: value for name, value in {**row_filter, "left_out": sorted(out)}.items() if value}
        Trip.objects.filter(pk=trip.pk).update(row_filter=only)
        update_status(view, revised=True, whole=True)
        trip.refresh_from_db()
        note(
            person.username,
            "changed",
            shortened(f"Trip {trip.pk} carries {words_of(only)}", 300),
            trip.application,
            trip.pk,
        )
        return enqueue_plan(person.username, view, run_here=run_here, fresh=False)


class Expected(TypedDict, total=False):
    """Of a sheet: how many rows, None for any; and the sum of each header as text, empty for any."""

    rows: int | None
    sums: Mapping[str, str]


def expect(view: PartView, person: Person, **said: Unpack[Expected]) -> None:
    """Say how many rows, and which sums by header, the sheet should have.

    Args:
        said: what is expected anew; what is not said stays.

    Raises:
        NotAllowed
        PlainError: where a sum is not a number, or there is no such column.
    """
    trip = view.trip
    require(person, Action.PREPARE)
    headers, sums = [column.header for column in status_facts(view).columns], said.get("sums", {})
    for header, text in sums.items():
        if header not in headers:
            raise PlainError(f"The sheet has no column {header!r}.")
        if text.strip() and as_typed(text) is None:
            raise PlainError(f"{text!r} is not a number. Write the sum that you expect, such as 48,211.50.")
    with transaction.atomic():
        trip.refresh_from_db()
        sums_expected = {**trip.expected.get("sums", {}), **{header: text.strip() for header, text in sums.items()}}
        rows = said.get("rows", trip.expected.get("rows"))
        expected = {"rows": rows, "sums": {header: text for header, text in sums_expected.items() if text}}
        Trip.objects.filter(pk=trip.pk).update(expected={n: v for n, v in expected.items() if v not in (None, {})})
        update_status(view)
    trip.refresh_from_db()
