"""Backups: the database as it is at one moment, and every file that it names; without the key."""

from __future__ import annotations

import os
import re
import shutil
import sqlite3
import tarfile
import tempfile
import uuid
import zlib
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from .data_folder import DATABASE, FolderError, data_folder, demo_mark, is_demo, replacing
from .errors import PlainError, machine_trouble
from .releases import refuse_newer

ASIDE = ".backup-"
"""The beginning of the name of a folder in which a backup's copy of the database lies while it is written."""
_FOLDER = "files"
_NAME = re.compile(rf"{_FOLDER}/(\d+|sheets|uploads)/[\w.-]+")
"""Names as Vexo gives them: a person's title may begin like one."""
_UNREADABLE = (OSError, tarfile.TarError, EOFError, zlib.error, KeyError, sqlite3.DatabaseError)


@dataclass(frozen=True)
class Written:
    """What a backup came to: its bytes, and the files that its database names and the folder does not have."""

    size: int
    missing: list[str]


def back_up(target: Path) -> Written:
    """Write a backup, whole or not at all, also while Vexo is at work.

    Files never change once the database names them, so those that are there after the database was copied are at least
    those that the copy names. What the folder only points to, such as files on another disk, is written as well.

    Raises:
        PlainError: where it cannot be written there.
    """
    if target.exists():
        raise PlainError(f"{target} is there already. Choose another name.")
    try:
        with tempfile.TemporaryDirectory(dir=data_folder(), prefix=ASIDE) as aside:
            copy = _copy_of_database(Path(aside))
            with (
                replacing(target) as part,
                os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as out,
                tarfile.open(fileobj=out, mode="w:gz", compresslevel=3, dereference=True) as tar,
            ):
                tar.add(copy, DATABASE)
                unfinished = _unfinished(copy)
                named = _named_files(copy) - unfinished
                tar.add(data_folder() / _FOLDER, _FOLDER, filter=lambda entry: _finished(entry, unfinished))
                if is_demo():
                    tar.add(demo_mark(), demo_mark().name)
                missing = sorted(named.difference(tar.getnames()))
    except OSError as error:
        raise PlainError(f"{target} cannot be written: {error.strerror or error}. Choose another place.") from error
    return Written(target.stat().st_size, missing)


def _copy_of_database(folder: Path) -> Path:
    copy = folder / DATABASE
    try:
        with sqlite3.connect(data_folder() / DATABASE) as source, sqlite3.connect(copy) as backup:
            source.backup(backup)
    except sqlite3.OperationalError as error:
        raise PlainError(machine_trouble(error, named=True) or str(error)) from error
    return copy


def _unfinished(database: Path) -> set[str]:
    """Files that have not come whole: nobody could go on with them after a restore."""
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as reader:
        if not reader.execute("SELECT name FROM sqlite_master WHERE name = 'uploads_upload'").fetchone():
            # A folder whose first start was killed is backed up as it is.
            return set()
        numbers = reader.execute("SELECT id FROM uploads_upload WHERE NOT complete").fetchall()
        return {f"{_FOLDER}/uploads/{number}" for (number,) in numbers}


def _finished(entry: tarfile.TarInfo, unfinished: set[str]) -> tarfile.TarInfo | None:
    """Whatever is not just being written, and has come whole."""
    return None if entry.name.endswith(".part") or entry.name in unfinished else entry


def restore(source: Path, folder: Path) -> list[str]:
    """Lay a backup out as a new data folder; its key is put there by a person. The files that its database names and
    that are not in it.

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
        missing = [name for name in sorted(_named_files(part / DATABASE)) if not (part / name).is_file()]
    except _UNREADABLE as error:
        shutil.rmtree(part, ignore_errors=True)
        raise PlainError(f"{source} is not a backup that can be read: {error}.") from error
    except FolderError as error:
        shutil.rmtree(part, ignore_errors=True)
        raise PlainError(f"{source} cannot be restored. {error}") from error
    if folder.exists():
        folder.rmdir()
    part.replace(folder)
    return missing


@dataclass(frozen=True)
class Checked:
    """What a backup was found to hold: its files, how many of them its database names, and names without a file."""

    files: int
    named: int
    missing: list[str]


def check(source: Path) -> Checked:
    """Read a backup wholly, without laying it out.

    Raises:
        PlainError: where it cannot be read, or is not of this release or an older one.
    """
    try:
        with tempfile.TemporaryDirectory() as aside:
            names_inside = _read_all(source, Path(aside))
            _refuse_unsound(Path(aside))
            named = _named_files(Path(aside) / DATABASE)
    except _UNREADABLE as error:
        raise PlainError(f"{source} is not a backup that can be read: {error}.") from error
    except FolderError as error:
        raise PlainError(f"{source} could not be restored. {error}") from error
    return Checked(len(names_inside), len(named), sorted(named - names_inside))


def _read_all(source: Path, aside: Path) -> set[str]:
    """The names of all files of a backup, each read to its end; its database is laid aside."""
    names_inside = set()
    with tarfile.open(source, "r:gz") as tar:
        for entry in tar:
            content = tar.extractfile(entry) if entry.isfile() or entry.islnk() else None
            if content is None:
                continue
            with content, (aside / DATABASE if entry.name == DATABASE else Path(os.devnull)).open("wb") as out:
                shutil.copyfileobj(content, out)
            if entry.name.startswith(f"{_FOLDER}/"):
                names_inside.add(entry.name)
    return names_inside


def _named_files(database: Path) -> set[str]:
    """The files that a database names, wherever it does."""
    named: set[str] = set()
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as reader:
        tables = [name for (name,) in reader.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        for table in tables:
            columns = [line[1] for line in reader.execute(f'PRAGMA table_info("{table}")') if "char" in line[2].lower()]
            for column in columns:
                query = f'SELECT DISTINCT "{column}" FROM "{table}" WHERE "{column}" LIKE ?'  # noqa: S608
                values = (str(value) for (value,) in reader.execute(query, (f"{_FOLDER}/%",)))
                named |= {value for value in values if _NAME.fullmatch(value)}
    return named


def _unpack(source: Path, folder: Path) -> None:
    """Write out the plain files of a backup, whoever may have put other things into it."""
    with tarfile.open(source, "r:gz") as tar:
        for entry in tar:
            content = tar.extractfile(entry) if entry.isfile() or entry.islnk() else None
            if content is None:
                continue
            target = folder / entry.name
            if ".." in target.parts or not target.is_relative_to(folder):
                raise FolderError(f"It holds {entry.name}, which is outside of the folder.")
            target.parent.mkdir(parents=True, exist_ok=True)
            with content, target.open("xb") as out:
                shutil.copyfileobj(content, out)
    (folder / _FOLDER).mkdir(exist_ok=True)
    _refuse_unsound(folder)


def _refuse_unsound(folder: Path) -> None:
    """Raises FolderError for a damaged database, or one of a newer release."""
    with sqlite3.connect(f"file:{folder / DATABASE}?mode=ro", uri=True) as database:
        sound = database.execute("PRAGMA integrity_check").fetchone()[0]
    if sound != "ok":
        raise FolderError("Its database is damaged.")
    refuse_newer(folder / DATABASE)
