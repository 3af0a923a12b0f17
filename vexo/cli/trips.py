"""Commands about trips: bring in, columns, plan."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vexo.core.columns.lanes import lanes_from_json
from vexo.core.operations import Operation
from vexo.core.sheets import Choices

from .common import find_view, finish, json_option, print_json, ready
from .inspect_sheet import reading_options
from .keys import key_options
from .lanes import Laning, answered, lane_options, lanes_said, open_json, open_of, print_open, questions_of
from .main import Setting
from .options import Beside, refuse_twice
from .terminal import console, plain_table, sum_line

if TYPE_CHECKING:
    from vexo.server.planning.models import Plan
    from vexo.server.trips.models import Trip
    from vexo.server.trips.part_view import PartView

_OPERATIONS = click.Choice([operation.value for operation in Operation])


def _said(maps: tuple[str, ...]) -> dict[str, str]:
    from vexo.server.errors import PlainError

    refuse_twice("column", {"--map": [entry.rpartition("=")[0] for entry in maps]})
    field_by_column = {}
    for entry in maps:
        column, equals, field = entry.rpartition("=")
        if not equals or not column:
            raise PlainError(f"--map {entry!r} should be COLUMN=FIELD, or COLUMN= for a column that is not carried.")
        field_by_column[column] = field
    return field_by_column


def end_with(view: PartView, *, waits: bool = False) -> None:
    """Exit 0 where nothing is open, and nothing else is to be waited for; else 1."""
    sys.exit(1 if waits or open_of(view) else 0)


def plan_figures(trip: Trip, plan: Plan) -> dict[str, Any]:
    """A plan as one JSON object."""
    return {
        "trip": trip.pk,
        "part": _part_words(trip, plan),
        "plan": plan.number,
        "rows": plan.summary["rows"],
        "verdicts": plan.summary["verdicts"],
        "known_rows": plan.summary["known_rows"],
        "keys_not_read": plan.summary["keys_not_read"],
        "patterns_not_read": plan.summary.get("patterns_not_read", []),
    }


def _print_lapsed(view: PartView) -> None:
    """Edits of earlier versions of the sheet that do not count over this one, on the standard error."""
    from vexo.server.edits.lapsed import lapsed_of
    from vexo.server.trips.models import Edit

    for number, one in lapsed_of(view, Edit.listed(view.trip)).items():
        click.echo(f"! Edit {number}: {one.why}", err=True)


def _part_words(trip: Trip, plan: Plan) -> str:
    """Which part of a shared-out trip a plan is of; empty where the trip is one sheet."""
    part = plan.sheet.part
    return (part.label or str(part.number)) if part is not None and trip.parts.count() > 1 else ""


def print_columns(view: PartView, as_json: bool) -> None:
    """Where the columns of a trip's newest sheet go."""
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.status import status_facts

    columns = status_facts(view).columns
    if as_json:
        print_json({"trip": view.trip.pk, "key": view.trip.key, "columns": to_json(columns)})
        return
    table = plain_table("Column", "Goes into", "By", "Lane")
    for one in columns:
        goes = one.field if one.carried else "?  not said yet" if one.open else "not carried"
        table.add_row(one.header or "no name", goes, one.how, one.lane.short if one.lane else "")
    console().print(table)


def print_plan(view: PartView, as_json: bool) -> None:
    """The newest plan's sum, and how to look at it."""
    trip = view.trip
    from vexo.server.planning.context import plan_of

    plan = plan_of(view)
    figures = plan_figures(trip, plan)
    print_open(view)
    _print_lapsed(view)
    if as_json:
        print_json({**figures, "questions": questions_of(view), **open_json(view)})
    else:
        part = f", {figures['part']}" if figures["part"] else ""
        console().print(f"Trip {trip.pk}, {trip.title}{part}, plan {plan.number}")
        console().print(sum_line(figures["rows"], figures["verdicts"]))
        console().print(f"Look at it with: vexo review {trip.pk}")
    end_with(view)


