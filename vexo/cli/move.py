"""The command that moves a trip to another application."""

from __future__ import annotations

import click

from vexo.core.wording import many

from .common import find_view, finish, json_option, print_json, ready
from .main import Setting
from .terminal import console


@click.command()
@click.argument("trip", type=int)
@click.argument("application", required=False, default="")
@click.option("--again", is_flag=True, help="Of a moved trip: decide as there, where what was seen is the same.")
@json_option
@ready
def move(setting: Setting, trip: int, application: str, again: bool, as_json: bool) -> None:
    """Move a trip to another application: a new trip there, with its sheet, edits, columns, lanes, key and rules.

    Of a trip that was moved: what its plan has otherwise than the one that it comes from.
    """
    from vexo.server.applications.services import find_application
    from vexo.server.decisions.moved import decide_again, moved
    from vexo.server.errors import PlainError
    from vexo.server.ingest.move import move_trip
    from vexo.server.people.rights import Action, require
    from vexo.server.planning.context import plan_of
    from vexo.server.trips.facts import to_json

    from .lanes import open_json, print_open
    from .trips import end_with

    view, person = find_view(trip), setting.person()
    if application:
        require(person, Action.PREPARE)
        view = find_view(finish(move_trip(view, person, find_application(application), run_here=True))["trip"])
    if again:
        finish(decide_again(view, person, plan_of(view).number, run_here=True))
        view = find_view(view.trip.pk)
    moved_trip = moved(view)
    if moved_trip is None and not application:
        raise PlainError(f"Trip {view.trip.pk} was not moved from another, or has no plan yet.", "no-plan")
    if as_json:
        print_json({"trip": view.trip.pk, "moved": to_json(moved_trip), **open_json(view)})
    else:
        out = console()
        out.print(f"Trip {view.trip.pk} is on {view.trip.application.label}.")
        if moved_trip is not None:
            where = f"trip {moved_trip.trip} on {moved_trip.application}"
            extra = moved_trip.more
            more = f"; {extra:,} would write here what there was nothing to write of" if extra else ""
            alike = many(moved_trip.alike, "row", "rows")
            out.print(f"It was moved from {where}: {alike} as there, {moved_trip.differs:,} differ{more}.")
            for offer in moved_trip.offers:
                rows = many(offer.count, "row", "rows")
                out.print(f"Can be decided again: {offer.says}, {rows} (vexo move {view.trip.pk} --again)")
    print_open(view)
    end_with(view)
