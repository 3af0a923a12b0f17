"""Commands that keep Vexo's own things: backup, restore."""

from __future__ import annotations

from pathlib import Path

import click

from vexo.core.wording import many

from .common import ready
from .main import Setting
from .outputs import refuse_other_ending
from .terminal import console

_NAMED = 5
"""Missing files that are said by name: more say no more about which trips they are of."""


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
    refuse_other_ending(target, ".gz", ".tgz")
    try:
        written = back_up(target)
    except PlainError as error:
        tell_people(NoticeKind.BACKUP_FAILED, administrators(), f"A backup could not be made: {error}")
        raise
    console().print(f"{target}: {written.size:,} bytes. The key is not in it; keep that apart.")
    if written.missing:
        lacks = f"The backup {target} lacks {_files(written.missing)}"
        tell_people(NoticeKind.BACKUP_FAILED, administrators(), lacks)
        raise click.ClickException(lacks)


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
            raise click.ClickException(f"{source} lacks {_files(checked.missing)}")
        console().print(
            f"{source} is whole: its database is sound, and all {checked.named:,} files it names are there."
        )
        return
    if folder is None:
        raise click.UsageError("Say the new folder, or --check.")
    missing = lay_out(source, folder.absolute())
    console().print(f"{folder} is ready but for its key: put that into it, or say it in VEXO_KEY.")
    if missing:
        raise click.ClickException(f"{source} lacks {_files(missing)} What they belong to cannot be read.")


def _files(missing: list[str]) -> str:
    """Files that a database names and that are not there, the first of them by name."""
    counted = many(len(missing), "file that its database names", "files that its database names")
    return f"{counted}: {', '.join(missing[:_NAMED])}{', …' if len(missing) > _NAMED else ''}."
