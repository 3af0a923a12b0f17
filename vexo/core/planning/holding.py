"""What holds a row until a person says."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..columns.carrying import raw_column, say_column, values_column, why_column
from ..columns.marks import VALUE
from ..faults import Case
from ..records import IDENTIFIER, VERSION, Field
from ..values import same, to_text
from .comparing import CREATES, do_column, new_column, old_column
from .inputs import Inputs, Settings
from .pairs import has_column, held_column, said_column
from .verdicts import Do, Operation


def _texts(field: Field, *columns: str) -> tuple[pl.Expr, ...]:
    def text(values: pl.Series) -> pl.Series:
        return to_text(field, values)

    return tuple(pl.col(column).map_batches(text, return_dtype=pl.String) for column in columns)


def cell_cases(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> list[Case]:
    """Cells that were edited while the application changed too, edited keys, and columns emptied beyond the limit."""
    natural = inputs.record_type.natural_key
    cases = []
    for field in fields:
        name = field.name
        if not (frame[do_column(name)] == Do.HELD).any():
            continue
        held = pl.col(do_column(name)) == Do.HELD
        seen = (
            pl.col(IDENTIFIER),
            *_texts(field, said_column(name), held_column(name), new_column(name), old_column(name)),
        )
        moved = pl.col(has_column(name)) & ~pl.col(old_column(name)).eq_missing(pl.col(held_column(name)))
        keyed, many = pl.lit(name in natural), pl.col(f"many.{name}")
        cases.append(Case("emptied-many", held & many, name, seen=seen))
        cases.append(Case("both-changed", held & ~many & (moved | ~keyed), name, seen=seen))
        cases.append(Case("key-edited", held & ~many & ~moved & keyed, name, seen=seen))
    return cases


def checked_column(name: str) -> str:
    """Where it is told whether a cell of a check agrees with the record; null where nothing was compared."""
    return f"agrees.{name}"


def compare_checks(frame: pl.DataFrame, checks: Sequence[Field]) -> pl.DataFrame:
    """Whether the cells of checks agree with their records: those that say something, of rows that have a record."""
    for field in checks:
        name = field.name
        compared = pl.col(IDENTIFIER).is_not_null() & ((pl.col(say_column(name)) == VALUE) | _unread(name))
        agrees = same(values_column(name), old_column(name), field) & ~_unread(name)
        frame = frame.with_columns(pl.when(compared).then(agrees).alias(checked_column(name)))
    return frame


def _unread(name: str) -> pl.Expr:
    return pl.col(why_column(name)).is_not_null()


def check_cases(checks: Sequence[Field]) -> list[Case]:
    """Rows whose check says another thing than their record."""
    cases = []
    for field in checks:
        name = field.name
        own, theirs = _texts(field, values_column(name), old_column(name))
        own = pl.coalesce(raw_column(name), own)
        differs = ~pl.col(checked_column(name)).fill_null(value=True)
        cases.append(Case("check-differs", differs, name, (own, theirs), (pl.col(IDENTIFIER), own, theirs)))
    return cases


def record_cases(inputs: Inputs, settings: Settings) -> list[Case]:
    """Records that are gone, rows whose ID and key disagree, rows that may be in already."""
    deleting = settings.operation == Operation.DELETE
    identifier = inputs.record_type.identifier
    fresh = pl.col("row_id") >= inputs.first_new
    away = pl.col(IDENTIFIER).is_not_null() & pl.col("own_id").is_not_null() & (pl.col("own_id") != pl.col(IDENTIFIER))
    typed = pl.col("own_id").is_not_null() & pl.col(CREATES)
    own = settings.key != (identifier,)
    cases = [
        Case("may-be-in", pl.col(CREATES) & fresh & pl.lit(inputs.left_out > 0), seen=(pl.col("row_id"),)),
        Case("identifier-differs", away & pl.lit(own), identifier, (pl.col("own_id"),), (pl.col("own_id"),)),
        Case("identifier-without-key", typed & pl.lit(own), settings.key[-1], (pl.col("own_id"),)),
        Case("deleted-before", pl.col("undone") & pl.col("edited_since"), seen=(pl.col("said_now"),)),
    ]
    if deleting:
        moved = pl.col("in_kept") & (pl.col("kept_version") != pl.col(VERSION))
        cases.append(Case("changed-since", moved, seen=(pl.col(IDENTIFIER), pl.col(VERSION))))
    else:
        cases.append(Case("gone", pl.col("gone"), seen=(pl.col("bound"),)))
    return cases
