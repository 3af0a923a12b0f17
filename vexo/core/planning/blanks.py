"""Blank cells: what was emptied in the sheet, what a lane's rule makes of it, and what is only filled where empty."""

from __future__ import annotations

import polars as pl

from ..columns.carrying import say_column, values_column
from ..columns.lanes import Lane
from ..columns.marks import BLANK_CLEARS, BLANK_DEFAULT, CLEAR, KEEP, LEAVE, VALUE
from ..faults import Case
from ..records import IDENTIFIER, Field
from ..values import dtype, is_empty, to_text
from .comparing import CREATES, do_column, new_column, old_column
from .deciding import answered, find_faults
from .pairs import has_column, said_column
from .verdicts import Answer, Do


def emptied_column(name: str) -> str:
    """Where it is told which cells had a value when they went out, are blank now, and are left as they are."""
    return f"emptied.{name}"


def filled_column(name: str) -> str:
    """Where it is told which cells are left since the application's field is filled already."""
    return f"filled.{name}"


def ruled_column(name: str) -> str:
    """Where it is told which cells are cleared by their lane's rule."""
    return f"ruled.{name}"


def lay_blanks(frame: pl.DataFrame, field: Field, decisions: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """What the blank cells of one field say, by their rule and by people's answers.

    Args:
        frame: has the pairs of the field, ``@id`` and ``creates``.

    Returns:
        the frame, in which ``say.`` is leave, value, clear or change, with ``emptied.`` and ``ruled.`` beside it; and
        the questions about emptied cells that have no answer. They stop no row.
    """
    name, say = field.name, pl.col(say_column(field.name))

    def text(values: pl.Series) -> pl.Series:
        return to_text(field, values)

    emptied = pl.col(has_column(name)) & (say == LEAVE) & ~is_empty(said_column(name), field)
    emptied = emptied & pl.col(IDENTIFIER).is_not_null()
    kept = pl.col(said_column(name)).map_batches(text, return_dtype=pl.String)
    asked = find_faults(frame, [Case("emptied", emptied, name, seen=(pl.col(IDENTIFIER), kept))])
    open_, answers = answered(asked, decisions)
    cleared = answers.filter(pl.col("answer") == Answer.CLEAR)["row_id"].implode()
    ruled = (say == BLANK_CLEARS) & ~pl.col(CREATES)
    default = (say == BLANK_DEFAULT) & pl.col(CREATES)
    resolved = (
        pl.when(ruled | pl.col("row_id").is_in(cleared))
        .then(CLEAR)
        .when(default)
        .then(VALUE)
        .when(say.is_in([KEEP, BLANK_CLEARS, BLANK_DEFAULT]))
        .then(LEAVE)
        .otherwise(say)
    )
    unused = (say == BLANK_DEFAULT) & ~pl.col(CREATES)
    values = pl.when(unused).then(pl.lit(None, dtype=dtype(field))).otherwise(pl.col(values_column(name)))
    frame = frame.with_columns(
        pl.col("row_id").is_in(open_["row_id"].implode()).alias(emptied_column(name)),
        ruled.alias(ruled_column(name)),
        values.alias(values_column(name)),
        resolved.cast(pl.UInt8).alias(say_column(name)),
    )
    return frame, open_


def keep_filled(frame: pl.DataFrame, field: Field, lane: Lane) -> pl.DataFrame:
    """Where only empty fields are filled, cells of filled ones are left; of a field that is set only when a record is
    made, those of all that are there. ``filled.`` tells which would have done something."""
    do = pl.col(do_column(field.name))
    if not lane.only_empty and not field.create_only:
        return frame.with_columns(pl.lit(value=False).alias(filled_column(field.name)))
    there = pl.col(IDENTIFIER).is_not_null()
    if not field.create_only:
        there = there & ~is_empty(old_column(field.name), field)
    left = there & do.is_in([Do.WRITE, Do.HELD])
    return frame.with_columns(
        left.alias(filled_column(field.name)),
        pl.when(left).then(Do.NOTHING).otherwise(do).cast(pl.UInt8).alias(do_column(field.name)),
    )


def hold_many(frame: pl.DataFrame, field: Field, most: float) -> pl.DataFrame:
    """Hold the cells that a rule clears where they are more than a share of the column's values now; ``many.`` tells
    which those are. Rows that are not ``meant`` do not count."""
    name = field.name
    meant = pl.col("meant")
    writes = (
        meant & pl.col(ruled_column(name)) & (pl.col(do_column(name)) == Do.WRITE) & is_empty(new_column(name), field)
    )
    filled = meant & pl.col(IDENTIFIER).is_not_null() & ~is_empty(old_column(name), field)
    over = writes & (writes.sum() > pl.lit(most) * filled.sum())
    return frame.with_columns(
        over.alias(f"many.{name}"),
        pl.when(over).then(Do.HELD).otherwise(pl.col(do_column(name))).cast(pl.UInt8).alias(do_column(name)),
    )
