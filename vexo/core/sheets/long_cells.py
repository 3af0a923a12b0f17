"""Cells that hold more text than a spreadsheet can."""

from __future__ import annotations

import polars as pl

from ..wording import thousands
from .findings import Finding
from .sheet import ROW, Column, SheetError

CELL_CHARACTERS = 32_767
"""Characters that a cell of a spreadsheet holds: programs that write workbooks refuse or cut longer texts."""
MOST_CHARACTERS = 1_000_000
"""Characters of a text beyond which a file is refused: no record holds one, and a few of them fill the memory."""
TOO_LONG = (
    f"The file has a cell with over {thousands(MOST_CHARACTERS)} characters, which no record can hold. Shorten it, "
    "or leave "
    "that column out, and save the file anew."
)


def _most(numbers: pl.Series) -> int:
    most = numbers.max()
    return most if isinstance(most, int) else 0


def long_cells(cells: pl.DataFrame, columns: tuple[Column, ...]) -> tuple[Finding, ...]:
    """What is to be said of each column with texts that are too long for a cell.

    Raises:
        SheetError: for a text that is so long that nothing could be done with it.
    """
    findings = []
    for column in columns:
        texts = cells[column.name]
        if _most(texts.str.len_bytes()) <= CELL_CHARACTERS:
            continue
        lengths = texts.str.len_chars().fill_null(0)
        longest = _most(lengths)
        if longest > MOST_CHARACTERS:
            row = cells[ROW][lengths.arg_max() or 0]
            raise SheetError(f"Row {thousands(row)}, {column.header}: {thousands(longest)} characters. {TOO_LONG}")
        long = lengths > CELL_CHARACTERS
        if long.any():
            rows = cells.filter(long)[ROW]
            which = f"{thousands(len(rows))} cells have" if len(rows) > 1 else "1 cell has"
            says = (
                f"{which} more than {thousands(CELL_CHARACTERS)} characters, up to {thousands(longest)}. No "
                "spreadsheet holds so many: "
                "see that the text is whole."
            )
            findings.append(Finding("long-cell", says, int(rows[0]), column.header))
    return tuple(findings)
