"""Commands that keep Vexo's own things: backup, restore."""

from __future__ import annotations

from pathlib import Path

import click

from .common import ready
from .main import Setting
from .terminal import console


@click.command()
@click.argument("target", type=click.Path(path_type=Path, dir_okay=False))
@ready
def backup(setting: Setting, target: Path) -> None:
    """Write the database and all files to one file (.tar.gz), also while Vexo is at work. The key is not in it."""
    from vexo.server.backups import back_up
    from vexo.server.errors import PlainError
    from vexo.server.notices.kinds import NoticeKind
    from vexo.server.notices.services import administrators, tell_people
    from vexo.server.people.rights import Action, require

    require(setting.person(), Action.KEEP)
    try:
        size = back_up(target)
    except PlainError as error:
        tell_people(NoticeKind.BACKUP_FAILED, administrators(), f"A backup could not be made: {error}")
        raise
    console().print(f"{target}: {size:,} bytes. The key is not in it; keep that apart.")


@click.command()
@click.argument("source", type=click.Path(path_type=Path, exists=True, dir_okay=False))
@click.argument("folder", required=False, type=click.Path(path_type=Path, file_okay=False))
@click.option("--check", "only_check", is_flag=True, help="Read it wholly and say what it holds; lay nothing out.")
def restore(source: Path, folder: Path | None, only_check: bool) -> None:
    """Lay a backup out as a new data folder."""
    from vexo.server.backups import check
    from vexo.server.backups import restore as lay_out

    if only_check:
        checked = check(source)
        if checked.missing:
            first = ", ".join(checked.missing[:5])
            raise click.ClickException(f"{source} lacks {len(checked.missing):,} files that it names: {first}.")
        console().print(
            f"{source} is whole: its database is sound, and all {checked.named:,} files it names are there."
        )
        return
    if folder is None:
        raise click.UsageError("Say the new folder, or --check.")
    lay_out(source, folder.absolute())
    console().print(f"{folder} is ready but for its key: put that into it, or say it in VEXO_KEY.")
