"""What is noticed in a file while it is read: told with its place, never put right unseen."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from ..wording import thousands

_NAMED = 20
"""Findings of a kind that are told one by one; all are counted."""


@dataclass(frozen=True)
class Finding:
    """Something a person should know. ``row`` is the spreadsheet's row number and ``column`` the header, where it is
    about one; ``text`` says it in a sentence."""

    kind: str
    text: str
    row: int | None = None
    column: str | None = None

    def to_json(self) -> dict[str, Any]:
        return {"kind": self.kind, "row": self.row, "column": self.column, "text": self.text}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Finding:
        return cls(str(data["kind"]), str(data["text"]), data["row"], data["column"])


def each_row(kind: str, rows: Sequence[int], says: Iterable[str]) -> list[Finding]:
    """One finding a row; past the first, one for all the rest, so that a broken file does not bury its own report."""
    named = [Finding(kind, text, row) for row, text in zip(rows[:_NAMED], says, strict=False)]
    more = len(rows) - len(named)
    return [*named, *([Finding(kind, f"The same in {thousands(more)} more rows.")] if more > 0 else [])]
