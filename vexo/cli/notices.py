"""The command about notices: what happened meanwhile, and how one wants to be told."""

from __future__ import annotations

import click

from .common import json_option, print_json, ready
from .main import Setting
from .options import Beside, refuse_twice
from .terminal import console, plain_table

_WAYS = {"list": (True, False), "mail": (False, True), "both": (True, True), "none": (False, False)}
"""How somebody is told: in the list, by e-mail."""


@click.command()
@click.option("--seen", is_flag=True, help="They are new no more.", cls=Beside, not_with=("wishes", "tell", "email"))
@click.option("--email", metavar="ADDRESS", help="Where your e-mail goes; empty for none.")
@click.option(
    "--tell", multiple=True, metavar="KIND=WAY", help="How you are told of a kind: in the list, by mail, both or none."
)
@click.option("--wishes", is_flag=True, help="List the kinds, and how you are told of each.")
@json_option
@ready
def notices(
    setting: Setting, seen: bool, email: str | None, tell: tuple[str, ...], wishes: bool, as_json: bool
) -> None:
    """List what you are told of, the newest first; or say how you want to be told."""
    from vexo.server.notices.kinds import SAYS, NoticeKind
    from vexo.server.notices.services import listed, mark_read, set_wishes, wishes_of

    person = setting.person()
    if person.pk is None:
        raise click.UsageError("Say whose notices with `vexo --as PERSON`.")
    refuse_twice("kind", {"--tell": [one.partition("=")[0] for one in tell]})
    if tell or email is not None:
        set_wishes(person, email, dict(_wish(entry) for entry in tell))
    own, wished = listed(person), wishes_of(person)
    if as_json:
        fields = ("id", "kind", "text", "trip")
        print_json(
            {
                "notices": [
                    {**{name: getattr(one, name) for name in fields}, "at": one.at.isoformat(), "new": not one.read_at}
                    for one in own
                ],
                "email": person.email,
                "wishes": {one.kind: {"listed": one.listed, "mailed": one.mailed} for one in wished},
            }
        )
    elif wishes or tell or email is not None:
        table = plain_table("Kind", "What", "Told")
        for one in wished:
            way = next(name for name, way in _WAYS.items() if way == (one.listed, one.mailed))
            table.add_row(one.kind, SAYS[NoticeKind(one.kind)], way)
        console().print(table)
        console().print(f"E-mail: {person.email or 'none'}")
    else:
        table = plain_table("", "When", "What")
        for notice in own:
            table.add_row("" if notice.read_at else "new", f"{notice.at:%Y-%m-%d %H:%M %Z}", notice.text)
        console().print(table if own else "You were told of nothing yet.")
    if seen and own:
        mark_read(person, own[0].pk)


def _wish(entry: str) -> tuple[str, dict[str, bool]]:
    from vexo.server.errors import PlainError

    kind, equals, way = entry.partition("=")
    if not equals or way not in _WAYS:
        raise PlainError(f"--tell {entry!r} should be KIND=WAY; ways are {', '.join(_WAYS)}.", "wish")
    in_list, by_mail = _WAYS[way]
    return kind, {"listed": in_list, "mailed": by_mail}
