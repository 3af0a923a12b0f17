"""Commands about tokens with which scripts act for a person."""

from __future__ import annotations

import click

from .common import json_option, print_json, ready
from .main import Setting
from .people import ROLES
from .terminal import console, plain_table


@click.group("script-token")
def script_token() -> None:
    """Make, list or withdraw tokens with which scripts use the API for you."""


@script_token.command("list")
@json_option
@ready
def list_tokens(setting: Setting, as_json: bool) -> None:
    """List your tokens."""
    from vexo.server.people.access_tokens import tokens_of
    from vexo.server.people.terminal import known_person

    tokens = tokens_of(known_person(setting.person()))
    if as_json:
        names = ("id", "name", "role")
        lines = [
            {
                **{name: getattr(token, name) for name in names},
                "made_at": token.made_at.isoformat(),
                "ends_at": token.ends_at.isoformat(),
                "used_at": token.used_at.isoformat() if token.used_at else None,
            }
            for token in tokens
        ]
        print_json({"tokens": lines})
        return
    table = plain_table("No.", "Name", "At most", "Ends (UTC)", "Last used (UTC)")
    for token in tokens:
        used = f"{token.used_at:%Y-%m-%d %H:%M}" if token.used_at else "never"
        table.add_row(str(token.pk), token.name, token.get_role_display(), f"{token.ends_at:%Y-%m-%d %H:%M}", used)
    console().print(table if tokens else "You have no tokens. Make one with `vexo script-token make NAME`.")


@script_token.command()
@click.argument("name")
@click.option("--role", type=click.Choice(ROLES), default="viewer", show_default=True, help="The most it may do.")
@click.option("--days", type=int, default=90, show_default=True, help="After how many days it ends.")
@json_option
@ready
def make(setting: Setting, name: str, role: str, days: int, as_json: bool) -> None:
    """Make a token. It is printed once, on the standard output."""
    from vexo.server.people.access_tokens import make_token
    from vexo.server.people.terminal import known_person

    token, text = make_token(known_person(setting.person()), name, role, days)
    if as_json:
        print_json({"id": token.pk, "name": token.name, "token": text, "ends_at": token.ends_at.isoformat()})
        return
    click.echo(text)
    words = f"{token.name} may do what a {token.get_role_display().lower()} may"
    click.echo(f"{words}, until {token.ends_at:%Y-%m-%d %H:%M} UTC. Keep it now: it is shown this once.", err=True)


@script_token.command()
@click.argument("number", type=int)
@ready
def withdraw(setting: Setting, number: int) -> None:
    """Withdraw a token: it is worth nothing from now on."""
    from vexo.server.people.access_tokens import withdraw_token
    from vexo.server.people.terminal import known_person

    person = known_person(setting.person())
    withdraw_token(person, person, number)
    console().print(f"Token {number} was withdrawn.")
