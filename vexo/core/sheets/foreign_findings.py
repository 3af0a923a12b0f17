"""What is asked about in a sheet from elsewhere: cells that look like marks, and apostrophes that guard formulas."""

from __future__ import annotations

import polars as pl

from ..values import SPACES, bare
from ..wording import thousands
from .findings import Finding
from .formula_guard import PREFIXED
from .sheet import ROW, Column, SheetProfile
from .totals import as_numbers, with_comma

_MARK = rf"(?i)^{SPACES}*\[(clear|keep|set|add|remove)\]"


def _cells(number: int) -> str:
    return "1 cell" if number == 1 else f"{thousands(number)} cells"


def _counted(cells: pl.DataFrame, profile: SheetProfile, pattern: str) -> list[tuple[str, int, int]]:
    """Header, how many cells, and the row of the first one, of each column that has such cells."""
    findings = []
    for column in profile.columns:
        rows = cells.filter(pl.col(column.name).str.contains(pattern))[ROW]
        if len(rows):
            findings.append((column.header or column.name, len(rows), int(rows[0])))
    return findings


def _among_numbers(cells: pl.DataFrame, column: Column) -> list[Finding]:
    """Cells of a column of numbers that are none, and decimals behind a comma."""
    texts, header = cells[column.name], column.header or column.name
    numbers = as_numbers(texts)
    if numbers is None:
        return []
    findings = []
    others = cells.filter(bare(texts).is_not_null() & numbers.is_null())
    if len(others):
        row, few = int(others[ROW][0]), others[column.name].unique(maintain_order=True).head(3).to_list()
        named = ", ".join(f"\u201c{text}\u201d" for text in few)
        words = f"Row {thousands(row)}, {header}: {named} among numbers."
        if len(others) > 1:
            words = (
                f"{thousands(len(others))} cells of {header!r} from row {thousands(row)} on are not numbers: {named}."
            )
        findings.append(Finding("not-number", words, row, header))
    commas = with_comma(texts)
    if commas:
        findings.append(
            Finding("decimal-comma", f"{thousands(commas)} numbers of {header!r} have a decimal comma.", None, header)
        )
    return findings


def notice(cells: pl.DataFrame, profile: SheetProfile) -> tuple[Finding, ...]:
    """What a person has to know of a sheet that is not known to have gone out from here."""
    findings = []
    if profile.format in ("csv", "tsv"):
        for header, number, row in _counted(cells, profile, PREFIXED):
            words = (
                f"{_cells(number)} of {header!r} from row {thousands(row)} on begin with an apostrophe that "
                "guards a formula."
            )
            findings.append(Finding("prefix", words, row, header))
    for column in profile.columns:
        findings += _among_numbers(cells, column)
    for header, number, row in _counted(cells, profile, _MARK):
        words = f"{_cells(number)} of {header!r} from row {thousands(row)} on look like a mark, such as [clear]."
        findings.append(Finding("marks", words, row, header))
    return tuple(findings)
