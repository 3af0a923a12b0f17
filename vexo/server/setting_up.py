"""Making the data folder and its database ready, and bringing one of an older release forward."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Callable
from contextlib import closing, suppress
from datetime import UTC, datetime
from pathlib import Path

from vexo import __version__

from .backups import back_up
from .data_folder import (
    BACKUPS,
    DATABASE,
    FolderError,
    data_folder,
    first_start,
    make_data_folder,
    make_key,
    secret_key,
)
from .moved_folder import is_moved, settle_in
from .releases import (
    known_steps,
    numbered,
    refuse_newer,
    refuse_running,
    schema_number,
    start_django,
    steps_of,
)

__all__ = ["FolderError", "set_up"]
_ready: set[Path] = set()


def set_up(data: Path | None = None, tell: Callable[[str], object] = lambda _: None, *, new: bool = True) -> Path:
    """Start Django on a data folder; one of an older release is brought forward, once a backup of it is kept.

    Args:
        tell: told what was done to a folder of an older release.
        new: a folder that is not there is made.

    Raises:
        FolderError: where the folder is not there or cannot be made, was made by a newer release, or is still in use by
            an older one.
    """
    if data is not None:
        os.environ["VEXO_DATA"] = str(data.absolute())
    if not new and not (data_folder() / DATABASE).exists():
        raise FolderError(
            f"There is no data folder of Vexo at {data_folder()}. Name the one that is meant, by --data or VEXO_DATA; "
            "a new one is made with its first person (vexo person add)."
        )
    make_data_folder()
    database = data_folder() / DATABASE
    if database in _ready:
        return data_folder()
    with first_start():
        make_key()
        secret_key()
        start_django()
        if numbered(database) != schema_number():
            _bring_forward(database, tell)
        if is_moved():
            settle_in(tell)
    _ready.add(database)
    return data_folder()


def _bring_forward(database: Path, tell: Callable[[str], object]) -> None:
    refuse_newer(database)
    before = steps_of(database)
    if known_steps() - before:
        if before:
            refuse_running(database)
            words = f"{data_folder()} is being brought forward to version {__version__} of Vexo"
            tell(f"{words}. As it was it is kept in {_back_up()}.")
        _migrate(database)
    # Only a shortcut for the next command: a full disk or a busy database is no reason to refuse this one.
    with closing(sqlite3.connect(database, timeout=1)) as connection, suppress(sqlite3.OperationalError):
        connection.execute(f"PRAGMA user_version={schema_number()}")


def _back_up() -> Path:
    target = data_folder() / BACKUPS / f"before-{__version__}-{datetime.now(UTC):%Y%m%dT%H%M%S%f}.tar.gz"
    back_up(target)
    return target


def _migrate(database: Path) -> None:
    from django.core.management import call_command

    with sqlite3.connect(database) as connection:
        connection.execute("PRAGMA journal_mode=WAL")
    call_command("migrate", verbosity=0)
