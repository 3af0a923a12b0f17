"""What was sent, held against what the application holds after: field by field, its own doings apart."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..planning.frame import FieldColumns
from ..planning.verdicts import CellAction
from ..records import IDENTIFIER, VERSION, Field, RecordType
from ..sheets.sheet import ROW, ROW_ID
from ..values import is_empty, same, to_text

DIFFERENCES = {ROW_ID: pl.UInt32(), ROW: pl.UInt32(), "field": pl.String(), "sent": pl.String(), "found": pl.String()}


def differences(written: pl.DataFrame, now: pl.DataFrame, fields: Sequence[Field]) -> tuple[pl.DataFrame, pl.DataFrame]:
    """For rows that are in: each written field that is not as it was sent.

    Args:
        written: frozen rows with the ``@id`` and the ``result`` of each field that the write's own answer gave.
        now: the records read again.

    Returns:
        what the application itself made of the value (it said so in its answer), and what is otherwise since then;
        columns as ``DIFFERENCES``.
    """
    by_application, since = [pl.DataFrame(schema=DIFFERENCES)], [pl.DataFrame(schema=DIFFERENCES)]
    joined = written.join(now.drop(VERSION), on=IDENTIFIER, how="inner", maintain_order="left", suffix=".now")
    for field in fields:
        if field.name not in now.columns:
            continue
        columns = FieldColumns(field.name)
        wrong = joined.filter((pl.col(columns.action) == CellAction.WRITE) & ~same(columns.proposed, field.name, field))
        if wrong.is_empty():
            continue
        table = pl.DataFrame(
            {
                ROW_ID: wrong[ROW_ID],
                ROW: wrong[ROW],
                "field": [field.name] * len(wrong),
                "sent": to_text(field, wrong[columns.proposed]),
                "found": to_text(field, wrong[field.name]),
            },
            schema=DIFFERENCES,
        )
        by_itself = wrong.select(same(columns.result, field.name, field)).to_series()
        by_application.append(table.filter(by_itself))
        since.append(table.filter(~by_itself))
    return pl.concat(by_application), pl.concat(since)


def set_by_itself(
    created: pl.DataFrame, now: pl.DataFrame, record_type: RecordType, carried: Sequence[str]
) -> dict[str, int]:
    """Fields of new records that nobody sent and that are filled: defaults and computed ones, with their rows."""
    joined = created.join(now.drop(VERSION), on=IDENTIFIER, how="inner", suffix=".now")
    counts = {}
    for field in record_type.fields:
        if field.name not in now.columns or field.name == record_type.identifier or joined.is_empty():
            continue
        filled = ~is_empty(field.name, field)
        if field.name in carried:
            filled = filled & (pl.col(FieldColumns(field.name).action) != CellAction.WRITE)
        count = int(joined.select(filled.sum()).item())
        if count:
            counts[field.name] = count
    return counts
