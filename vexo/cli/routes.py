"""The command about saved routes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from vexo.core.wording import many

from .common import json_option, print_json, ready
from .main import Setting
from .options import Beside
from .terminal import console, plain_table

if TYPE_CHECKING:
    from vexo.server.routes.models import Route
    from vexo.server.trips.facts.passes import TroubleRule


def _rule(what: str) -> TroubleRule:
    """What a pass does where rows are refused, as people say it. Raises PlainError."""
    from vexo.server.errors import PlainError
    from vexo.server.trips.facts.passes import TroubleRule

    number, plus, then = what.partition("+")
    if what == "carry-on":
        return TroubleRule()
    if not number.isdecimal() or len(number) > 9 or then != ("take-back" if plus else ""):
        raise PlainError(f"Say carry-on, a number, or a number and +take-back; not {what!r}.", "trouble")
    return TroubleRule(int(number), bool(plus))


def _run_by_itself(
    setting: Setting, route: Route, folder: str, when: tuple[str, str, str], limits: tuple[int, int]
) -> None:
    """Have a route run by itself. Raises PlainError."""
    from datetime import time

    from vexo.server.errors import PlainError
    from vexo.server.unattended.services import DAYS, Wished, set_unattended

    at, days, zone = when
    most, deletes = limits
    try:
        moment = time.fromisoformat(at) if at else None
        places = tuple(DAYS.index(day.strip().capitalize()) for day in days.split(",") if day.strip())
    except ValueError as error:
        words = "Say --at as 06:30, and --days as days divided by commas"
        raise PlainError(f"{words}, of {', '.join(DAYS)}.", "times") from error
    set_unattended(setting.person(), route, Wished(folder, moment, places, zone, most > 0, most, deletes))


@click.command()
@click.option("--delete", default="", metavar="ROUTE", help="Delete a route, by its name or number.")
@click.option(
    "--refusals",
    default="",
    metavar="ROUTE=WHAT",
    help="What its passes do where rows are refused: carry-on, N (stop once N were), or N+take-back.",
)
@click.option("--by-itself", default="", metavar="ROUTE=FOLDER", help="Sheets come in on it from a folder by itself.")
@click.option(
    "--at",
    default="",
    metavar="HH:MM",
    help="With --by-itself: when it looks there; else every minute.",
    cls=Beside,
    only_with=("by_itself",),
)
@click.option(
    "--days",
    default="",
    metavar="MON,FRI",
    help="With --at: on which days; each day by default.",
    cls=Beside,
    only_with=("at",),
)
@click.option(
    "--zone", default="UTC", show_default=True, help="With --at: in which time zone.", cls=Beside, only_with=("at",)
)
@click.option(
    "--applies",
    cls=Beside,
    only_with=("by_itself",),
    type=click.IntRange(min=0),
    default=0,
    help="With --by-itself: apply up to so many records where nothing is open.",
)
@click.option(
    "--deletes",
    type=click.IntRange(min=0),
    default=0,
    help="With --applies: of these, as many deleted.",
    cls=Beside,
    only_with=("applies",),
)
@click.option("--not-by-itself", "stop", default="", metavar="ROUTE", help="It runs by itself no more.")
@json_option
@ready
def routes(
    setting: Setting,
    delete: str,
    refusals: str,
    by_itself: str,
    at: str,
    days: str,
    zone: str,
    applies: int,
    deletes: int,
    stop: str,
    as_json: bool,
) -> None:
    """List the saved routes and what each does."""
    from vexo.server.people.rights import Action, require
    from vexo.server.routes.models import Route
    from vexo.server.routes.refusal_rules import rule_of_route, set_rule_of_route
    from vexo.server.routes.saved_routes import delete_route, find_route, fit_of
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.refusal_rules import rule_words

    if delete:
        require(setting.person(), Action.PREPARE)
        delete_route(setting.person(), find_route(delete))
    if refusals:
        require(setting.person(), Action.PREPARE)
        name, _, what = refusals.rpartition("=")
        rule = _rule(what)
        set_rule_of_route(setting.person(), find_route(name), rule)
    if by_itself:
        name, _, folder = by_itself.rpartition("=")
        _run_by_itself(setting, find_route(name), folder, (at, days, zone), (applies, deletes))
    if stop:
        from vexo.server.unattended.services import stop_unattended

        stop_unattended(setting.person(), find_route(stop))
    from vexo.server.unattended.models import Unattended
    from vexo.server.unattended.services import words_of

    unattended = {one.route_id: one for one in Unattended.objects.select_related("route")}
    alone = {route: words_of(one) for route, one in unattended.items()}
    listed = [(route, fit_of(route)) for route in Route.objects.select_related("application")]
    if as_json:
        listing = [
            {
                "id": r.pk,
                "name": r.name,
                "application": r.application.name,
                "says": f.says,
                "says_in": f.says_in,
                "lost": list(f.lost),
                "on_refusals": to_json(rule_of_route(r)),
                "by_itself": alone.get(r.pk, ""),
                "by_itself_trouble": unattended[r.pk].trouble if r.pk in unattended else "",
            }
            for r, f in listed
        ]
        print_json({"routes": listing})
        return
    table = plain_table("No.", "Route", "Application", "What it does", "Used")
    for route, fit in listed:
        used = "never"
        if route.used_at and route.rows is not None:
            used = f"{route.used_at:%Y-%m-%d}, {many(route.rows, 'row', 'rows')}"
        clauses = [f"{rule_words(rule_of_route(route)).capitalize()}."] if route.on_refusals else []
        if route.pk in unattended:
            clauses += [f"By itself: {alone[route.pk]}.", unattended[route.pk].trouble]
        says = " ".join(filter(None, [fit.says, fit.says_in, *clauses, *fit.lost]))
        table.add_row(str(route.pk), route.name, route.application.label, says, used)
    console().print(table if listed else "No route is kept yet. Keep one with `vexo send-out --keep-as NAME`.")
