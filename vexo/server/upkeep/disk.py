"""What takes room in the data folder, by kind."""

from __future__ import annotations

import os
import shutil
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from ..data_folder import BACKUPS, PARTS, data_folder

KINDS = ("database", "sheets", "uploads", "kept copies", "plans and passes", "receipts", "cache", "backups", "logs")
"""Kinds of what takes room, as people read them."""
_BY_BEGINNING = {"kept": "kept copies", "out": "sheets", "cells": "sheets", "reading": "sheets"}
_BY_FOLDER = {"uploads": "uploads", "receipts": "receipts", "refilled": "sheets", "sheets": "sheets"}


@dataclass(frozen=True)
class Room:
    """Bytes and files of one kind."""

    kind: str
    bytes: int
    files: int


def kind_of(path: Path) -> str:
    """The kind of a file, by its place below the data folder."""
    first, *rest = path.parts
    if first != "files":
        return {"stages": "cache", BACKUPS: "backups", "logs": "logs"}.get(first, "database")
    if len(rest) > 1 and rest[0] in _BY_FOLDER:
        return _BY_FOLDER[rest[0]]
    return _BY_BEGINNING.get(rest[-1].partition("-")[0] if rest else "", "plans and passes")


def _files(folder: Path) -> Iterator[tuple[Path, int]]:
    for path, _, names in os.walk(folder, followlinks=True):
        for name in names:
            file = Path(path) / name
            try:
                stat = file.stat(follow_symlinks=False)
            except FileNotFoundError:
                # Work goes on meanwhile: a file that is gone takes no room.
                continue
            # A file with several names takes its room once.
            yield file.relative_to(folder), stat.st_size // max(1, stat.st_nlink)


def room_taken() -> list[Room]:
    """What is in the data folder by kind, also kinds of which there is nothing."""
    size: dict[str, int] = defaultdict(int)
    count: dict[str, int] = defaultdict(int)
    for path, bytes_ in _files(data_folder()):
        if len(path.parts) > 1 and path.parts[0] not in PARTS:
            # The demo's register keeps its things here too.
            continue
        kind = kind_of(path)
        size[kind] += bytes_
        count[kind] += 1
    return [Room(kind, size[kind], count[kind]) for kind in KINDS]


def room_free() -> int:
    """Bytes free on the disk of the data folder; of several, on that which has the least."""
    folders = (data_folder(), *(data_folder() / part for part in PARTS))
    return min(shutil.disk_usage(folder).free for folder in folders if folder.exists())


def size_of(paths: Iterator[Path] | list[Path]) -> int:
    """Bytes of files, of those that are there."""
    return sum(path.stat().st_size for path in paths if path.is_file())