@click.command("bring-in")
@click.argument("application")
@click.argument("record_type", metavar="TYPE")
@click.argument("files", metavar="FILE…", type=click.Path(path_type=Path), nargs=-1, required=True)
@click.option("--key", "key", multiple=True, help="A key field; several together make one key.")
@key_options
@click.option("--operation", type=_OPERATIONS, default=None)
@click.option("--map", "maps", multiple=True, metavar="COLUMN=FIELD", help="Where a column goes; COLUMN= for nowhere.")
@click.option("--route", default="", metavar="NAME", help="The route that says how it comes in.")
@click.option(
    "--no-route",
    is_flag=True,
    help="Come in on no route, though the sheet fits one wholly.",
    cls=Beside,
    not_with=("route",),
)
@lane_options
@click.option("--trip", "number", default="", help="The trip it belongs to, or 'new'.")
@click.option("--title", default="", help="The name of a new trip.")
@reading_options
@click.option("--prefix", type=click.Choice(["off", "keep"]), help="What becomes of apostrophes that guard formulas.")
@click.option("--marks", is_flag=True, help="Marks such as [clear] count, though the sheet did not go out from here.")
@json_option
@ready
def bring_in(
    setting: Setting,
    application: str,
    record_type: str,
    files: tuple[Path, ...],
    key: tuple[str, ...],
    ignores: tuple[str, ...] | None,
    reach: str | None,
    operation: str | None,
    maps: tuple[str, ...],
    route: str,
    no_route: bool,
    laning: Laning,
    number: str,
    title: str,
    worksheet: str,
    header: int | None,
    encoding: str,
    delimiter: str,
    prefix: str | None,
    marks: bool,
    as_json: bool,
) -> None:
    """Bring a sheet in, up to Review. Nothing is written to the application.

    Several files are one list in parts, one below the other.
    """
    from vexo.server.applications.services import find_application
    from vexo.server.errors import PlainError
    from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in
    from vexo.server.people.rights import Action, require
    from vexo.server.planning.context import PlanContext, newest_plan
    from vexo.server.routes.saved_routes import find_route
    from vexo.server.trips.part_view import PartView
    from vexo.server.trips.plan_jobs import enqueue_plan
    from vexo.server.trips.status import status_facts
    from vexo.server.uploads.lists import join
    from vexo.server.uploads.receive import take_file

    person = setting.person()
    require(person, Action.PREPARE)
    its_application, said = find_application(application), _said(maps)
    if number not in ("", "new") and (route or title):
        raise PlainError(f"--route and --title are of a trip that begins, and trip {number} has begun: say --trip new.")
    way = find_route(route) if route else None
    if way is not None and way.application_id != its_application.pk:
        raise PlainError(f"The route {way.name} is one of {way.application.label}, not of {its_application.label}.")
    carried = [field for field in said.values() if field]
    lanes = lanes_said(laning, lanes_from_json((way.import_document if way else {}).get("lanes", {})), carried)
    upload, *others = [take_file(file, person.username) for file in files]
    if others:
        upload = join(upload.pk, [other.pk for other in others], person.username)
    job = start_bringing_in(
        its_application,
        record_type,
        upload,
        person,
        ImportRequest(
            key=key,
            ignores=ignores,
            reach=reach or "",
            operation=operation or "",
            columns=said,
            trip=number,
            title=title,
            choices=Choices(worksheet, header, encoding, delimiter, prefix or "", marks),
            lanes={name: lane.to_json() for name, lane in lanes.items()},
            route=way.pk if way else None,
            fit_route=not no_route,
        ),
        run_here=True,
    )
    done = finish(job)
    view = find_view(done["trip"], whole=True)
    if "part" in done:
        view = PartView(view.trip, done["part"])
    plan = newest_plan(view)
    if plan is None:
        print_open(view)
        PlanContext.of_now(view)
    elif plan.revision != view.trip.revision:
        finish(enqueue_plan(person.username, view, run_here=True, fresh=True))
    taken = status_facts(view).on_route
    if taken is not None and not way:
        click.echo(
            f"It fits the route {taken.name} wholly and came in on it; --no-route brings it in without.", err=True
        )
    job.refresh_from_db(fields=["result"])
    if not (job.result or {}).get("begun") and (way or title):
        what = f"its own way, not that of the route {way.name}" if way else f"its title, {view.trip.title}"
        click.echo(f"! The sheet came back on trip {view.trip.pk}, which keeps {what}.", err=True)
    if done.get("unchanged"):
        click.echo(f"{upload.name} is trip {done['trip']}'s newest sheet already, unchanged.", err=True)
    print_plan(view, as_json)


