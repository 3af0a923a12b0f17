"""The ``vexo`` command. What a command needs is imported when it runs."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import Any

import click

from .terminal import written_streams

_COMMANDS: dict[str, tuple[str, str]] = {
    "trips": ("trip_list:trips", "List the trips, or give one another title."),
    "send-out": ("send_out:send_out", "Send records out as a sheet, or several."),
    "send-on": ("files:send_on", "Go on with sending out what was stopped, or broke off."),
    "files": ("files:files", "List the sheets of a trip, or write one, or its kept copy."),
    "routes": ("routes:routes", "List the saved routes, or say what one does where rows are refused."),
    "parts": ("send_out:parts", "Show who has which part of a shared-out trip."),
    "refill": ("send_out:refill", "Fill a sheet from the application."),
    "compare": ("send_out:compare", "Say what changed since a trip's records went out."),
    "bring-in": ("trips:bring_in", "Bring a sheet in, up to Review."),
    "columns": ("trips:columns", "Say where columns go, the key, or what the rows are for."),
    "read": ("inspect_sheet:read", "Read a sheet and say what is in it."),
    "review": ("review:review", "Show the verdict of each row, with old and new values."),
    "open": ("trips:open_", "List what is open on a trip, with the ways to answer."),
    "rules": ("rules:rules", "What may be done to the records of an application, by record type."),
    "approval": ("approval:approval", "Ask for the approval of a plan, approve it, or send it back."),
    "take-back": ("take_back:take_back", "Take back what a trip wrote, by a trip of its own."),
    "move": ("move:move", "Move a trip to another application, or decide there as was decided before."),
    "plan": ("trips:plan", "Ask the application again and plan a trip anew."),
    "edit": ("edits:edit", "Edit the cells of a trip's sheet."),
    "edits": ("edits:edits", "List the edits of a trip's sheet, or undo one."),
    "keys": ("keys:keys_", "Measure what each key of a sheet would find."),
    "totals": ("edits:totals", "Counts and control totals of a trip's sheet; what is expected of it."),
    "only": ("edits:only", "Carry only some rows of a trip's sheet."),
    "decide": ("decisions:decide", "Answer what a plan asks."),
    "decisions": ("decisions:decisions", "List a trip's decisions, or undo one."),
    "apply": ("passes:apply", "Write the plan that was seen to the application."),
    "pause": ("under_way:pause", "Let a pass wait after the batch that is out; go on with it later."),
    "stop": ("under_way:stop", "Stop a pass, or one that waits for its time."),
    "outcome": ("passes:outcome", "Show what became of a trip's rows."),
    "applications": ("applications:applications", "List the connected applications."),
    "connect": ("applications:connect", "Connect an application, or change a connection."),
    "token": ("applications:token", "Give an application a token of your own, or withdraw it."),
    "guards": ("guards:guards", "Show or set what guards do on an application's trips, or a route's."),
    "fields": ("applications:fields", "List the fields of a record type."),
    "add-field": ("applications:add_field", "Add a field to a record type."),
    "add-choice": ("applications:add_choice", "Add a choice to a field's list."),
    "person": ("people:person", "Say who can sign in, and what they may do."),
    "script-token": ("access_tokens:script_token", "Make, list or withdraw tokens with which scripts act for you."),
    "notices": ("notices:notices", "List what you are told of, or say how you want to be told."),
    "journal": ("people:journal", "Show who did what, or see whether the journal is whole."),
    "disk": ("upkeep:disk", "Say what takes room in the data folder."),
    "retention": ("upkeep:retention", "Say how long things are kept, and take away what is over its time."),
    "receipts": ("upkeep:receipts", "List the receipts of deleted trips, or write one to a file."),
    "delete": ("upkeep:delete", "Delete a trip with all that belongs to it."),
    "backup": ("backups:backup", "Write the database and all files to one file."),
    "restore": ("backups:restore", "Lay a backup out as a new data folder."),
    "serve": ("serve:serve", "Serve the web application."),
    "worker": ("serve:worker", "Do jobs in the background."),
    "demo": ("serve:demo", "Start Vexo with its demo, and stay until stopped."),
}
_HINTS = {
    "columns": "Say it with --map COLUMN=FIELD, or --map COLUMN= for a column that is not carried.",
    "key": "Say it with --key FIELD; given often, the fields are one key.",
    "which-trip": "Say it with --trip NUMBER, or --trip new.",
    "no-plan": "Plan it with `vexo plan TRIP`.",
    "stale": "Plan it with `vexo plan TRIP`, look with `vexo review TRIP`.",
    "pass-open": "Go on with `vexo apply TRIP --go-on PASS`, or end it with --give-up PASS.",
    "interrupted": "Go on with `vexo apply TRIP --go-on PASS`, or end it with --give-up PASS.",
    "rights": "Say who you are with `vexo --as PERSON`.",
    "taken": "Change that one with --change.",
    "inside": "Say so with --inside.",
    "part": "Say it with `vexo --part PART`.",
    "prefix": "Say it with --prefix off or --prefix keep.",
    "no-sheet": "Bring one in with `vexo bring-in`.",
}

_BROKEN_OFF = (
    "Broken off. A pass that had begun is kept: see `vexo outcome TRIP`, go on with `vexo apply TRIP --go-on PASS`."
)


@dataclass
class Setting:
    """What all commands share: the data folder, and who is at the terminal."""

    data: Path | None
    username: str
    part: str = ""

    def ready(self, *, new: bool = False) -> None:
        """Start on the data folder.

        Args:
            new: one that is not there is made.
        """
        from vexo.server.setting_up import set_up

        set_up(self.data, lambda text: click.echo(f"vexo: {text}", err=True), new=new)
        from vexo.server.journal.way_in import set_way_in
        from vexo.server.people.terminal import login_of_machine

        set_way_in(f"command line, {login_of_machine()}")

    def person(self) -> Any:
        """Who acts. Raises PlainError."""
        from vexo.server.people.terminal import person_at_terminal

        return person_at_terminal(self.username)


def _mendable(error: Exception) -> str | None:
    """The sentence of an error that a person can mend, with the way to do it here; None for any other."""
    from vexo.server.setting_up import FolderError

    if isinstance(error, FolderError):
        return str(error)
    from vexo.core.errors import MendableError
    from vexo.server.errors import machine_trouble

    if not isinstance(error, MendableError):
        return machine_trouble(error, named=True)
    hint = _HINTS.get(error.code, "")
    return f"{error} {hint}".strip()


class Commands(click.Group):
    """All commands by name; errors are sentences with exit code 2, as one JSON object where that was asked for."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        module, _, name = _COMMANDS[cmd_name][0].partition(":")
        command: click.Command = getattr(import_module(f"vexo.cli.{module}"), name)
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, says) for name, (_, says) in _COMMANDS.items()])

    def main(self, args: Sequence[str] | None = None, *more: Any, **options: Any) -> Any:
        with written_streams():
            return self._main(list(args if args is not None else sys.argv[1:]), *more, **options)

    def _main(self, asked: list[str], *more: Any, **options: Any) -> Any:
        try:
            result = super().main(asked, *more, **{**options, "standalone_mode": False})
        except click.exceptions.Exit as done:
            sys.exit(done.exit_code)
        except click.Abort as abort:
            broken = isinstance(abort.__cause__ or abort.__context__, KeyboardInterrupt)
            _fail(asked, _BROKEN_OFF if broken else "Not confirmed; nothing was done.")
        except click.ClickException as error:
            if "--json" not in asked:
                error.show()
                sys.exit(2)
            _fail(asked, error.format_message())
        except Exception as error:
            sentence = _mendable(error)
            if sentence is None:
                raise
            sys.unraisablehook = _without_late_closing
            _fail(asked, sentence)
        sys.exit(result if isinstance(result, int) else 0)


def _without_late_closing(unraisable: Any) -> None:
    """A workbook that could not be written tries once more as the process lets it go; why not has been said."""
    if not isinstance(unraisable.exc_value, OSError):
        sys.__unraisablehook__(unraisable)


def _fail(asked: Sequence[str], said: str) -> None:
    if "--json" in asked:
        click.echo(json.dumps({"error": said}, ensure_ascii=False))
    else:
        click.echo(f"vexo: {said}", err=True)
    sys.exit(2)


@click.group(cls=Commands)
@click.option("--data", type=click.Path(path_type=Path), envvar="VEXO_DATA", help="Folder where Vexo keeps its things.")
@click.option("--as", "username", envvar="VEXO_AS", default="", help="Who you are, by the name you sign in with.")
@click.option("--part", default="", help="Which part of a shared-out trip is meant, by its number or name.")
@click.version_option(package_name="vexo", message="%(version)s")
@click.pass_context
def main(ctx: click.Context, data: Path | None, username: str, part: str) -> None:
    """Carry records out of an application into a sheet, and back in."""
    ctx.obj = Setting(data, username, part)


if __name__ == "__main__":
    main()
