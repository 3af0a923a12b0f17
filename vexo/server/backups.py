"""Backups: the database as it is at one moment, and every file that it names; without the key."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tarfile
import tempfile
import uuid
from pathlib import Path

from .data_folder import DATABASE, FolderError, data_folder, replacing
from .errors import PlainError
from .releases import refuse_newer

_FOLDER = "files"


def back_up(target: Path) -> int:
    """Write a backup, whole or not at all, also while Vexo is at work; the bytes it has.

    Files never change once the database names them, so those that are there after the database was copied are at least
    those that the copy names.

    Raises:
        PlainError: where it cannot be written there.
    """
    if target.exists():
        raise PlainError(f"{target} is there already. Choose another name.")
    try:
        with tempfile.TemporaryDirectory(dir=data_folder()) as aside:
            copy = Path(aside) / DATABASE
            with sqlite3.connect(data_folder() / DATABASE) as source, sqlite3.connect(copy) as backup:
                source.backup(backup)
            with (
                replacing(target) as part,
                os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as out,
                tarfile.open(fileobj=out, mode="w:gz", compresslevel=3) as tar,
            ):
                tar.add(copy, DATABASE)
                tar.add(data_folder() / _FOLDER, _FOLDER, filter=_finished)
    except OSError as error:
        raise PlainError(f"{target} cannot be written: {error.strerror or error}. Choose another place.") from error
    return target.stat().st_size


def _finished(entry: tarfile.TarInfo) -> tarfile.TarInfo | None:
    """Whatever is not just being written."""
    return None if entry.name.endswith(".part") else entry


def restore(source: Path, folder: Path) -> None:
    """Lay a backup out as a new data folder; its key is put there by a person.

    Raises:
        PlainError: where the folder is not empty, or the file is not a backup of this release or an older one; nothing
            is left then.
    """
    if folder.exists() and any(folder.iterdir()):
        raise PlainError(f"{folder} is not empty. Restore into a new folder, then serve that one.")
    os.umask(0o077)
    part = folder.with_name(f".{folder.name}.{uuid.uuid4().hex[:8]}.part")
    try:
        part.mkdir(mode=0o700, parents=True)
        _unpack(source, part)
    except (OSError, tarfile.TarError, EOFError, sqlite3.DatabaseError) as error:
        shutil.rmtree(part, ignore_errors=True)
        raise PlainError(f"{source} is not a backup that can be read: {error}.") from error
    except FolderError as error:
        shutil.rmtree(part, ignore_errors=True)
        raise PlainError(f"{source} cannot be restored. {error}") from error
    if folder.exists():
        folder.rmdir()
    part.replace(folder)


def _unpack(source: Path, folder: Path) -> None:
    with tarfile.open(source, "r:gz") as tar:
        tar.extractall(folder, filter="data")
    with sqlite3.connect(f"file:{folder / DATABASE}?mode=ro", uri=True) as database:
        sound = database.execute("PRAGMA integrity_check").fetchone()[0]
    if sound != "ok":
        raise FolderError("Its database is damaged.")
    refuse_newer(folder / DATABASE)
