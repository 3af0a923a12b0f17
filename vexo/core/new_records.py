"""References to records that do not exist yet: another row of the sheet is to make them.

Such a value names the row, ``@row:ROW_ID:ROW``, until a pass has made its record. Rules: ``semantics.md`` 7.7.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from .records import Field, Kind, RecordType

_BEGINS = "@row:"
_SHAPE = rf"^{_BEGINS}(\d+):(\d+)$"


def self_references(record_type: RecordType, names: Sequence[str]) -> list[Field]:
    """Those of these fields that refer to records of the same type."""
    fields = [record_type.field(name) for name in names if record_type.find(name)]
    return [field for field in fields if field.kind == Kind.REFERENCE and field.target == record_type.name]


def new_record(row_id: str, row: str) -> pl.Expr:
    """The values that stand for the records which rows are to make.

    Args:
        row_id, row: columns of the rows' two numbers.
    """
    return pl.concat_str(pl.lit(_BEGINS), pl.col(row_id), pl.lit(":"), pl.col(row))


def is_new(value: pl.Expr) -> pl.Expr:
    """Whether a reference is to such a record."""
    return value.str.starts_with(_BEGINS).fill_null(value=False)


def row_id_of(value: pl.Expr) -> pl.Expr:
    """The ``row_id`` of the row that makes a reference's record; null for other references."""
    return value.str.extract(_SHAPE, 1).cast(pl.UInt32)


def row_of(value: object) -> int | None:
    """The ``row_id`` of the row that makes a reference's record; None for any other value."""
    if not isinstance(value, str) or not value.startswith(_BEGINS):
        return None
    return int(value.removeprefix(_BEGINS).split(":")[0])


def number_of(value: object) -> str:
    """The row that makes a reference's record, by the number that people see."""
    return str(value).rsplit(":", 1)[-1]


def any_new(values: pl.Series) -> bool:
    """Whether any of these references is to such a record."""
    return values.dtype == pl.String and bool(values.str.starts_with(_BEGINS).any())


def shown(values: pl.Series) -> pl.Series:
    """References as people read them: a record that is yet to be made by its row."""
    return values.str.replace(_SHAPE, "new, row ${2}") if any_new(values) else values


def with_made(frame: pl.DataFrame, columns: Sequence[str], made: Mapping[int, str]) -> pl.DataFrame:
    """A table with the IDs of records that were made since in the place of such references.

    Args:
        columns: those that may hold one.
        made: ``row_id`` of a row → the ID of the record that it made.
    """
    pending = [name for name in columns if name in frame.columns and any_new(frame[name])]
    if not pending or not made:
        return frame
    ids = {"row": list(made), "made": list(made.values())}
    table = pl.DataFrame(ids, schema={"row": pl.UInt32, "made": pl.String})
    known = [
        frame.select(row_id_of(pl.col(name)).alias("row"))
        .join(table, on="row", how="left", maintain_order="left")["made"]
        .alias(name)
        for name in pending
    ]
    return frame.with_columns(pl.coalesce(one, pl.col(one.name)).alias(one.name) for one in known)
