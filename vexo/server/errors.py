"""Errors that a person can mend. Their sentences say what happened and what to do; where to do it the edge adds."""

from __future__ import annotations

from typing import Any

from vexo.applications import ApplicationError
from vexo.core.columns.matching import MappingError
from vexo.core.conditions import ConditionError
from vexo.core.keys.finding import KeyError_
from vexo.core.records import UnknownName
from vexo.core.sheets import SheetError


class PlainError(Exception):
    """Something a person can mend; the message is for them.

    ``code`` tells the edge which way of its own to add (a button, an option), ``more`` what it needs for that.
    """

    def __init__(self, message: str, code: str = "", **more: Any) -> None:
        super().__init__(message)
        self.code, self.more = code, more


class NotAllowed(PlainError):
    """Something that the person's role does not allow."""

    def __init__(self, message: str) -> None:
        super().__init__(message, "rights")


class Stale(PlainError):
    """What was seen is no longer the newest; ``newer`` is what is."""

    def __init__(self, message: str, newer: Any = None) -> None:
        super().__init__(message, "stale", newer=newer)


MENDABLE: tuple[type[Exception], ...] = (
    ApplicationError,
    ConditionError,
    KeyError_,
    MappingError,
    SheetError,
    UnknownName,
    PlainError,
)


def code_of(error: BaseException) -> str:
    """The code of an error that can be mended, empty where it has none."""
    return str(getattr(error, "code", ""))
