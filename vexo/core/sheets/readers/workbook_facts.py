"""What a person should know of a workbook beyond its cells: hidden and merged ones, formulas, how numbers are shown."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import polars as pl

from ...wording import thousands
from ..findings import Finding
from ..shape import column_letters

_NAMED = 6
"""Names that a sentence has at most."""
SHOWN = {
    "formulas": ("is a formula; its value", "are formulas; their values", "as last calculated"),
    "percent": ("is shown as percent; its value", "are shown as percent; their values", "as stored: 12 % is 0.12"),
    "currency": ("is shown as money; its value", "are shown as money; their values", "without the currency"),
    "rounded": (
        "is shown with fewer decimals than it has; its value",
        "are shown with fewer decimals than they have; their values",
        "in full",
    ),
}


@dataclass
class Facts:
    """What was seen in a worksheet. Rows and columns are numbers, the first being 1; ``counts`` is, for each kind of
    ``SHOWN``, column → how many cells."""

    hidden_rows: Sequence[int] = ()
    hidden_columns: Sequence[int] = ()
    merged: Sequence[str] = ()
    from_1904: bool = False
    counts: Mapping[str, Mapping[int, int]] = field(default_factory=dict)


def _few(names: Sequence[str]) -> str:
    more = len(names) - _NAMED
    return ", ".join(names[:_NAMED]) + (f" and {thousands(more)} more" if more > 0 else "")


def told(facts: Facts) -> tuple[Finding, ...]:
    """The facts in sentences."""
    findings = []
    if facts.hidden_rows:
        rows = [f"{thousands(row)}" for row in facts.hidden_rows]
        what = (
            f"Row {rows[0]} is hidden" if len(rows) == 1 else f"{thousands(len(rows))} rows are hidden ({_few(rows)})"
        )
        told_ = f"{what} and read like the others."
        findings.append(Finding("hidden-rows", told_, facts.hidden_rows[0]))
    if facts.hidden_columns:
        names = [column_letters(number) for number in facts.hidden_columns]
        what = f"Column {names[0]} is hidden" if len(names) == 1 else f"Columns {_few(names)} are hidden"
        findings.append(Finding("hidden-columns", f"{what} and read like the others.", None, names[0]))
    if facts.merged:
        cells = "Cells are" if len(facts.merged) == 1 else f"{thousands(len(facts.merged))} groups of cells are"
        told_ = f"{cells} merged ({_few(facts.merged)}): the value stands in the first cell, the others are blank."
        first = re.match(r"[A-Z]+(\d+)", facts.merged[0])
        findings.append(Finding("merged", told_, int(first[1]) if first else None))
    if facts.from_1904:
        findings.append(Finding("date-system", "Days are counted from 1904 in this workbook, and are read so."))
    for kind, (one, many, how) in SHOWN.items():
        for column, number in sorted(facts.counts.get(kind, {}).items()):
            letters = column_letters(column)
            what = f"1 cell {one} is read" if number == 1 else f"{thousands(number)} cells {many} are read"
            findings.append(Finding(kind, f"Column {letters}: {what} {how}.", None, letters))
    return tuple(findings)


def counted(columns: pl.Series, some: pl.Series) -> dict[int, int]:
    """How many of some cells each column has."""
    return {int(column): int(count) for column, count in columns.filter(some).value_counts().iter_rows()}
