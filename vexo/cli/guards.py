"""The command about guards."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from .common import json_option, print_json, ready
from .main import Setting
from .options import refuse_twice
from .terminal import console, plain_table

if TYPE_CHECKING:
    from vexo.core.guards import GuardSettings


@click.command()
@click.argument("application")
@click.option("--route", "route_name", default="", help="Those of this route of the application.")
@click.option("--set", "modes", multiple=True, metavar="GUARD=MODE", help="What a guard does: hold, say or off.")
@click.option("--limit", "limits", multiple=True, metavar="GUARD.LIMIT=NUMBER", help="From which number on it speaks.")
@click.option("--usual", multiple=True, metavar="GUARD", help="Let a guard be as it is where nothing is said.")
@click.option("--file", "path", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="All, as JSON.")
@json_option
@ready
def guards(
    setting: Setting,
    application: str,
    route_name: str,
    modes: tuple[str, ...],
    limits: tuple[str, ...],
    usual: tuple[str, ...],
    path: Path | None,
    as_json: bool,
) -> None:
    """Show what guards do on the trips of an application, or of one of its routes; or set it."""
    from vexo.core.guards import GUARDS, USUAL, GuardSettings
    from vexo.server.applications.guarding import set_guards, told_guards
    from vexo.server.applications.services import find_application
    from vexo.server.errors import PlainError
    from vexo.server.people.rights import Action, require
    from vexo.server.routes.guarding import set_route_guards
    from vexo.server.routes.saved_routes import find_route

    refuse_twice("guard", {"--set": [one.partition("=")[0] for one in modes]})
    refuse_twice("limit", {"--limit": [one.partition("=")[0] for one in limits]})
    changes = path is not None or modes or limits or usual
    if changes:
        require(setting.person(), Action.CONNECT)
    target = find_application(application)
    route = find_route(route_name) if route_name else None
    if route is not None and route.application_id != target.pk:
        raise PlainError(f"The route {route.name} is one of {route.application.name}.", "no-route")
    kept = route.guards if route is not None else target.guards
    if changes:
        wanted = _laid(_read(path) if path is not None else kept, modes, limits, usual)
        if route is not None:
            kept = set_route_guards(setting.person(), route, wanted).guards
        else:
            kept = set_guards(setting.person(), target, wanted).guards
    settings = GuardSettings.from_json(kept)
    beneath = GuardSettings.from_json(target.guards) if route is not None else USUAL
    if as_json:
        laid = settings.over(beneath)
        print_json({"said": kept, "guards": {name: _in_force(laid, name) for name in GUARDS}})
        return
    table = plain_table("Guard", "Does", "Where")
    for guard in told_guards(settings, beneath):
        numbers = {limit.name: f"{limit.value} [{limit.name}]" for limit in guard.limits}
        table.add_row(guard.name, dict(guard.modes)[guard.mode], guard.when.format(**numbers))
    console().print(table)


def _in_force(laid: GuardSettings, name: Any) -> dict[str, Any]:
    """What a guard does, with all its limits."""
    from vexo.core.guards import GUARDS

    limits = {limit.name: format(laid.limit(name, limit.name), "f") for limit in GUARDS[name].limits}
    return {"mode": laid.mode(name), "limits": limits}


def _read(path: Path) -> dict[str, Any]:
    """Settings from a file. Raises PlainError."""
    from vexo.server.errors import PlainError

    try:
        return dict(json.loads(path.read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError) as error:
        raise PlainError(f"{path} is not a file of guards: {error}.") from error


def _laid(
    kept: dict[str, Any], modes: tuple[str, ...], limits: tuple[str, ...], usual: tuple[str, ...]
) -> dict[str, Any]:
    """What is kept, with what options change. Raises PlainError."""
    from vexo.server.errors import PlainError

    settings = {name: dict(one) if isinstance(one, dict) else one for name, one in kept.items()}
    for name in usual:
        settings[name] = {}
    for text in modes:
        name, equals, mode = text.partition("=")
        if not equals:
            raise PlainError(f"--set {text!r} should be GUARD=MODE.")
        settings[name] = {**settings.get(name, {}), "mode": mode}
    for text in limits:
        place, equals, number = text.partition("=")
        name, dot, limit = place.partition(".")
        if not equals or not dot:
            raise PlainError(f"--limit {text!r} should be GUARD.LIMIT=NUMBER.")
        settings[name] = {
            **settings.get(name, {}),
            "limits": {**settings.get(name, {}).get("limits", {}), limit: number},
        }
    return settings
