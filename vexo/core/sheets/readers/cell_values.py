"""Stored values of workbooks as text, and cells by their place as a table."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from decimal import Decimal
from pathlib import Path

import polars as pl

from ...wording import thousands
from ..findings import Finding
from ..shape import Shaped, column_letters
from ..sheet import ROW, ROW_ID, SheetError

_MOST_CELLS = 60_000_000
"""Cells of a table: what the reader's memory holds."""
_MOST_COLUMNS = 4_096
"""Columns with anything in them: more are a file that is not a table."""
ODD = r"(?i)e|^-?0*(?:\.?\d){16,}"
"""Stored numbers that are not written as people write them: in powers of ten, or with more than 15 figures."""
WHOLE = r"^(-?\d+)\.0+$"
MINUS_ZERO = r"^-0+(?:\.0*)?$"
"""A stored number that is zero all the same."""
ZEROS = r"^(-?\d+)(?:\.0*|(\.\d*[1-9])0+)$"
"""Stored numbers with zeros at their end that say nothing."""


def shortest(text: str) -> str:
    """The shortest decimal that gives the stored number."""
    digits = text.lstrip("-").replace(".", "").lstrip("0")
    if not digits and "e" not in text.lower():
        return "0"
    if "e" in text.lower() or len(digits) > 15:
        try:
            return format(Decimal(repr(float(text))), "f").removesuffix(".0")
        except ValueError:
            return text
    return text


def day_of(text: str, from_1904: bool) -> str:
    """A day number as ISO 8601; times of day only where there is one."""
    try:
        serial = Decimal(text)
    except ArithmeticError:
        return text
    if not 0 <= serial < 2_958_466:
        return text
    if from_1904:
        start = datetime(1904, 1, 1)
    else:
        # Day 60 is a 29 February 1900 that never was; only days after it count from the 30 December before.
        start = datetime(1899, 12, 30) if serial >= 60 else datetime(1899, 12, 31)
    seconds = round(serial * 86_400)
    moment = start + timedelta(seconds=seconds)
    if serial < 1 and not from_1904:
        return moment.time().isoformat()
    if seconds % 86_400 == 0:
        return date(moment.year, moment.month, moment.day).isoformat()
    return moment.isoformat()


def spread(cells: pl.DataFrame) -> pl.DataFrame:
    """Cells by place → one column a letter; only rows and columns that are used."""
    cells = cells.filter(pl.col("text").is_not_null() & (pl.col("text") != ""))
    numbers = cells["column"].unique().sort().to_list()
    rows = cells.select(ROW).unique().sort(ROW)
    if len(numbers) > _MOST_COLUMNS or len(numbers) * len(rows) > _MOST_CELLS:
        raise SheetError(
            f"The sheet spans {thousands(len(rows))} rows and {thousands(len(numbers))} columns, most of them empty. "
            "Delete the stray cells far from the records, or divide the sheet."
        )
    wide: dict[str, pl.Series] = {ROW: rows[ROW]}
    order = pl.DataFrame({ROW: rows[ROW]}).with_row_index("place")
    placed = cells.join(order, on=ROW, how="left", maintain_order="left")
    nothing = pl.Series([None], dtype=pl.String).new_from_index(0, len(rows))
    for (number,), group in placed.group_by(["column"], maintain_order=True):
        letters = column_letters(int(str(number)))
        newest = group.unique("place", keep="last", maintain_order=True)
        for name, source in ((letters, "text"), (f"shown.{letters}", "shown")):
            if source == "text" or newest["shown"].null_count() < len(newest):
                wide[name] = nothing.clone().scatter(newest["place"], newest[source])
    names = [letters for number in numbers for letters in (column_letters(number), f"shown.{column_letters(number)}")]
    return pl.DataFrame({ROW: wide[ROW], **{name: wide[name] for name in names if name in wide}})


def has_table(raw: pl.DataFrame, stamped: bool = False) -> bool:
    """Whether a worksheet holds records: two columns at least, each with a header and a cell below it; in a workbook
    that went out from here a header will do. A note has one column."""
    names = [name for name in raw.columns if name != ROW and not name.startswith("shown.")]
    return sum(raw[name].count() >= (1 if stamped else 2) for name in names) > 1


def has_table_at(columns: Sequence[int], rows: Sequence[int], stamped: bool) -> bool:
    """The same of cells by their places."""
    places = pl.DataFrame({"column": columns, "row": rows}, schema={"column": pl.Int64, "row": pl.Int64})
    return int((places.unique().group_by("column").len()["len"] >= (1 if stamped else 2)).sum()) > 1


def passed_over(name: str, before: Sequence[str]) -> tuple[Finding, ...]:
    """What is told where the table is not in the first worksheet that holds anything."""
    if not before:
        return ()
    which = ", ".join(repr(one) for one in before)
    hold = "hold" if len(before) > 1 else "holds"
    return (Finding("worksheet", f"The table is read from the worksheet {name!r}; {which} before it {hold} none."),)


def aside_of(cells: Path) -> Path:
    """Where the rows that are not data are, beside the cells."""
    return cells.with_suffix(".aside")


def write_shaped(shaped: Shaped, path: Path) -> None:
    """Cells in row groups small enough for a window of rows to be cheap, with the place of each row as its number: most
    sheets keep these, and need not be written again. The other rows beside them."""
    numbered = shaped.cells.select(pl.int_range(pl.len(), dtype=pl.UInt32).alias(ROW_ID), pl.all())
    shaped.aside.write_parquet(aside_of(path), compression="lz4")
    numbered.write_parquet(path, compression="lz4", row_group_size=16_384, statistics=False)
