"""Commands about people, and the journal."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from .common import json_option, print_json, ready, ready_or_new
from .main import Setting
from .options import Beside
from .outputs import written_whole
from .terminal import console, plain_table

ROLES = ("viewer", "preparer", "operator", "administrator")


@click.group()
def person() -> None:
    """Say who can sign in, and what they may do."""


def _password(from_input: bool) -> str:
    if from_input:
        return sys.stdin.readline().rstrip("\r\n")
    return str(click.prompt("Password", hide_input=True, confirmation_prompt=True, err=True))


_from_input = click.option("--password-from-input", "from_input", is_flag=True, help="Read it from the standard input.")


@person.command("list")
@json_option
@ready
def list_people(setting: Setting, as_json: bool) -> None:
    """List everyone who can sign in."""
    from vexo.server.people.rights import Action, require
    from vexo.server.people.services import people

    require(setting.person(), Action.PEOPLE)
    persons = people()
    if as_json:
        print_json({"people": [{"username": p.username, "name": p.name, "role": p.role} for p in persons]})
        return
    table = plain_table("Name", "", "Role")
    for one in persons:
        table.add_row(one.username, one.name, one.get_role_display())
    console().print(table if persons else "Nobody can sign in yet. Make the first: `vexo person add NAME`.")


@person.command()
@click.argument("username")
@click.option("--name", default="", help="Their full name; the name they sign in with by default.")
@click.option("--role", type=click.Choice(ROLES), help="What they may do; the first person is an administrator.")
@_from_input
@click.option(
    "--no-password",
    is_flag=True,
    help="They choose one by a link: `vexo person link NAME`.",
    cls=Beside,
    not_with=("from_input",),
)
@ready_or_new
def add(setting: Setting, username: str, name: str, role: str | None, from_input: bool, no_password: bool) -> None:
    """Add a person. The first one is an administrator."""
    from vexo.server.people.services import add as add_person
    from vexo.server.people.services import people

    chosen = role or ("viewer" if people() else "administrator")
    password = None if no_password else _password(from_input)
    new_person = add_person(setting.person(), username, name or username, chosen, password)
    if no_password:
        console().print(f"{new_person.username} is there. Make their link with `vexo person link {username}`.")
        return
    console().print(f"{new_person.username} can sign in now, as {new_person.get_role_display().lower()}.")


@person.command("role")
@click.argument("username")
@click.argument("role", type=click.Choice(ROLES))
@ready
def set_role(setting: Setting, username: str, role: str) -> None:
    """Say what a person may do."""
    from vexo.server.people.services import set_role as change

    changed_person = change(setting.person(), username, role)
    console().print(f"{changed_person.username} is {changed_person.get_role_display().lower()} now.")


@person.command("password")
@click.argument("username")
@_from_input
@ready
def set_password(setting: Setting, username: str, from_input: bool) -> None:
    """Give a person a new password; they are signed out everywhere."""
    from vexo.server.people.services import set_password as change

    change(setting.person(), username, _password(from_input))
    console().print(f"{username} has a new password, and is signed out everywhere.")


@person.command("link")
@click.argument("username")
@ready
def make_link(setting: Setting, username: str) -> None:
    """Make a link by which a person chooses a password, once, within a day."""
    import os

    from vexo.server.people import links

    secret = links.make_link(setting.person(), username)
    address = os.environ.get("VEXO_ADDRESS", "").rstrip("/") or "http://127.0.0.1:8420"
    click.echo(f"{address}/choose-password#{username}/{secret}")
    click.echo(f"Give it to {username} alone. It is valid once, for {links.HOURS} hours.", err=True)


@person.command("reading")
@click.option("--locale", help="How numbers and days are written for you: en-GB, en-US, de-DE or fr-FR.")
@click.option("--zone", help="The time zone of your times, such as Europe/London; empty for your browser's.")
@ready
def reading(setting: Setting, locale: str | None, zone: str | None) -> None:
    """Say how numbers and times are written for you on the screens; a terminal shows the British way and UTC."""
    from vexo.server.people.services import set_reading

    person = setting.person()
    if locale is not None or zone is not None:
        set_reading(person, person.locale if locale is None else locale, person.zone if zone is None else zone)
    console().print(f"Numbers and days: {person.locale}. Times: {person.zone or 'of the browser'}.")


@person.command("sign-out")
@click.argument("username")
@ready
def sign_out(setting: Setting, username: str) -> None:
    """Sign a person out of every browser."""
    from vexo.server.people.services import find_person
    from vexo.server.people.sessions import end_sessions

    ended = end_sessions(setting.person(), find_person(username))
    console().print(f"{username} was signed out of {ended:,} {'session' if ended == 1 else 'sessions'}.")


@person.command()
@click.argument("username")
@ready
def remove(setting: Setting, username: str) -> None:
    """Remove a person's access. What they did stays in the journal under their name."""
    from vexo.server.people.services import remove as remove_person

    remove_person(setting.person(), username)
    console().print(f"{username} can no longer sign in.")


