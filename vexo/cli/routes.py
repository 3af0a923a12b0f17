"""The command about saved routes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from .common import json_option, print_json, ready
from .main import Setting
from .terminal import console, plain_table

if TYPE_CHECKING:
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


@click.command()
@click.option("--delete", default="", metavar="ROUTE", help="Delete a route, by its name or number.")
@click.option(
    "--refusals",
    default="",
    metavar="ROUTE=WHAT",
    help="What its passes do where rows are refused: carry-on, N (stop once N were), or N+take-back.",
)
@json_option
@ready
def routes(setting: Setting, delete: str, refusals: str, as_json: bool) -> None:
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
            }
            for r, f in listed
        ]
        print_json({"routes": listing})
        return
    table = plain_table("No.", "Route", "Application", "What it does", "Used")
    for route, fit in listed:
        used = f"{route.used_at:%Y-%m-%d}, {route.rows:,} rows" if route.used_at and route.rows is not None else "never"
        said = [f"{rule_words(rule_of_route(route)).capitalize()}."] if route.on_refusals else []
        says = " ".join([fit.says, *said, *fit.lost])
        table.add_row(str(route.pk), route.name, route.application.label, says, used)
    console().print(table if listed else "No route is kept yet. Keep one with `vexo send-out --keep-as NAME`.")
