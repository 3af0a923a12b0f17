"""Reading files in child processes with a memory limit, so that no file can take the program down."""

from __future__ import annotations

import atexit
import json
import os
import resource
import signal
import subprocess
import sys
import threading
import zipfile
from contextlib import suppress
from pathlib import Path
from typing import Any

from ...wording import thousands
from ..sheet import AS_FOUND, Choices, SheetError, SheetProfile

MEMORY_LIMIT = 6 * 1024**3
"""Bytes of address space for a reader: enough for two gigabytes of text."""
SECONDS = 300
"""Seconds that a file may take: ten times what the largest ones do."""
_GROWN = 512 * 1024**2
"""Bytes that a process may hold and read one more file: five times what it has when it begins."""
_LAST_BREATH = 5
"""Seconds in which a process that answers no more is gone."""
_LARGEST = 2 * 1024**3
"""Bytes of a file, packed or unpacked."""


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
            raise SheetError(f"{name} would unpack to {thousands(unpacked)} bytes. Divide it into several sheets.")


class _TookTooLong(Exception):
    """A reader had to be ended."""


class _Killed(Exception):
    """A reader was killed by the system it runs on, which has no memory left for it."""


class _Reader:
    """A process that reads one file after the other, and is gone once one of them was too much for it."""

    def __init__(self, memory: int) -> None:
        command = [sys.executable, "-m", "vexo.core.sheets.readers.child", str(memory)]
        pipe = subprocess.PIPE
        self._process = subprocess.Popen(command, stdin=pipe, stdout=pipe, stderr=subprocess.DEVNULL, text=True)  # noqa: S603

    def ask(self, question: dict[str, Any]) -> str:
        """What it answers; nothing where it was ended by what it read. Raises _TookTooLong."""
        late = threading.Event()

        def end() -> None:
            late.set()
            self._process.kill()

        timer = threading.Timer(SECONDS, end)
        timer.start()
        try:
            assert self._process.stdin is not None and self._process.stdout is not None
            with suppress(BrokenPipeError):
                self._process.stdin.write(json.dumps(question) + "\n")
                self._process.stdin.flush()
            answer = self._process.stdout.readline()
        finally:
            timer.cancel()
        if late.is_set():
            raise _TookTooLong
        return answer

    @property
    def fresh(self) -> bool:
        """Whether it is there, and has not grown over what it read."""
        try:
            pages = int(Path(f"/proc/{self._process.pid}/statm").read_text().split()[1])
        except (OSError, IndexError):
            return False
        return self._process.poll() is None and pages * resource.getpagesize() < _GROWN

    @property
    def told_to_end(self) -> bool:
        """Whether it ended by a signal as those get who belong to a program that is to end."""
        return self._process.poll() in (-signal.SIGTERM, -signal.SIGINT, -signal.SIGHUP)

    @property
    def killed(self) -> bool:
        """Whether it was ended as a system does that has no memory left; nobody here does so while it reads."""
        with suppress(subprocess.TimeoutExpired):
            return self._process.wait(timeout=_LAST_BREATH) == -signal.SIGKILL
        return False

    def end(self) -> None:
        self._process.kill()
        self._process.communicate()


class _Readers:
    """Readers that wait for the next file, all that they need loaded: a small file is read at once."""

    def __init__(self) -> None:
        self._waiting: list[_Reader] = []
        self._lock = threading.Lock()

    def begin(self) -> None:
        """Have one wait."""
        with self._lock:
            if not self._waiting:
                self._waiting.append(_Reader(MEMORY_LIMIT))

    def ask(self, question: dict[str, Any], memory: int) -> str:
        """What a reader answers; nothing where it was ended by what it read. Raises _TookTooLong, _Killed."""
        with self._lock:
            used = self._waiting.pop() if self._waiting and memory == MEMORY_LIMIT else None
        reader = used or _Reader(memory)
        try:
            answer = self._answer(reader, question, memory)
        except _Killed:
            # One that waited may have been killed before it read anything of this file.
            if not used:
                raise
            answer = ""
        # What read before may have ended meanwhile, and a signal from outside says nothing of the file.
        if not answer and (used or reader.told_to_end):
            answer = self._answer(_Reader(memory), question, memory)
        return answer

    def _answer(self, reader: _Reader, question: dict[str, Any], memory: int) -> str:
        answer = ""
        try:
            answer = reader.ask(question)
            if not answer and reader.killed:
                raise _Killed
        finally:
            with self._lock:
                keep = bool(answer) and memory == MEMORY_LIMIT and not self._waiting and reader.fresh
                if keep:
                    self._waiting.append(reader)
            if not keep:
                reader.end()
        return answer

    def end(self) -> None:
        """End all that wait."""
        with self._lock:
            while self._waiting:
                self._waiting.pop().end()


_readers = _Readers()


@atexit.register
def end_waiting_readers() -> None:
    """End the readers that wait for a next file."""
    _readers.end()


def keep_a_reader_waiting() -> None:
    """For a program that reads many files: the next one does not wait for a process to begin."""
    _readers.begin()


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
        OSError: where the machine is in trouble, such as by a full disk.
    """
    name = name or path.name
    _refuse_early(path, name)
    question = {"file": str(path), "cells": str(cells), "name": name, "choices": choices.to_json()}
    try:
        answer = json.loads(_readers.ask(question, memory))
    except _TookTooLong:
        raise SheetError(f"{name} took longer than {SECONDS} seconds to read. Divide it.") from None
    except _Killed:
        raise SheetError(
            f"{name} was not read: this machine, or the container that Vexo runs in, had no memory left for it. "
            "Give it more memory, or divide the file."
        ) from None
    except ValueError:
        raise SheetError(
            f"{name} needs more memory than a sheet may take, or is damaged. "
            "Open it in a spreadsheet, keep only the rows you need, and save it anew."
        ) from None
    if "errno" in answer:
        raise OSError(answer["errno"], os.strerror(answer["errno"]), str(cells))
    if "error" in answer:
        raise SheetError(answer["error"])
    return SheetProfile.from_json(answer)
