"""Rows that are about the same record: equal ones but the first are set aside, differing ones are all held."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..columns.carrying import say_column, values_column, without_column
from ..faults import Case
from ..records import IDENTIFIER, Field, Kind
from ..sheets.sheet import ROW, ROW_ID
from ..values import to_text


def says(field: Field) -> pl.Expr:
    """What a row says of a field, as a text that is equal where rows say the same."""

    def text(values: pl.Series) -> pl.Series:
        return to_text(field, values).fill_null("")

    names = [values_column(field.name), *([without_column(field.name)] if field.kind == Kind.CHOICES else [])]
    values = [pl.col(name).map_batches(text, return_dtype=pl.String) for name in names]
    return pl.concat_str(pl.col(say_column(field.name)).cast(pl.String), *values, separator="=")


def lay_groups(frame: pl.DataFrame, stopped: pl.DataFrame, fields: Sequence[Field], key: Sequence[str]) -> pl.DataFrame:
    """``sayings``, ``first`` and ``rows`` of each group of rows about one record; null for rows alone.

    Args:
        stopped: rows that are set aside or rejected already, which share nothing.
    """
    keyed = pl.all_horizontal([pl.col(f"key.{name}").is_not_null() for name in key])
    live = frame.join(stopped.select(ROW_ID), on=ROW_ID, how="anti", maintain_order="left")
    live = live.filter(pl.col(IDENTIFIER).is_not_null() | keyed)
    new = pl.concat_str([pl.lit("new"), *[pl.col(f"key.{n}").cast(pl.String) for n in key]], separator="\x1f")
    about = live.select(ROW_ID, ROW, pl.coalesce(IDENTIFIER, new).alias("about"))
    shared = about.filter(pl.len().over("about") > 1)
    if shared.is_empty():
        none = [pl.lit(None, pl.UInt32).alias("sayings"), pl.lit(None, pl.UInt32).alias("first")]
        return frame.with_columns(*none, pl.lit(None, pl.String).alias("rows"))
    texts = [says(f) for f in fields]
    said = frame.join(shared.select(ROW_ID), on=ROW_ID, how="semi", maintain_order="left").select(
        ROW_ID, (pl.concat_str(texts, separator="\x1f") if texts else pl.lit("")).alias("says")
    )
    groups = shared.join(said, on=ROW_ID, how="left", maintain_order="left").select(
        ROW_ID,
        pl.col("says").n_unique().over("about").alias("sayings"),
        pl.col(ROW).min().over("about").alias("first"),
        pl.col(ROW).cast(pl.String).sort_by(ROW).str.join(", ").over("about").alias("rows"),
    )
    return frame.join(groups, on=ROW_ID, how="left", maintain_order="left")


CASES = (
    Case("twin", (pl.col("sayings") == 1) & (pl.col(ROW) != pl.col("first")), None, (pl.col("first"),)),
    Case("shared", pl.col("sayings") > 1, None, (pl.col("rows"),), (pl.col("rows"),)),
)
