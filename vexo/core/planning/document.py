"""A plan as the columns of a sheet, to be sent to whoever asked for the change: one row a row, with old and new."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..records import IDENTIFIER, Field, Kind
from ..sheets.sheet import ROW, ROW_ID
from ..sheets.writers.outgoing import OutgoingColumn
from ..values import to_text
from .frame import VERDICT, FieldColumns, beside
from .verdicts import CellAction

_MOST_FIGURES = 15
"""Figures that a spreadsheet keeps of a number: longer ones go out as text."""
REASON = "reason"
"""Of a row's table, beside those of a plan: why it has its verdict, in words."""
RECORD_FOUND = "Record found"
"""The header of the column that says which record a row is about, which its key may say as well."""
_WRITTEN = Field("written", "", Kind.TEXT)


def plan_columns(
    plan: pl.DataFrame, cells: pl.DataFrame, keys: Sequence[tuple[Field, str]], fields: Sequence[Field]
) -> list[OutgoingColumn]:
    """Row, verdict, why, the key as the sheet says it, then old and new of each field of which anything happens.

    Args:
        plan: its rows, with ``REASON``.
        cells: the sheet's cells.
        keys: the key's fields with their columns in the sheet, empty for one that is in none.
        fields: those that the plan carries; of the key's those that it changes.
    """
    cell_texts = beside(plan[ROW_ID], cells)
    columns = [
        _column("Row", plan[ROW].cast(pl.String), number=True, key=True),
        _column("Verdict", plan[VERDICT], key=True),
        _column("Why", plan[REASON]),
        *[_column(f.label, cell_texts[c] if c else to_text(f, plan[FieldColumns(f.name).current])) for f, c in keys],
        _column(RECORD_FOUND, plan[IDENTIFIER]),
    ]
    for field in fields:
        action = plan[FieldColumns(field.name).action]
        if (action != CellAction.NOTHING).any():
            columns += _old_and_new(plan, cell_texts, field)
    return columns


def _old_and_new(plan: pl.DataFrame, said: pl.DataFrame, field: Field) -> list[OutgoingColumn]:
    """What the application holds, and what it would hold or what waits; both only where they differ."""
    columns = FieldColumns(field.name)
    action = plan[columns.action]
    old = to_text(field, plan[columns.current])
    written = action.is_in([CellAction.WRITE, CellAction.HELD])
    new = pl.select(pl.when(written).then(to_text(field, plan[columns.proposed])).otherwise(None)).to_series()
    emptied = written & new.is_null()
    shown = new.set(emptied, "(empty)") if emptied.any() else new
    before = old.set(action == CellAction.NOTHING, None) if (action == CellAction.NOTHING).any() else old
    is_number = field.is_number and not emptied.any()
    return [
        _column(f"{field.label}, now", before, number=field.is_number),
        _column(f"{field.label}, new", shown, number=is_number),
    ]


def _column(header: str, cells: pl.Series, *, number: bool = False, key: bool = False) -> OutgoingColumn:
    short = number and bool(cells.drop_nulls().str.replace_all(r"\D", "").str.len_chars().le(_MOST_FIGURES).all())
    scale = 0
    if short:
        decimals = cells.drop_nulls().str.extract(r"\.(\d+)$").str.len_chars()
        scale = int(str(decimals.max() or 0))
    field = Field(header, header, Kind.DECIMAL, precision=38, scale=scale) if short else _WRITTEN
    return OutgoingColumn(field, header, "", cells, as_number=short, is_key=key)