@click.command()
@click.argument("trip", type=int)
@click.option("--key", "key", multiple=True, help="A key field; several together make one key.")
@key_options
@click.option("--operation", type=_OPERATIONS, default=None)
@click.option("--map", "maps", multiple=True, metavar="COLUMN=FIELD", help="Where a column goes; COLUMN= for nowhere.")
@lane_options
@click.option("--answer", "answers", multiple=True, metavar="OF=NUMBER", help="An answer to what is asked of a column.")
@click.option("--keep-as", default="", metavar="NAME", help="Keep the way of the trip as a route.")
@json_option
@ready
def columns(
    setting: Setting,
    trip: int,
    key: tuple[str, ...],
    ignores: tuple[str, ...] | None,
    reach: str | None,
    operation: str | None,
    maps: tuple[str, ...],
    laning: Laning,
    answers: tuple[str, ...],
    keep_as: str,
    as_json: bool,
) -> None:
    """Say where columns go, what blank cells mean, the key, or what the rows are for; the rows are planned anew.

    Where nothing is said, the columns are listed.
    """
    from vexo.server.mapping.columns import Changes, change, go_on_without, take_marks
    from vexo.server.routes.saved_routes import keep_trip
    from vexo.server.trips.status import status_facts

    view = find_view(trip)
    answers_given = answered(view, answers)
    carried = [column.field or "" for column in status_facts(view).columns if column.carried]
    lanes = answers_given.lanes | lanes_said(laning, lanes_from_json(view.trip.lanes), carried)
    changes = Changes(
        columns={**answers_given.columns, **_said(maps)},
        key=list(key) or None,
        ignores=ignores,
        reach=reach,
        operation=operation or "",
        lanes=lanes,
    )
    if changes.are_none and not answers:
        if keep_as:
            keep_trip(setting.person(), view, keep_as)
        print_columns(view, as_json)
        return
    if answers_given.without:
        go_on_without(view, setting.person())
    if answers_given.marks:
        take_marks(view, setting.person())
    finish(change(view, setting.person(), changes, run_here=True))
    if keep_as:
        keep_trip(setting.person(), find_view(trip), keep_as)
    print_plan(find_view(trip), as_json)


@click.command("open")
@click.argument("trip", type=int)
@json_option
@ready
def open_(setting: Setting, trip: int, as_json: bool) -> None:
    """List what is open on a trip: questions, and rows that wait, each with the ways to answer."""
    view = find_view(trip)
    if as_json:
        print_json({"trip": trip, **open_json(view)})
    else:
        print_open(view)
        if not open_of(view):
            console().print("Nothing is open.")
    end_with(view)


@click.command()
@click.argument("trip", type=int)
@json_option
@ready
def plan(setting: Setting, trip: int, as_json: bool) -> None:
    """Ask the application again and plan a trip anew. Nothing is written to the application."""
    from vexo.server.people.rights import Action, require
    from vexo.server.trips.plan_jobs import enqueue_plan

    person = setting.person()
    require(person, Action.PREPARE)
    finish(enqueue_plan(person.username, find_view(trip), run_here=True, fresh=True))
    print_plan(find_view(trip), as_json)
