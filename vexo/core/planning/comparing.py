"""The three-way comparison of one field: what was sent, the file, the application now."""

from __future__ import annotations

import polars as pl

from ..columns.carrying import raw_column, say_column, values_column, why_column, without_column
from ..columns.marks import CHANGE, CLEAR, LEAVE
from ..records import IDENTIFIER, Field, Kind
from ..values import dtype, normal, rounded_to_15, same
from .pairs import has_column, held_column, said_column
from .verdicts import Do

CREATES = "creates"


def new_column(name: str) -> str:
    """Where the sheet's value of a field is."""
    return f"new.{name}"


def old_column(name: str) -> str:
    """Where the application's value is."""
    return f"old.{name}"


def do_column(name: str) -> str:
    """Where it is told what happens to the cell."""
    return f"do.{name}"


def _damaged(frame: pl.DataFrame, field: Field) -> pl.DataFrame:
    """``short``: what was sent, as a spreadsheet with its 15 significant digits would give it back."""
    said = frame[said_column(field.name)]
    if field.kind in (Kind.DECIMAL, Kind.WHOLE, Kind.TEXT) and frame[has_column(field.name)].any():
        return frame.with_columns(rounded_to_15(said).alias("short"))
    return frame.with_columns(pl.Series("short", [None], dtype=dtype(field)).new_from_index(0, len(frame)))


def _changed_lists(frame: pl.DataFrame, field: Field) -> pl.DataFrame:
    """Where cells add and take away items, ``new.`` is the application's list with that done; ``relisted`` tells
    whether it would have changed what the sheet said, so that what was done once is not done again."""
    name, say = field.name, pl.col(say_column(field.name))
    if not (frame[say_column(name)] == CHANGE).any():
        return frame.with_columns(pl.lit(value=False).alias("relisted"))
    order = {choice.value: at for at, choice in enumerate(field.choices)}
    nothing: pl.Expr = pl.lit([], dtype=pl.List(pl.String))

    def done(base: str) -> pl.Expr:
        made = pl.col(base).fill_null(nothing).list.set_union(pl.col(values_column(name)).fill_null(nothing))
        left = made.list.set_difference(pl.col(without_column(name)).fill_null(nothing))
        ranks = pl.element().replace_strict(order, default=len(order), return_dtype=pl.UInt32)
        return left.list.eval(pl.element().sort_by([ranks, pl.element()])) if order else left.list.sort()

    said = done(said_column(name))
    relisted = ~pl.col(has_column(name)) | ~said.eq(pl.col(said_column(name)).fill_null(nothing))
    now = pl.when(say == CHANGE).then(done(old_column(name))).otherwise(pl.col(new_column(name)))
    return frame.with_columns(now.alias(new_column(name)), relisted.alias("relisted"))


def compare_field(frame: pl.DataFrame, field: Field, finds: pl.Expr, fixed: pl.Expr) -> pl.DataFrame:
    """Add ``new.`` and ``do.`` of one field.

    Args:
        frame: has ``val.``, ``say.`` (after ``lay_blanks``), ``why.`` and ``raw.`` of the field, ``old.`` (null for
            rows without a record), ``said.``, ``held.``, ``has.``, ``out.`` and ``creates``.
        finds: the row found its record by this field, so it never writes it.
        fixed: the field is a key by which the row did not find its record; an edit of it is held, not written.
    """
    name = field.name
    new, old, do, say = new_column(name), old_column(name), do_column(name), pl.col(say_column(name))
    said, held, has = said_column(name), held_column(name), pl.col(has_column(name))
    empty = pl.lit(None, dtype=dtype(field))
    frame = frame.with_columns(pl.when(say == CLEAR).then(empty).otherwise(pl.col(values_column(name))).alias(new))
    frame = _changed_lists(frame, field)
    frame = _damaged(frame, field)
    damaged = pl.col("short").is_not_null() & (pl.col(new) == pl.col("short")).fill_null(value=False)
    bad = pl.col(why_column(name)).is_not_null()
    if frame[why_column(name)].null_count() < len(frame):
        texts = frame.select(normal(frame[raw_column(name)]).alias("a"), normal(frame[f"out.{name}"]).alias("b"))
        as_sent = texts.select((pl.col("a") == pl.col("b")).fill_null(value=False)).to_series().alias("as_sent")
    else:
        as_sent = pl.Series("as_sent", [False]).new_from_index(0, len(frame))
    frame = frame.with_columns(as_sent)
    untouched = bad & has & pl.col("as_sent")
    unedited = has & ~bad & (same(new, said, field) | damaged)
    edited = (say != LEAVE) & ~unedited & ~same(new, old, field)
    moved = has & ~same(old, held, field)
    choose = (
        pl.when(untouched)
        .then(Do.NOTHING)
        .when(bad)
        .then(Do.BAD)
        .when(pl.col(IDENTIFIER).is_null() & ~pl.col(CREATES))
        .then(Do.NOTHING)
        .when((say == CHANGE) & ~pl.col(CREATES))
        .then(pl.when(pl.col("relisted") & ~same(new, old, field)).then(Do.WRITE).otherwise(Do.NOTHING))
        .when(pl.col(CREATES))
        .then(pl.when(say == LEAVE).then(Do.NOTHING).otherwise(Do.WRITE))
        .when(finds)
        .then(Do.NOTHING)
        .when(edited & (moved | fixed))
        .then(Do.HELD)
        .when(edited)
        .then(Do.WRITE)
        .otherwise(Do.NOTHING)
    )
    return frame.with_columns(choose.cast(pl.UInt8).alias(do)).drop("short", "as_sent", "relisted")


def changed_elsewhere(fields: list[Field]) -> pl.Expr:
    """Whether the application changed any carried field since the sheet went out."""
    moved = [pl.col(has_column(f.name)) & ~same(old_column(f.name), held_column(f.name), f) for f in fields]
    return pl.col(IDENTIFIER).is_not_null() & pl.any_horizontal(moved) if moved else pl.lit(value=False)
