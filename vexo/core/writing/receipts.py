"""What became of each row, as a sheet: the receipt, and the rows that are not in."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..planning.frame import FieldColumns
from ..planning.verdicts import CellAction
from ..records import IDENTIFIER, Field, Kind
from ..sheets import SheetProfile
from ..sheets.overlay.versions import REASON_HEADER, ROW_HEADER, STATE_HEADER
from ..sheets.sheet import ROW, ROW_ID
from ..sheets.writers.outgoing import OutgoingColumn
from ..values import to_text

NOT_IN = ("refused", "unclear", "held", "rejected", "waiting")


def text_column(name: str, header: str, cells: pl.Series) -> OutgoingColumn:
    """A column of texts as they are."""
    return OutgoingColumn(Field(name, header, Kind.TEXT), header, "", cells.cast(pl.String), False, False)


def _sheet_columns(cells: pl.DataFrame, profile: SheetProfile) -> list[OutgoingColumn]:
    return [text_column(column.name, column.header, cells[column.name]) for column in profile.columns]


def receipt(
    cells: pl.DataFrame, profile: SheetProfile, plan: pl.DataFrame, states: pl.DataFrame, fields: Sequence[Field]
) -> list[OutgoingColumn]:
    """The sheet's columns in their order, then row, what became of it, reason, record ID, old and new values.

    Args:
        states: ``row_id``, ``state``, ``reason`` and ``@id`` of every row.
    """
    reasons = states.select(ROW_ID, "state", "reason", IDENTIFIER)
    plan_columns = plan.drop(ROW, "faults", IDENTIFIER, "verdict")
    joined = cells.join(reasons, on=ROW_ID, how="left", maintain_order="left").join(
        plan_columns, on=ROW_ID, how="left", maintain_order="left"
    )
    columns = _sheet_columns(joined, profile)
    columns += [
        text_column("row", ROW_HEADER, joined[ROW]),
        text_column("state", STATE_HEADER, joined["state"]),
        text_column("reason", "Reason", joined["reason"]),
        text_column("id", "Record ID in the application", joined[IDENTIFIER]),
    ]
    for field in fields:
        written = (joined[FieldColumns(field.name).action] == CellAction.WRITE) & joined["state"].is_in(
            ["created", "updated"]
        )
        if not written.any():
            continue
        for header, name in (("before", FieldColumns(field.name).current), ("now", FieldColumns(field.name).proposed)):
            text = to_text(field, joined[name]).set(~written.fill_null(value=False), None)
            columns.append(text_column(name, f"{field.label}, {header}", text))
    return columns


def not_in(cells: pl.DataFrame, profile: SheetProfile, states: pl.DataFrame) -> list[OutgoingColumn]:
    """The rows that did not go in, as they came, with their row and the reason in the last columns."""
    reasons = states.select(ROW_ID, "state", "reason")
    joined = cells.join(reasons, on=ROW_ID, how="inner", maintain_order="left").filter(pl.col("state").is_in(NOT_IN))
    return [
        *_sheet_columns(joined, profile),
        text_column("row", ROW_HEADER, joined[ROW]),
        text_column("reason", REASON_HEADER, joined["reason"]),
    ]
