"""The command about what may be done to the records of an application."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import click

from .common import json_option, print_json, ready
from .main import Setting
from .options import Beside, refuse_twice
from .terminal import console, plain_table


@click.command()
@click.argument("application")
@click.option("--off", "denied", multiple=True, metavar="TYPE=DOING", help="Switch off create, update or delete.")
@click.option("--on", "allowed", multiple=True, metavar="TYPE=DOING", help="Switch it on again.")
@click.option("--never", multiple=True, metavar="TYPE.FIELD", help="A field that is never written.")
@click.option("--write", "written", multiple=True, metavar="TYPE.FIELD", help="A field that may be written again.")
@click.option(
    "--approve", "approved", multiple=True, metavar="TYPE=WHAT", help="What is approved: always, deletes, above:N."
)
@click.option("--no-approval", "free", multiple=True, metavar="TYPE", help="Nothing of it is approved.")
@click.option(
    "--times", "times", multiple=True, metavar="TYPE=FROM-TO", help="When it is written: Berth=20:00-06:00@Mon,Fri."
)
@click.option(
    "--zone",
    default="",
    help="With --times: their time zone, such as Europe/London; UTC by default.",
    cls=Beside,
    only_with=("times",),
)
@click.option("--any-time", "any_time", multiple=True, metavar="TYPE", help="It is written at all times.")
@click.option("--mask", multiple=True, metavar="TYPE.FIELD", help="Nothing of it is kept once a trip is over.")
@click.option("--unmask", multiple=True, metavar="TYPE.FIELD", help="It is kept like the others.")
@json_option
@ready
def rules(
    setting: Setting,
    application: str,
    denied: tuple[str, ...],
    allowed: tuple[str, ...],
    never: tuple[str, ...],
    written: tuple[str, ...],
    approved: tuple[str, ...],
    free: tuple[str, ...],
    times: tuple[str, ...],
    zone: str,
    any_time: tuple[str, ...],
    mask: tuple[str, ...],
    unmask: tuple[str, ...],
    as_json: bool,
) -> None:
    """Show what may be done to the records of an application, by record type; or set it."""
    from vexo.server.applications.services import find_application
    from vexo.server.applications.use_rules import rules_of, set_rules
    from vexo.server.people.rights import Action, require

    changes = denied or allowed or never or written or approved or free or times or any_time or mask or unmask
    if changes:
        require(setting.person(), Action.CONNECT)
    target = find_application(application)
    _refuse_both(("--off", denied), ("--on", allowed))
    _refuse_both(("--never", never), ("--write", written))
    _refuse_both(("--mask", mask), ("--unmask", unmask))
    _refuse_both(("--approve", [one.partition("=")[0] for one in approved]), ("--no-approval", free))
    refuse_twice("record type", {"--times": [one.partition("=")[0] for one in times], "--any-time": any_time})
    if changes:
        rules_json = rules_of(target).to_json()
        for pairs, name, sign, adds in (
            (denied, "deny", "=", True),
            (allowed, "deny", "=", False),
            (never, "never", ".", True),
            (written, "never", ".", False),
            (mask, "masked", ".", True),
            (unmask, "masked", ".", False),
        ):
            for pair in pairs:
                _lay(rules_json, pair, sign, name, adds=adds)
        for name in free:
            _of(rules_json, name).pop("approve", None)
        for pair in approved:
            _approve(rules_json, pair)
        for name in any_time:
            _of(rules_json, name).pop("times", None)
        for pair in times:
            _times(rules_json, pair, zone)
        target = set_rules(setting.person(), target, rules_json)
    kept = rules_of(target)
    if as_json:
        print_json({"said": kept.to_json()})
        return
    table = plain_table("Record type", "Off", "Never written", "Masked", "Approved first", "Written")
    for record_type in target.told.types if target.told is not None else ():
        of = kept.of(record_type.name)
        table.add_row(
            record_type.plural,
            ", ".join(sorted(of.deny)) or "nothing",
            ", ".join(sorted(of.never)),
            ", ".join(sorted(of.masked)),
            _words(of.approve.to_json()),
            of.times.says if of.times is not None else "at all times",
        )
    console().print(table)


def _refuse_both(*said: tuple[str, Sequence[str]]) -> None:
    """Raises PlainError where an option and its opposite are said of the same."""
    refuse_twice("name", {option: {*names} for option, names in said})


def _words(approve: dict[str, Any]) -> str:
    return ", ".join(name if value is True else f"{name} {value:,}" for name, value in approve.items())


def _of(said: dict[str, Any], record_type: str) -> dict[str, Any]:
    """What is said of a record type, in any capitals."""
    known = next((one for one in said if one.lower() == record_type.lower()), record_type)
    rules_said: dict[str, Any] = said.setdefault(known, {})
    return rules_said


def _approve(said: dict[str, Any], pair: str) -> None:
    """Add what is approved. Raises PlainError."""
    from vexo.server.errors import PlainError

    record_type, _, what = pair.partition("=")
    name, _, number = what.partition(":")
    if not record_type or name not in ("always", "deletes", "above") or (name == "above") != number.isdecimal():
        raise PlainError(f"Say it as TYPE=always, TYPE=deletes or TYPE=above:N; not {pair!r}.", "rules")
    of = _of(said, record_type)
    of["approve"] = {**of.get("approve", {}), name: int(number) if name == "above" else True}


def _times(said: dict[str, Any], pair: str, zone: str) -> None:
    """Set when records are written. Raises PlainError."""
    from vexo.server.errors import PlainError

    record_type, _, when = pair.partition("=")
    hours, _, days = when.partition("@")
    begins, _, ends = hours.partition("-")
    if not record_type or not begins or not ends:
        raise PlainError(f"Say it as TYPE=20:00-06:00 or TYPE=20:00-06:00@Mon,Fri; not {pair!r}.", "rules")
    times: dict[str, Any] = {"from": begins.strip(), "to": ends.strip(), "zone": zone or "UTC"}
    if days:
        times["days"] = [day.strip().capitalize() for day in days.split(",")]
    _of(said, record_type)["times"] = times


def _lay(said: dict[str, Any], pair: str, sign: str, name: str, *, adds: bool) -> None:
    """Add what an option says to the rules, or take it out. Raises PlainError."""
    from vexo.server.errors import PlainError

    record_type, found, what = pair.partition(sign)
    if not found or not record_type or not what:
        raise PlainError(f"Say it as TYPE{sign}{'DOING' if sign == '=' else 'FIELD'}; not {pair!r}.", "rules")
    of = _of(said, record_type)
    values = [one for one in of.get(name, []) if one != what]
    of[name] = [*values, what] if adds else values
