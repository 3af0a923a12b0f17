"""What became of a write, and what a record read again says of one in doubt."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from dataclasses import field as default
from typing import Any

FINAL = ("created", "updated", "deleted", "refused", "unclear")
CLASH, DOUBT, UNTAKEN = "clash", "doubt", "untaken"
REASONS = (
    "refused",
    "changed-meanwhile",
    "gone-meanwhile",
    "batch-too-large",
    "no-answer",
    "found-otherwise",
    "changed-in-between",
    "given-up",
    "undone-with-group",
)


@dataclass(frozen=True)
class Answer:
    """What became of one write.

    ``state`` is created, updated, deleted, refused or unclear; or, until it is settled, ``clash`` (the version was no
    longer the reviewed one), ``doubt`` (no answer) or ``untaken`` (certainly not looked at). ``code`` is one of
    ``REASONS`` with ``arguments`` for its words; ``values`` what the application holds by its own answer.
    """

    at: int
    state: str
    identifier: str | None = None
    version: str | None = None
    code: str = ""
    field: str = ""
    arguments: tuple[str, ...] = ()
    values: Mapping[str, Any] = default(default_factory=dict)
    warnings: tuple[str, ...] = ()
    accepted: bool = False

    @property
    def final(self) -> bool:
        return self.state in FINAL


@dataclass(frozen=True)
class Settled:
    """The end of a doubt: an answer, or that the write goes again with ``version``."""

    answer: Answer | None = None
    version: str | None = None

    @property
    def again(self) -> bool:
        return self.answer is None
