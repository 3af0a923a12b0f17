"""The command about what may be done to the records of an application."""

from __future__ import annotations

from typing import Any

import click

from .common import json_option, print_json, ready
from .main import Setting
from .terminal import console, plain_table


@click.command()
@click.argument("application")
@click.option("--off", "denied", multiple=True, metavar="TYPE=DOING", help="Switch off create, update or delete.")
@click.option("--on", "allowed", multiple=True, metavar="TYPE=DOING", help="Switch it on again.")
@click.option("--never", multiple=True, metavar="TYPE.FIELD", help="A field that is never written.")
@click.option("--write", "written", multiple=True, metavar="TYPE.FIELD", help="A field that may be written again.")
@json_option
@ready
def rules(
    setting: Setting,
    application: str,
    denied: tuple[str, ...],
    allowed: tuple[str, ...],
    never: tuple[str, ...],
    written: tuple[str, ...],
    as_json: bool,
) -> None:
    """Show what may be done to the records of an application, by record type; or set it."""
    from vexo.server.applications.services import find_application
    from vexo.server.applications.use_rules import rules_of, set_rules
    from vexo.server.people.rights import Action, require

    if denied or allowed or never or written:
        require(setting.person(), Action.CONNECT)
    one = find_application(application)
    if denied or allowed or never or written:
        said = rules_of(one).to_json()
        for pairs, name, sign, adds in (
            (denied, "deny", "=", True),
            (allowed, "deny", "=", False),
            (never, "never", ".", True),
            (written, "never", ".", False),
        ):
            for pair in pairs:
                _lay(said, pair, sign, name, adds=adds)
        one = set_rules(setting.person(), one, said)
    kept = rules_of(one)
    if as_json:
        print_json({"said": kept.to_json()})
        return
    table = plain_table("Record type", "Off", "Never written")
    for record_type in one.told.types if one.told is not None else ():
        of = kept.of(record_type.name)
        table.add_row(record_type.plural, ", ".join(sorted(of.deny)) or "nothing", ", ".join(sorted(of.never)))
    console().print(table)


def _lay(said: dict[str, Any], pair: str, sign: str, name: str, *, adds: bool) -> None:
    """Add what an option says to the rules, or take it out. Raises PlainError."""
    from vexo.server.errors import PlainError

    record_type, found, what = pair.partition(sign)
    if not found or not record_type or not what:
        raise PlainError(f"Say it as TYPE{sign}{'DOING' if sign == '=' else 'FIELD'}; not {pair!r}.", "rules")
    known = next((one for one in said if one.lower() == record_type.lower()), record_type)
    values = [one for one in said.get(known, {}).get(name, []) if one != what]
    said[known] = {**said.get(known, {}), name: [*values, what] if adds else values}