@click.command()
@click.option(
    "--verify",
    is_flag=True,
    help="See whether the journal is as it was written.",
    cls=Beside,
    not_with=("trip", "last", "output"),
)
@click.option(
    "--seal",
    default="",
    help="With --verify: a seal kept elsewhere; says which entry has it.",
    cls=Beside,
    only_with=("verify",),
)
@click.option("--trip", type=int, help="Only entries of this trip.")
@click.option(
    "--last", type=int, default=50, show_default=True, help="How many, the newest.", cls=Beside, not_with=("output",)
)
@click.option(
    "-o",
    "--output",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Write all entries to a file instead: .csv, or .jsonl with a JSON object a line.",
)
@json_option
@ready
def journal(
    setting: Setting, verify: bool, seal: str, trip: int | None, last: int, output: Path | None, as_json: bool
) -> None:
    """Show who did what, or see whether the journal is whole."""
    from vexo.server.journal.models import Entry
    from vexo.server.journal.services import note

    if verify:
        sys.exit(_verify(seal, as_json))
    if output is not None:
        count = _write_journal(output, trip)
        note(setting.person().username, "downloaded", f"Downloaded the journal to {output.name}", file=output.name)
        if as_json:
            print_json({"entries": count, "file": str(output)})
        else:
            console().print(f"{count:,} entries are in {output}.")
        return
    entries = Entry.objects.filter(trip=trip) if trip is not None else Entry.objects.all()
    newest_entries = list(reversed(entries[: max(1, last)]))
    if as_json:
        names = ("id", "who", "way", "what", "message", "application", "trip", "rows", "file", "seal")
        lines = [{"at": e.at.isoformat(), **{name: getattr(e, name) for name in names}} for e in newest_entries]
        print_json({"entries": lines})
        return
    table = plain_table("When (UTC)", "Who", "By", "What")
    for entry in newest_entries:
        table.add_row(f"{entry.at:%Y-%m-%d %H:%M:%S}", entry.who, entry.way, entry.message)
    console().print(table)


def _verify(wanted: str, as_json: bool) -> int:
    """Say whether the journal is as it was written, and which entry has a seal: 0 where all is well."""
    from dataclasses import asdict

    from vexo.server.journal.seals import verify as verify_journal

    verified = verify_journal(wanted)
    missing = bool(wanted) and verified.sealed_so is None
    if as_json:
        print_json(asdict(verified))
        return int(verified.broken is not None or missing)
    if verified.broken is not None:
        words = f"Entry {verified.broken} is not as it was written, or this folder's key is not the one it had then"
        console().print(f"{words}; {max(0, verified.entries - 1):,} before it are.")
    else:
        words = f"{verified.entries:,} entries, all as they were written."
        if verified.first > 1:
            words += f" The first is number {verified.first:,}: those before it were taken off, and an entry says so."
        if verified.without_key:
            words += f" The first {verified.without_key:,} were sealed before seals had a key."
        console().print(f"{words} The last seal is {verified.last_seal}")
    if missing:
        console().print("No entry that is as it was written has that seal: entries were cut off, or written anew.")
    elif wanted:
        after = verified.first + verified.entries - 1 - (verified.sealed_so or 0)
        console().print(f"Entry {verified.sealed_so:,} has that seal; {after:,} came after it.")
    return int(verified.broken is not None or missing)


def _write_journal(path: Path, trip: int | None) -> int:
    """Write the journal, or a trip's entries, to a file: how many these are. Raises PlainError."""
    from vexo.server.journal.download import FORMATS, entries_asked

    ending = path.suffix.lower().removeprefix(".")
    entries = entries_asked({"trip": str(trip)} if trip is not None else {})
    with (
        written_whole(path, [f".{one}" for one in FORMATS]) as aside,
        aside.open("w", encoding="utf-8", newline="") as file,
    ):
        file.writelines(FORMATS[ending][1](entries))
    return entries.count()
