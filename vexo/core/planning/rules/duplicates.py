"""Rows that are about the same record: equal ones but the first are set aside, differing ones are all held."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ...problems import Case
from ...records import IDENTIFIER, Field
from ...sheets.sheet import ROW, ROW_ID
from ...values import count_different
from ..decisions import answered, find_faults
from ..frame import FIRST_ROW, GROUP_ROWS, GROUP_SAYS, VARIANTS, FieldColumns, beside, keyed
from .texts import BETWEEN_FIELDS, what_it_says


def group_rows(frame: pl.DataFrame, stopped: pl.Series, fields: Sequence[Field], key: Sequence[str]) -> pl.DataFrame:
    """Add ``VARIANTS``, ``FIRST_ROW`` and ``GROUP_ROWS`` of each group of rows about one record; null for rows alone.

    Args:
        stopped: numbers of rows that are set aside or rejected already, which share nothing.
    """
    keys = [pl.col(FieldColumns(name).key) for name in key]
    new = pl.concat_str([pl.lit("new"), *[column.cast(pl.String) for column in keys]], separator=BETWEEN_FIELDS)
    texts = [what_it_says(field) for field in fields]
    counts = ~pl.col(ROW_ID).is_in(stopped.implode()) & (pl.col(IDENTIFIER).is_not_null() | keyed(key))
    about = frame.select(pl.when(counts).then(pl.coalesce(IDENTIFIER, new)).alias("about")).to_series()
    if count_different(about) == about.count():
        none = {VARIANTS: pl.get_index_type(), FIRST_ROW: pl.UInt32, GROUP_ROWS: pl.String, GROUP_SAYS: pl.String}
        return frame.with_columns([pl.lit(None, dtype).alias(name) for name, dtype in none.items()])
    shared = frame.lazy().with_columns(about).drop_nulls("about").filter(pl.len().over("about") > 1)
    groups = (
        shared.select(ROW_ID, ROW, "about", pl.concat_str(texts, separator=BETWEEN_FIELDS).alias("says"))
        if texts
        else shared.select(ROW_ID, ROW, "about", pl.lit("").alias("says"))
    )
    beside_rows = groups.select(
        ROW_ID,
        pl.col("says").n_unique().over("about").alias(VARIANTS),
        pl.col(ROW).min().over("about").alias(FIRST_ROW),
        pl.col(ROW).cast(pl.String).sort_by(ROW).str.join(", ").over("about").alias(GROUP_ROWS),
        pl.col("says").sort_by(ROW).str.join(BETWEEN_FIELDS).over("about").alias(GROUP_SAYS),
    ).collect()
    return frame.hstack(beside(frame[ROW_ID], beside_rows))


CASES = (
    Case("twin", (pl.col(VARIANTS) == 1) & (pl.col(ROW) != pl.col(FIRST_ROW)), None, (pl.col(FIRST_ROW),)),
    Case("shared", pl.col(VARIANTS) > 1, None, (pl.col(GROUP_ROWS),), (pl.col(GROUP_ROWS), pl.col(GROUP_SAYS))),
)


def faults_of_groups(frame: pl.DataFrame, decisions: pl.DataFrame) -> pl.DataFrame:
    """The faults of rows about one record. Where a person says of one of them that it counts, it goes on and the others
    are set aside; said of several, all of them are still held."""
    faults = find_faults(frame, CASES)
    _, answers = answered(faults, decisions)
    if answers.is_empty():
        return faults
    group = frame.select(ROW_ID, ROW, GROUP_ROWS)
    counts = answers.select(ROW_ID).unique().join(group, on=ROW_ID, how="inner")
    counts = counts.filter(pl.len().over(GROUP_ROWS) == 1).select(GROUP_ROWS, pl.col(ROW).alias("counts"))
    beside_faults = faults.join(group, on=ROW_ID, how="left", maintain_order="left")
    beside_faults = beside_faults.join(counts, on=GROUP_ROWS, how="left", maintain_order="left")
    chosen, other = pl.col("counts") == pl.col(ROW), pl.col("counts").is_not_null()
    told_faults = beside_faults.filter(~chosen.fill_null(value=False)).select(
        ROW_ID,
        pl.when(other).then(pl.lit("other-counts")).otherwise("code").alias("code"),
        "field",
        pl.when(other).then(pl.concat_list(pl.col("counts").cast(pl.String))).otherwise("arguments").alias("arguments"),
        pl.when(other).then(pl.lit("")).otherwise("digest").alias("digest"),
    )
    return told_faults.select(faults.columns)
