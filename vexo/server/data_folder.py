"""Where Vexo keeps its things: the database, files, stages, the key and logs. Only its owner can look into it."""

from __future__ import annotations

import errno
import fcntl
import os
import secrets
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

BACKUPS = "backups"
PARTS = ("files", "stages", "logs", BACKUPS)
DATABASE = "vexo.db"
_SHORTEST_KEY = 32
"""Characters that a key given by hand has at least: so many random ones are not guessed."""


class FolderError(Exception):
    """A data folder that cannot be used; the message says what to do."""

    code = "folder"


def data_folder() -> Path:
    """The folder chosen by VEXO_DATA, by default ``var/vexo``."""
    return Path(os.environ.get("VEXO_DATA", "var/vexo")).absolute()


def _close(path: Path, mode: int) -> None:
    """Take from others what they may do with a file or folder of ours."""
    if path.exists() and path.stat().st_mode & 0o777 & ~mode:
        path.chmod(mode)


def make_data_folder() -> Path:
    """The folder with all its parts, for its owner only; what is made in it later is too.

    Raises:
        FolderError: where it cannot be made or written.
    """
    folder = data_folder()
    os.umask(0o077)
    try:
        for part in (folder, *(folder / name for name in PARTS)):
            part.mkdir(mode=0o700, parents=True, exist_ok=True)
            _close(part, 0o700)
        for name in (DATABASE, f"{DATABASE}-wal", f"{DATABASE}-shm", "key"):
            _close(folder / name, 0o600)
    except OSError as error:
        raise FolderError(f"Nothing can be kept in {folder}: {error.strerror}. Choose another folder.") from error
    return folder


@contextmanager
def first_start() -> Iterator[None]:
    """One process at a time makes a folder ready; the others wait, and find it made."""
    descriptor = os.open(data_folder() / ".lock", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX)
        yield
    finally:
        os.close(descriptor)


def hold_alone() -> int:
    """Hold the folder as its one demo, for as long as the descriptor that is given stays open.

    Raises:
        FolderError: where another one holds it.
    """
    descriptor = os.open(data_folder() / ".demo-runs", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        os.close(descriptor)
        raise FolderError(
            f"A demo runs on {data_folder()} already. Use that one, stop it, or choose another folder with --data."
        ) from error
    return descriptor


def make_key() -> None:
    """Make the key of a new folder, once. Where there is a database already, its key must be there too.

    Raises:
        FolderError
    """
    folder = data_folder()
    key, database = folder / "key", folder / DATABASE
    if os.environ.get("VEXO_KEY") or key.exists():
        return
    if database.exists() and database.stat().st_size:
        raise FolderError(
            f"{key} is missing. Without it nobody stays signed in and no token of an application can be read. Put it "
            "back from where it is kept, or say it in VEXO_KEY."
        )
    with replacing(key) as aside, os.fdopen(os.open(aside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        file.write(secrets.token_urlsafe(48))


def secret_key() -> str:
    """The key of this installation, from the environment or the data folder.

    Raises:
        FolderError: where it is missing, empty or too short.
    """
    setting = os.environ.get("VEXO_KEY")
    where, remedy = "VEXO_KEY", "Say one of at least 32 characters"
    if setting is None:
        path = data_folder() / "key"
        where, remedy = str(path), "Put the right one back from where it is kept, or say it in VEXO_KEY"
        try:
            setting = path.read_text(encoding="utf-8").strip()
        except FileNotFoundError:
            raise FolderError(f"{path} is missing. {remedy}.") from None
        except (OSError, UnicodeDecodeError) as error:
            raise FolderError(f"{path} cannot be read: {error}. {remedy}.") from error
    if len(setting) < _SHORTEST_KEY:
        words = "is empty" if not setting else "is too short"
        raise FolderError(f"{where} {words}. {remedy}.")
    return setting


def _sync(path: Path) -> None:
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


_NO_FOLDERS = (errno.EINVAL, errno.ENOTSUP, errno.EACCES)
"""What is said where folders cannot be synced, as on some network's disks, or cannot be listed: a file is in it all
the same."""


def _sync_folder(folder: Path) -> None:
    try:
        _sync(folder)
    except OSError as error:
        if error.errno not in _NO_FOLDERS:
            raise


@contextmanager
def replacing(target: Path, ending: str = ".part") -> Iterator[Path]:
    """Where to write a file aside; afterwards it has its name, whole and on the disk, or nothing has changed.

    Args:
        ending: of the name that it has until then.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    aside = target.with_name(f".{uuid.uuid4().hex}{ending}")
    try:
        yield aside
        _sync(aside)
        aside.replace(target)
        _sync_folder(target.parent)
    finally:
        aside.unlink(missing_ok=True)


def demo_mark() -> Path:
    """The file that tells that the folder was made by the demo."""
    return data_folder() / "demo"


def is_demo() -> bool:
    """Whether the folder was made by the demo, whose people sign in with a password that everyone knows."""
    return demo_mark().exists()


def make_demo() -> None:
    """Mark a new folder as the demo's.

    Raises:
        FolderError: where the folder holds real things already.
    """
    database = data_folder() / DATABASE
    if is_demo():
        return
    if database.exists() and database.stat().st_size:
        raise FolderError(
            f"{data_folder()} holds more than a demo; the demo's people could sign in to it. Choose another folder."
        )
    make_data_folder()
    demo_mark().touch(mode=0o600)


def absolute(relative: str) -> Path:
    """A path kept in the database as a file of this folder."""
    return data_folder() / relative
