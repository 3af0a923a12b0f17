"""The folders into which sheets are put: below one that the machine's administrator gave, and nowhere else."""

from __future__ import annotations

import hashlib
import os
import re
import time
from dataclasses import dataclass
from pathlib import Path

from vexo.core.wording import thousands

from ..errors import PlainError

TAKEN, REFUSED = "taken", "refused"
"""Folders below, into which a sheet goes once it is in, or could not come in."""
_NAME = re.compile(r"[\w][\w .-]{0,119}")
_STILL_SECONDS = 5.0
"""Seconds for which a file has not changed before it counts as whole: who copies it there may be at it."""
_EMPTY_SECONDS = 60.0
"""The same for a file with nothing in it: some programs make it first, and fill it when they are done."""
_ENDINGS = (".xlsx", ".xls", ".ods", ".csv", ".tsv", ".txt")


@dataclass(frozen=True)
class Found:
    """A sheet that lies in a folder."""

    path: Path
    digest: str
    modified: str


@dataclass(frozen=True)
class Contents:
    """What lies in a folder: the sheets that are whole, by name, whether others are still being written, and the names
    of what is no sheet."""

    sheets: list[Found]
    growing: bool
    others: list[str]

    @property
    def trouble(self) -> str:
        """What lies there and is left there, as a sentence; empty for nothing."""
        if not self.others:
            return ""
        names = ", ".join(self.others[:3]) + (
            f" and {thousands(len(self.others) - 3)} more" if len(self.others) > 3 else ""
        )
        does = "lies there and is no sheet" if len(self.others) == 1 else "lie there and are no sheets"
        return f"{names} {does} that Vexo reads. Take what is meant as one in again as {' or '.join(_ENDINGS)}."


def root() -> Path:
    """The folder below which sheets may lie. Raises PlainError where none was given."""
    folder = os.environ.get("VEXO_FOLDERS", "")
    if not folder:
        raise PlainError("No folder was given for sheets that come by themselves. Say it in VEXO_FOLDERS.", "folders")
    return Path(folder).absolute()


def folder_of(name: str) -> Path:
    """A folder by its name. Raises PlainError for one that is not there, or leads elsewhere."""
    above = root()
    if not _NAME.fullmatch(name) or name in (TAKEN, REFUSED):
        raise PlainError(f"{name!r} is not the name of a folder. Use letters, figures, spaces, dots and dashes.")
    folder = above / name
    if not folder.is_dir():
        raise PlainError(f"There is no folder {name} below the one for sheets that come by themselves. Make it first.")
    if folder.resolve().parent != above.resolve():
        raise PlainError(f"{name} leads elsewhere. Make a folder of its own there.")
    return folder


def _whole(path: Path, now: float) -> bool:
    stat = path.stat()
    return now - max(stat.st_mtime, stat.st_ctime) >= (_STILL_SECONDS if stat.st_size else _EMPTY_SECONDS)


def contents_of(folder: Path) -> Contents:
    """What lies in a folder but for what is hidden, and the folders in it."""
    sheets, growing, others, now = [], False, [], time.time()
    for path in sorted(folder.iterdir()):
        if path.name.startswith((".", "~")) or (path.is_dir() and not path.is_symlink()):
            continue
        if path.is_symlink() or not path.is_file() or path.suffix.lower() not in _ENDINGS:
            others.append(path.name)
        elif not _whole(path, now):
            growing = True
        else:
            with path.open("rb") as file:
                digest = hashlib.file_digest(file, "sha256").hexdigest()
            sheets.append(Found(path, digest, str(path.stat().st_mtime_ns)))
    return Contents(sheets, growing, others)


def put_away(path: Path, where: str) -> None:
    """Move a sheet out of the way, under a name that nothing there has; one that is gone already was moved before."""
    below = path.parent / where
    below.mkdir(exist_ok=True)
    stamp = time.strftime("%Y%m%dT%H%M%S", time.gmtime())
    target = below / f"{stamp}-{path.name}"
    count = 1
    while target.exists():
        count += 1
        target = below / f"{stamp}-{count}-{path.name}"
    try:
        path.rename(target)
    except FileNotFoundError:
        return
