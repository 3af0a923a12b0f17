"""The ``vexo`` command."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from vexo.server.setting_up import set_up


class PlainGroup(click.Group):
    """A group whose errors are sentences: exit code 2 and no traceback."""

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except (click.ClickException, click.exceptions.Exit, click.Abort):
            raise
        except Exception as error:
            from vexo.server.jobs.working import MENDABLE

            if not isinstance(error, MENDABLE):
                raise
            if "--json" in sys.argv:
                click.echo(json.dumps({"error": str(error)}))
            else:
                click.echo(f"vexo: {error}", err=True)
            ctx.exit(2)


@click.group(cls=PlainGroup)
@click.option("--data", type=click.Path(path_type=Path), envvar="VEXO_DATA", help="Folder where Vexo keeps its things.")
@click.pass_context
def main(ctx: click.Context, data: Path | None) -> None:
    """Carry records out of an application into a sheet, and back in."""
    if ctx.invoked_subcommand != "demo":
        set_up(data)
    ctx.obj = data


def _register() -> None:
    from . import records, serving, trips

    for module in (records, trips, serving):
        for command in module.COMMANDS:
            main.add_command(command)


_register()

if __name__ == "__main__":
    main()
