"""Edits that lie over a sheet's cells: each kind of edit → the cells that it changes, and cells with edits laid over.

Edits are tables with ``row_id``, ``column``, ``base`` (the text of the file under it) and ``text`` (what stands there
now). An edit counts where the file still says what it said when it was made.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ...errors import MendableError
from ...patterns import PatternError, replace_all, replacement
from ...wording import thousands
from ..sheet import ROW_ID

EDITS = {ROW_ID: pl.UInt32(), "column": pl.String(), "base": pl.String(), "text": pl.String()}
CHANGES = {ROW_ID: pl.UInt32(), "column": pl.String(), "text": pl.String()}
_ON = [ROW_ID, "column"]


class EditError(MendableError):
    """An edit that cannot be made; the message says why and what to do."""

    code = "edit"


@dataclass(frozen=True)
class Replacement:
    """What is looked for in cells, and what comes in its place.

    Attributes:
        pattern: ``find`` is a regular expression, and ``put`` may name its groups as ``$1``.
        whole: the whole cell has to be like that.
        capitals: capitals have to be the same.
    """

    find: str
    put: str
    pattern: bool = False
    whole: bool = False
    capitals: bool = True

    def replaced(self, texts: pl.Series) -> pl.Series:
        """The replaced texts of a column; cells that hold nothing like it stay. Raises EditError."""
        if not self.find:
            raise EditError("Say what is to be found. To fill blank cells, fill down or edit them.")
        find = self.find if self.pattern else re.escape(self.find)
        wanted = f"{'' if self.capitals else '(?i)'}{f'^(?:{find})$' if self.whole else find}"
        try:
            if self.pattern:
                return replace_all(texts, wanted, replacement(find, self.put))
        except PatternError as error:
            raise EditError(str(error)) from error
        return texts.str.replace_all(wanted, self.put.replace("$", "$$"))


def _long(cells: pl.DataFrame, column: str) -> pl.DataFrame:
    return cells.select(ROW_ID, pl.lit(column).alias("column"), pl.col(column).alias("base"))


def lay_edits(cells: pl.DataFrame, edits: pl.DataFrame) -> pl.DataFrame:
    """Cells with edits laid over them; of several edits of a cell the last one counts.

    Args:
        edits: oldest first.
    """
    return put(cells, counting(cells, edits))


def put(cells: pl.DataFrame, edits: pl.DataFrame) -> pl.DataFrame:
    """Cells with other texts in some places, whatever stood there; one text a cell."""
    for column, column_edits in edits.partition_by("column", as_dict=True).items():
        name = str(column[0])
        laid = cells.select(ROW_ID).join(
            column_edits.select(ROW_ID, "text", pl.lit(value=True).alias("edited")),
            on=ROW_ID,
            how="left",
            maintain_order="left",
        )
        edited = laid["edited"].fill_null(value=False)
        cells = cells.with_columns(
            pl.select(pl.when(edited).then(laid["text"]).otherwise(cells[name])).to_series().alias(name)
        )
        if f"shown.{name}" in cells.columns:
            cells = cells.with_columns(cells[f"shown.{name}"].set(edited, None))
    return cells


def counting(cells: pl.DataFrame, edits: pl.DataFrame) -> pl.DataFrame:
    """The edits that count over these cells, one a cell."""
    parts = [pl.DataFrame(schema=EDITS)]
    for column, column_edits in edits.partition_by("column", as_dict=True).items():
        name = str(column[0])
        if name not in cells.columns:
            continue
        now = cells.select(ROW_ID, pl.col(name).alias("now"))
        held = column_edits.join(now, on=ROW_ID, how="inner", maintain_order="left")
        held = held.filter(pl.col("base").eq_missing(pl.col("now")))
        parts.append(held.unique(_ON, keep="last", maintain_order=True).select(list(EDITS)))
    return pl.concat(parts)


def as_seen(cells: pl.DataFrame) -> pl.DataFrame:
    """Cells as people see and edit them: in the shown form where a number format pads a column with zeros."""
    padded = [name for name in cells.columns if f"shown.{name}" in cells.columns]
    return cells.with_columns([pl.coalesce(f"shown.{name}", name).alias(name) for name in padded])


def as_edits(changes: pl.DataFrame, base: pl.DataFrame, now: pl.DataFrame) -> pl.DataFrame:
    """Changes as edits: with the file's text, and ``before``, what stood there; those that change nothing are left out.

    Args:
        changes: see ``CHANGES``; blank texts are none.
        base: the file's cells, and ``now`` the cells with earlier edits, ``as_seen``.
    """
    parts = [pl.DataFrame(schema={**EDITS, "before": pl.String()})]
    wanted = changes.with_columns(pl.col("text").replace("", None)).unique(_ON, keep="last", maintain_order=True)
    base, now = (cells.filter(pl.col(ROW_ID).is_in(wanted[ROW_ID].implode())) for cells in (base, now))
    for column, column_edits in wanted.partition_by("column", as_dict=True).items():
        name = str(column[0])
        if name not in base.columns:
            raise EditError(f"The sheet has no column {name}.")
        joined = column_edits.join(_long(base, name), on=_ON, how="left", maintain_order="left").join(
            now.select(ROW_ID, pl.col(name).alias("before")), on=ROW_ID, how="left", maintain_order="left"
        )
        parts.append(joined.filter(~pl.col("text").eq_missing(pl.col("before"))).select(*EDITS, "before"))
    return pl.concat(parts)


def one_cell(row_id: int, column: str, text: str | None) -> pl.DataFrame:
    """One cell, typed anew."""
    return pl.DataFrame([(row_id, column, text)], schema=CHANGES, orient="row")


def fill_down(cells: pl.DataFrame, column: str, row_ids: Sequence[int]) -> pl.DataFrame:
    """The first row's cell, put into all the others.

    Args:
        row_ids: the rows, in the order in which they stand.
    """
    if len(row_ids) < 2:
        raise EditError("There is no row below to fill.")
    first = cells.filter(pl.col(ROW_ID) == row_ids[0])
    if first.is_empty():
        raise EditError("The row to fill from is not there.")
    rows = pl.Series(ROW_ID, row_ids[1:], dtype=pl.UInt32)
    return pl.DataFrame([rows]).select(
        ROW_ID, pl.lit(column).alias("column"), pl.lit(first[column][0], pl.String).alias("text")
    )


def replace(cells: pl.DataFrame, columns: Sequence[str], what: Replacement) -> pl.DataFrame:
    """Cells of these rows and columns with something found in them replaced. Raises EditError."""
    parts = [pl.DataFrame(schema=CHANGES)]
    for column in columns:
        texts = what.replaced(cells[column]).alias("text")
        new_cells = cells.select(ROW_ID, pl.lit(column).alias("column"), texts)
        parts.append(new_cells.filter(~new_cells["text"].eq_missing(cells[column])))
    return pl.concat(parts)


def paste(row_ids: Sequence[int], columns: Sequence[str], block: Sequence[Sequence[str]]) -> pl.DataFrame:
    """A block of texts, put in from a cell on: as many rows and columns as there are from there.

    Args:
        row_ids: the rows from the cell down, in the order in which they stand; ``columns`` those from it to the right.

    Raises:
        EditError: where the block reaches beyond the sheet.
    """
    width = max((len(line) for line in block), default=0)
    if len(block) > len(row_ids) or width > len(columns):
        raise EditError(
            f"The block is {thousands(len(block))} rows by {thousands(width)} columns, and from this cell on the "
            "sheet has "
            f"{thousands(len(row_ids))} by {thousands(len(columns))}. Paste it further up or to the left, or as a "
            "sheet of its own."
        )
    lines = [
        (row_id, column, text)
        for row_id, line in zip(row_ids, block, strict=False)
        for column, text in zip(columns, line, strict=False)
    ]
    return pl.DataFrame(lines, schema=CHANGES, orient="row")
