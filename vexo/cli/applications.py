"""Commands about applications and their records."""

from __future__ import annotations

import os
import sys

import click

from vexo.core.wording import many

from .common import json_option, print_json, ready
from .main import Setting
from .options import Beside
from .terminal import console, plain_table


@click.command()
@json_option
@ready
def applications(setting: Setting, as_json: bool) -> None:
    """List the connected applications."""
    from vexo.server.applications.models import Application

    connected = list(Application.objects.all())
    if as_json:
        names = ("name", "label", "stage", "address", "trouble")
        print_json({"applications": [{name: getattr(a, name) for name in names} for a in connected]})
        return
    table = plain_table("Name", "", "Application", "Address")
    for application in connected:
        table.add_row(application.name, application.get_stage_display().upper(), application.label, application.address)
    console().print(table if connected else "No application is connected yet. Connect one with `vexo connect`.")


def _token(from_input: bool, change: bool) -> str:
    if from_input:
        return sys.stdin.readline().rstrip("\r\n")
    setting = os.environ.get("VEXO_TOKEN")
    if setting is not None:
        return setting
    words = "Token (empty: the one that is kept)" if change else "Token"
    return str(click.prompt(words, hide_input=True, default="", show_default=False, err=True))


@click.command()
@click.argument("name")
@click.argument("address")
@click.option("--token-from-input", "from_input", is_flag=True, help="Read the token from the standard input.")
@click.option("--stage", type=click.Choice(["live", "practice"]), required=True, help="Are its records the real ones?")
@click.option("--label", default="", help="The name for people; the application's own by default.")
@click.option("--pages", default="", help="Address of a record's page, with {source} and {id} in it.")
@click.option("--longest-request", type=float, help="Seconds after which one of its requests is certainly over.")
@click.option(
    "--personal/--shared", default=None, help="Each person writes with a token of their own; or all with this one."
)
@click.option("--change", is_flag=True, help="Change the connection of that name.")
@click.option("--inside", is_flag=True, help="The address may be one of this machine or its network.")
@ready
def connect(
    setting: Setting,
    name: str,
    address: str,
    from_input: bool,
    stage: str,
    label: str,
    pages: str,
    longest_request: float | None,
    personal: bool | None,
    change: bool,
    inside: bool,
) -> None:
    """Connect an application, or change a connection. It is asked what it holds before anything is kept.

    The token is asked for, or taken from VEXO_TOKEN: on the command line, everyone on this machine could read it.
    """
    from vexo.server.applications.services import Connection, check_place
    from vexo.server.applications.services import connect as connect_application
    from vexo.server.people.rights import Action, require

    person = setting.person()
    require(person, Action.CONNECT)
    check_place(address, inside=inside)
    token = _token(from_input, change)
    wanted = Connection(name, address, stage, token, label, pages, longest_request=longest_request, personal=personal)
    application = connect_application(person, wanted, change=change, inside=inside)
    known = application.known
    types = many(len(known.types) if known is not None else 0, "record type", "record types")
    console().print(f"{application.label} is connected as {name}, with {types}.")
    if known is not None and known.unread:
        console().print(f"Not here, since no one field tells their records apart: {', '.join(known.unread)}.")


@click.command()
@click.argument("application")
@click.option("--token-from-input", "from_input", is_flag=True, help="Read the token from the standard input.")
@click.option("--withdraw", is_flag=True, help="Forget it.", cls=Beside, not_with=("from_input",))
@ready
def token(setting: Setting, application: str, from_input: bool, withdraw: bool) -> None:
    """Give an application a token of your own: what you read and write there goes under it.

    It is asked for, or taken from VEXO_TOKEN, kept encrypted, and never shown.
    """
    from vexo.server.applications.own_tokens import give
    from vexo.server.applications.own_tokens import withdraw as withdraw_token
    from vexo.server.applications.services import find_application
    from vexo.server.people.rights import Action, require

    person = setting.person()
    require(person, Action.PREPARE)
    known = find_application(application)
    if withdraw:
        withdraw_token(person, known)
        click.echo(f"Your token for {known.label} is withdrawn.", err=True)
        return
    give(person, known, _token(from_input, change=False))
    click.echo(f"What you read and write in {known.label} goes under your own token.", err=True)


@click.command()
@click.argument("application")
@click.argument("record_type", metavar="TYPE")
@json_option
@ready
def fields(setting: Setting, application: str, record_type: str, as_json: bool) -> None:
    """List the fields of a record type."""
    from vexo.server.applications.services import describe, find_application

    record_type_ = describe(find_application(application)).type(record_type)
    if as_json:
        listed = [
            {"name": f.name, "label": f.label, "kind": f.kind.value, "required": f.required, "read_only": f.read_only}
            for f in record_type_.fields
        ]
        print_json(
            {
                "type": record_type_.name,
                "label": record_type_.label,
                "keys": [list(k) for k in record_type_.keys],
                "fields": listed,
                "unread": list(record_type_.unread),
            }
        )
        return
    table = plain_table("Field", "Label", "Kind", "", "Help")
    for field in record_type_.fields:
        what = "for reading" if field.read_only else "required" if field.required else ""
        choices = ", ".join(c.value for c in field.choices)
        table.add_row(field.name, field.label, field.target or field.kind.value, what, field.help or choices)
    console().print(table)
    for key in record_type_.keys:
        console().print(f"Unique: {' + '.join(key)}")
    if record_type_.unread:
        console().print(f"Not read, and never written: {', '.join(record_type_.unread)}")


@click.command("add-field")
@click.argument("application")
@click.argument("record_type", metavar="TYPE")
@click.argument("label")
@click.option("--name", default="", help="Its name for machines; made of the label by default.")
@click.option("--kind", type=click.Choice(["text", "number", "date", "yes or no", "choice"]), default="text")
@click.option("--choice", "choices", multiple=True, help="A value that it may have; several for a choice.")
@click.option("--required", is_flag=True, help="Every record has one; say --existing too.")
@click.option("--existing", default="", help="What the records get that are there.")
@ready
def add_field(
    setting: Setting,
    application: str,
    record_type: str,
    label: str,
    name: str,
    kind: str,
    choices: tuple[str, ...],
    required: bool,
    existing: str,
) -> None:
    """Add a field to a record type, where the application can."""
    from vexo.core.records import NewField
    from vexo.server.applications import shaping
    from vexo.server.applications.services import find_application
    from vexo.server.people.rights import Action, require

    require(setting.person(), Action.CONNECT)
    field = NewField(name or shaping.name_from(label), label, kind, required, choices, existing)
    shaping.add_field(setting.person(), find_application(application), record_type, field)
    click.echo(f"{label} is a field of {record_type} now: {field.name}.")


@click.command("add-choice")
@click.argument("application")
@click.argument("record_type", metavar="TYPE")
@click.argument("field")
@click.argument("value")
@ready
def add_choice(setting: Setting, application: str, record_type: str, field: str, value: str) -> None:
    """Add a choice to a field's list, where the application can."""
    from vexo.server.applications import shaping
    from vexo.server.applications.services import find_application
    from vexo.server.people.rights import Action, require

    require(setting.person(), Action.CONNECT)
    shaping.add_choice(setting.person(), find_application(application), record_type, field, value)
    click.echo(f"{value} is a choice of {field} now.")
