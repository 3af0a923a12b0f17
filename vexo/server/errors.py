"""Errors that a person can mend. Their sentences say what happened and what to do; where to do it the edge adds."""

from __future__ import annotations

import errno
import os
import sqlite3
from collections.abc import Sequence
from typing import Any

from django.db import OperationalError

from vexo.core.errors import MendableError
from vexo.core.os_errors import FORBIDDEN, FULL, TOO_MANY_OPEN, errno_of
from vexo.core.wording import one_of

from .error_codes import Coded


class PlainError(MendableError):
    """Something a person can mend; the message is for them.

    ``code`` tells the edge which way of its own to add (a button, an option), ``more`` what it needs for that.
    """

    def __init__(self, message: str, code: Coded = "", **more: Any) -> None:
        super().__init__(message)
        self.code: str = code
        self.more = more


def unknown_format(name: str, endings: Sequence[str]) -> PlainError:
    """The error of a file whose name does not say in which of some formats it is to be written.

    Args:
        endings: what its name can end in.
    """
    return PlainError(f"Unknown format of {name}. Use {one_of(endings)}.")


class NotAllowed(PlainError):
    """Something that the person's role does not allow."""

    def __init__(self, message: str) -> None:
        super().__init__(message, "rights")


class Stale(PlainError):
    """What was seen is no longer the newest; ``newer`` is what is."""

    def __init__(self, message: str, newer: Any = None) -> None:
        super().__init__(message, "stale", newer=newer)


_OF_THE_MACHINE = (*TOO_MANY_OPEN, errno.EIO, errno.ENOMEM)
"""What a system says of itself and not of what was asked: a broken disk, no memory, too many open files."""


def machine_trouble(error: BaseException, *, named: bool = False) -> str | None:
    """The sentence of an error that is the machine's and not the work's: a full or broken disk, no memory, a busy or
    closed database.

    Args:
        named: it is for whoever is on the machine, and names the folder; anyone else is told no path.
    """
    from .data_folder import data_folder

    folder = str(data_folder()) if named else "Vexo's folder"
    number = errno.ENOMEM if isinstance(error, MemoryError) else errno_of(error)
    message = str(error).lower() if isinstance(error, OperationalError | sqlite3.OperationalError) else ""
    if number in FULL or "full" in message:
        return f"The disk of {folder} is full. Make room, then try again; what was written down is not lost."
    if number in FORBIDDEN or "readonly" in message or "unable to open" in message:
        return f"{folder} cannot be written to. Let the user that Vexo runs as write there, then try again."
    if "locked" in message or "busy" in message:
        return "The database was busy for too long. Nothing was lost; try again."
    if number in _OF_THE_MACHINE:
        return f"The machine that Vexo runs on is in trouble: {os.strerror(number)}. See to it, then try again."
    if message:
        detail = f": {error}" if named else ""
        return f"The database does not work{detail}. See that the disk of {folder} is sound, then try again."
    return None
