"""What is said on a terminal: signs, sums, short tables. Nothing here needs data frames, and JSON needs no tables."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, TextIO, cast

if TYPE_CHECKING:
    from rich.console import Console
    from rich.table import Table

    from vexo.server.trips.models import Edit


class Written:
    """A stream on which marked numbers and times within sentences are written as anyone reads them."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        from vexo.server.locales import ANYONE

        return self._stream.write(ANYONE.text(text) if isinstance(text, str) else text)

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)


@contextmanager
def written_streams() -> Iterator[None]:
    """The standard streams of this process, as long as it lasts, are such streams."""
    before = sys.stdout, sys.stderr
    sys.stdout, sys.stderr = (cast("TextIO", Written(stream)) for stream in before)
    try:
        yield
    finally:
        sys.stdout, sys.stderr = before


SIGNS = {
    "create": "+",
    "update": "△",
    "same": "=",
    "delete": "−",
    "held": "?",
    "rejected": "×",
    "aside": "‖",
    "created": "+",
    "updated": "△",
    "deleted": "−",
    "refused": "×",
    "unclear": "≈",
    "waiting": "○",
}


def console() -> Console:
    """Standard output; without a terminal, wide enough that nothing is cut."""
    from rich.console import Console

    out = Console(markup=False, highlight=False)
    return out if out.is_terminal else Console(width=240, markup=False, highlight=False)


def plain_table(*headers: str) -> Table:
    """A table without lines."""
    from rich.table import Table

    return Table(*headers, box=None, header_style="bold")


def print_made(columns: Sequence[str], lines: Sequence[tuple[Edit, str]], none: str) -> None:
    """What people made on a trip, each with its words; ``none`` is said where there is nothing."""
    table = plain_table(*columns, "By", "When")
    for one, words in lines:
        table.add_row(str(one.pk), words, f"{one.count:,}", one.by, f"{one.at:%Y-%m-%d %H:%M}")
    console().print(table if lines else none)


def sum_line(rows: int, terms: dict[str, int]) -> str:
    """The row sum in words."""
    parts = [f"{count:,} {name}" for name, count in terms.items() if count]
    return f"{rows:,} {'row' if rows == 1 else 'rows'} read = {' + '.join(parts) or '0'}"
