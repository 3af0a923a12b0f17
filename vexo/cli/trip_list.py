"""The command that lists trips."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from vexo.core.wording import many

from .common import find_view, json_option, print_json, ready
from .main import Setting
from .options import Beside
from .terminal import SIGNS, console, plain_table

if TYPE_CHECKING:
    from vexo.server.trips.facts.parts import AboutPart


@click.command()
@click.argument("words", nargs=-1)
@click.option("--application", default="", metavar="NAME", help="Only those of an application.")
@click.option("--waits", is_flag=True, help="Only those that wait for a person.")
@click.option("--most", type=click.IntRange(1, 2_000), help="How many are listed; 100 by default.")
@click.option(
    "--rename",
    default="",
    metavar="TRIP=TITLE",
    help="Give a trip another title.",
    cls=Beside,
    not_with=("words", "application", "waits", "most"),
)
@json_option
@ready
def trips(
    setting: Setting,
    words: tuple[str, ...],
    application: str,
    waits: bool,
    most: int | None,
    rename: str,
    as_json: bool,
) -> None:
    """List the trips with all WORDS in title, type, application or number: those that wait for a person first."""
    from vexo.server.applications.services import find_application
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.trip_list import Wanted, list_trips

    if rename:
        _rename(setting, rename, as_json)
        return
    if application:
        find_application(application)
    listed = list_trips(setting.person(), Wanted(" ".join(words), application, 0, most or 0))
    shown = [trip for trip in listed.trips if trip.asks or not waits]
    if as_json:
        print_json({"trips": to_json(shown), "total": listed.total, "waiting": listed.not_shown})
        return
    table = plain_table("Trip", "Title", "Application", "", "Rows", "", "Status")
    for trip in shown:
        rows = trip.rows if trip.rows is not None else trip.sent_rows
        at = f" {trip.needs.at:%Y-%m-%d %H:%M %Z}" if trip.needs.at else ""
        texts = (str(trip.id), trip.title, trip.application.label, trip.application.stage.upper())
        status = f"{_part_words(trip.about_part)}{trip.needs.says}{at}"
        table.add_row(*texts, "" if rows is None else f"{rows:,}", SIGNS.get(trip.needs.kind, ""), status)
    console().print(table if shown else "No trip is like that.")
    older = listed.total - len(listed.trips)
    if older:
        waiting = f", of which {listed.not_shown:,} wait for a person" if listed.not_shown else ""
        click.echo(f"{older:,} older ones are not shown{waiting}: say --most, or words of theirs.", err=True)


def _part_words(about: AboutPart | None) -> str:
    if about is None:
        return ""
    more = f" and {many(about.more, 'more part', 'more parts')}" if about.more else ""
    return f"{about.label}{more}: "


def _rename(setting: Setting, said: str, as_json: bool) -> None:
    from vexo.server.errors import PlainError
    from vexo.server.trips.titles import retitle

    number, equals, title = said.partition("=")
    if not equals or not number.strip().isdecimal():
        raise PlainError(f"--rename {said!r} should be TRIP=TITLE, such as 5=Winter tariff.", "title")
    view = find_view(int(number), whole=True)
    retitle(view, setting.person(), title)
    renamed = find_view(view.trip.pk, whole=True).trip.title
    if as_json:
        print_json({"trip": view.trip.pk, "title": renamed})
    else:
        console().print(f"Trip {view.trip.pk} is called {renamed} now.")
