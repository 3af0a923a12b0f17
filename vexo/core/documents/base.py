"""What both documents of a trip have in common."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..errors import MendableError

VERSION = 1
"""Raised whenever the JSON of a document changes."""


class DocumentError(MendableError):
    """A document that cannot be understood; the message says which part of it."""

    code = "document"


@dataclass(frozen=True)
class Lost:
    """A part of a document that the catalogue no longer has: the field's name, and what it was there for."""

    name: str
    use: str


def texts(values: Any) -> tuple[str, ...]:
    """A list of texts. Raises TypeError for a single one."""
    if isinstance(values, str):
        raise TypeError("a list was expected")
    return tuple(str(value) for value in values)
