"""The three-way comparison of one field: kept copy, file, application now."""

from __future__ import annotations

import polars as pl

from ..columns.carrying import say_column, values_column, why_column
from ..columns.marks import CLEAR, LEAVE
from ..records import IDENTIFIER, Field, Kind
from ..values import dtype, rounded_to_15, same
from .verdicts import Do

CREATES = "creates"


def new_column(name: str) -> str:
    """Where the sheet's value of a field is."""
    return f"new.{name}"


def old_column(name: str) -> str:
    """Where the application's value is."""
    return f"old.{name}"


def kept_column(name: str) -> str:
    """Where the value as it was sent out is."""
    return f"kept.{name}"


def do_column(name: str) -> str:
    """Where it is told what happens to the cell."""
    return f"do.{name}"


def _emptied(field: Field) -> pl.Expr:
    return pl.lit(None, dtype=dtype(field))


def compare_field(frame: pl.DataFrame, field: Field, finds: bool, fixed: bool) -> pl.DataFrame:
    """Add ``new.``, ``do.`` and ``emptied.`` of one field.

    Args:
        frame: has ``val.``, ``say.`` and ``why.`` of the field, ``old.`` (null columns for rows without a record),
            ``kept.``, ``in_kept`` and ``creates``.
        finds: rows found their record by this field, so a found row never writes it.
        fixed: the field is a key by which rows did not find their record; an edit of it is held, not written.
    """
    name = field.name
    new, old, kept, do = new_column(name), old_column(name), kept_column(name), do_column(name)
    say = pl.col(say_column(name))
    frame = frame.with_columns(
        pl.when(say == CLEAR).then(_emptied(field)).otherwise(pl.col(values_column(name))).alias(new)
    )
    if field.kind == Kind.DECIMAL and frame["in_kept"].any():
        short = rounded_to_15(frame[kept]).alias("short")
    else:
        short = pl.Series("short", [None], dtype=dtype(field)).new_from_index(0, len(frame))
    frame = frame.with_columns(short)
    damaged = pl.col("short").is_not_null() & (pl.col(new) == pl.col("short")).fill_null(value=False)
    unedited = pl.col("in_kept") & (same(new, kept, field) | damaged)
    edited = (say != LEAVE) & ~unedited & ~same(new, old, field)
    moved = pl.col("in_kept") & ~same(old, kept, field)
    edited = edited & ~pl.lit(finds)
    creates = pl.when(say == LEAVE).then(Do.NOTHING).otherwise(Do.WRITE)
    choose = (
        pl.when(pl.col(why_column(name)).is_not_null())
        .then(Do.BAD)
        .when(pl.col(CREATES))
        .then(creates)
        .when(edited & (moved | pl.lit(fixed)))
        .then(Do.HELD)
        .when(edited)
        .then(Do.WRITE)
        .otherwise(Do.NOTHING)
    )
    emptied = pl.col("in_kept") & (say == LEAVE) & pl.col(kept).is_not_null()
    if field.kind == Kind.CHOICES:
        emptied = emptied & (pl.col(kept).list.len() > 0)
    return frame.with_columns(choose.cast(pl.UInt8).alias(do), emptied.alias(f"emptied.{name}")).drop("short")


def changed_elsewhere(names: list[str], fields: dict[str, Field]) -> pl.Expr:
    """Whether the application changed any carried field since the sheet went out."""
    moved = [~same(old_column(name), kept_column(name), fields[name]) for name in names]
    return (
        pl.col("in_kept") & pl.col(IDENTIFIER).is_not_null() & pl.any_horizontal(moved)
        if moved
        else pl.lit(value=False)
    )
