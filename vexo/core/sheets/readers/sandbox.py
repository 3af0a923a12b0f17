"""Reading a file in a child process with a memory limit, so that no file can take the program down."""

from __future__ import annotations

import json
import subprocess
import sys
import zipfile
from pathlib import Path
from threading import Lock
from typing import Any

from ..sheet import AS_FOUND, Choices, SheetError, SheetProfile

MEMORY_LIMIT = 6 * 1024**3
SECONDS = 300
_LARGEST = 2 * 1024**3


def _refuse_early(path: Path, name: str) -> None:
    """Cheap looks before anything is unpacked."""
    if not path.is_file():
        raise SheetError(f"There is no file {name}. Check its name and folder.")
    if path.stat().st_size == 0:
        raise SheetError(f"{name} is empty. Put a header in its first row and the records below it.")
    if path.stat().st_size > _LARGEST:
        raise SheetError(f"{name} is larger than 2 GB. Divide it into several sheets.")
    if zipfile.is_zipfile(path):
        with zipfile.ZipFile(path) as archive:
            unpacked = sum(entry.file_size for entry in archive.infolist())
        if unpacked > _LARGEST:
            raise SheetError(f"{name} would unpack to {unpacked:,} bytes. Divide it into several sheets.")


class _Readers:
    """Processes that read files. Where one is kept waiting, all that it needs loaded, a small file is read at once."""

    def __init__(self) -> None:
        self._waiting: subprocess.Popen[str] | None = None
        self._keep = False
        self._lock = Lock()

    def _begin(self, memory: int) -> subprocess.Popen[str]:
        command = [sys.executable, "-m", "vexo.core.sheets.readers.child", str(memory)]
        pipe = subprocess.PIPE
        return subprocess.Popen(command, stdin=pipe, stdout=pipe, stderr=pipe, text=True)  # noqa: S603

    def keep_one(self) -> None:
        """From now on one process waits for the next file."""
        with self._lock:
            self._keep = True
            if self._waiting is None:
                self._waiting = self._begin(MEMORY_LIMIT)

    def ask(self, question: dict[str, Any], memory: int) -> str:
        """What a process of its own answers; nothing where it was ended. Raises TimeoutExpired."""
        with self._lock:
            waiting, self._waiting = (self._waiting, None) if memory == MEMORY_LIMIT else (None, self._waiting)
        reader = waiting if waiting is not None and waiting.poll() is None else self._begin(memory)
        try:
            answer, _ = reader.communicate(json.dumps(question) + "\n", timeout=SECONDS)
        finally:
            if reader.poll() is None:
                reader.kill()
                reader.communicate()
            if self._keep:
                self.keep_one()
        return answer


_readers = _Readers()


def keep_a_reader_waiting() -> None:
    """For a program that reads many files: the next one does not wait for a process to begin."""
    _readers.keep_one()


def read_sheet(
    path: Path, cells: Path, name: str = "", memory: int = MEMORY_LIMIT, choices: Choices = AS_FOUND
) -> SheetProfile:
    """Read a file; its cells are written to ``cells`` as Parquet, and the filled rows that are not data beside them
    (see ``aside_of``).

    Args:
        name: what people call the file, for what is said of it.
        choices: how a person wants it read; what is not said is found.

    Raises:
        SheetError: saying why it is not a sheet, or cannot be read, and what to do.
    """
    name = name or path.name
    _refuse_early(path, name)
    question = {"file": str(path), "cells": str(cells), "name": name, "choices": choices.to_json()}
    try:
        answer = json.loads(_readers.ask(question, memory))
    except subprocess.TimeoutExpired:
        raise SheetError(f"{name} took longer than {SECONDS} seconds to read. Divide it.") from None
    except ValueError:
        raise SheetError(
            f"{name} needs more memory than a sheet may take, or is damaged. "
            "Open it in a spreadsheet, keep only the rows you need, and save it anew."
        ) from None
    if "error" in answer:
        raise SheetError(answer["error"])
    return SheetProfile.from_json(answer)
