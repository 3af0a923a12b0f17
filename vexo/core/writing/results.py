"""What became of a write, and what a record read again says of one in doubt."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from dataclasses import field as default
from typing import Any

from ..planning.verdicts import LANDED, RowState

FINAL = (*LANDED, RowState.REFUSED, RowState.UNCLEAR)
CLASH, DOUBT, UNTAKEN = "clash", "doubt", "untaken"


@dataclass(frozen=True)
class WriteResult:
    """What became of one write.

    ``state`` is created, updated, deleted, refused or unclear; or, until it is settled, ``clash`` (the version was no
    longer the reviewed one), ``doubt`` (no answer) or ``untaken`` (certainly not looked at). ``code`` is one of
    ``faults.OUTCOME_CODES`` with ``arguments`` for its words; ``values`` what the application holds by its own answer.
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
    """The end of a doubt: a result, or that the write goes again with ``version``."""

    result: WriteResult | None = None
    version: str | None = None
