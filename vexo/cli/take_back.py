"""The command that takes back what a trip wrote."""

from __future__ import annotations

import click

from .common import find_view, finish, json_option, print_json, ready
from .main import Setting
from .terminal import console

_MOST = 1_100_000
"""Rows that a range may hold: a little more than a worksheet does."""


def _numbers(text: str) -> tuple[int, ...]:
    """Rows as people list them: ``3, 5-9``. Raises PlainError."""
    from vexo.server.errors import PlainError

    rows: list[int] = []
    for part in filter(None, (one.strip() for one in text.split(","))):
        ends = [one.strip() for one in part.split("-")]
        numbers = [int(one) for one in ends if one.isdecimal() and len(one) < _DIGITS]
        if len(numbers) != len(ends) or len(ends) > 2 or not 0 <= numbers[-1] - numbers[0] < _MOST or not numbers[0]:
            raise PlainError(f"Rows are numbers and ranges, such as 3,5-9; not {part!r}.", "rows")
        rows += range(numbers[0], numbers[-1] + 1)
    return tuple(dict.fromkeys(rows))


_DIGITS = 8
"""A row's number has fewer."""


@click.command("take-back")
@click.argument("trip", type=int)
@click.option("--pass", "passes", type=int, multiple=True, metavar="N", help="Only what this pass wrote; repeatable.")
@click.option("--rows", default="", metavar="ROWS", help="Only these rows of the sheet, such as 3,5-9.")
@json_option
@ready
def take_back(setting: Setting, trip: int, passes: tuple[int, ...], rows: str, as_json: bool) -> None:
    """Make a trip that takes back what this one wrote.

    Its sheet says what was there before. Nothing is written before it is reviewed and applied (vexo review, vexo
    apply); what others changed since is held.
    """
    from vexo.server.passes.take_back import Wanted, start_taking_back
    from vexo.server.trips.models import Trip
    from vexo.server.trips.part_view import PartView

    from .lanes import open_json, print_open
    from .trips import end_with

    numbers = _numbers(rows)
    view, person = find_view(trip, whole=not setting.part), setting.person()
    wanted = Wanted(passes, numbers, view.part if setting.part else 0)
    job = finish(start_taking_back(view, person, wanted, run_here=True))
    reverse_view = PartView.of(Trip.objects.select_related("application").get(pk=job["trip"]))
    if as_json:
        print_json({"trip": reverse_view.trip.pk, "takes_back": trip, **open_json(reverse_view)})
    else:
        console().print(
            f"Trip {reverse_view.trip.pk} takes back trip {trip}. Look at it: vexo review {reverse_view.trip.pk}"
        )
    print_open(reverse_view)
    end_with(reverse_view)
