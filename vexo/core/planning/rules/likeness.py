"""Rows that make records without a key: those that are like a record that is there, or like a row before them, are
asked about. Rules: ``semantics.md`` 5.8."""

from __future__ import annotations

import polars as pl

from ...keys.likeness import like_records, like_rows, naming_of
from ...keys.near import AT, MOST
from ...keys.record_keys import key_texts
from ...problems import Case
from ...records import IDENTIFIER
from ...sheets.sheet import ROW, ROW_ID
from ..frame import CREATES, EARLIER_RESULT, FieldColumns, beside
from ..inputs import Inputs, Settings

_NAMES, _IDS, _LIKE = "like_names", "like_ids", "like_row"


def likeness_cases(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> tuple[pl.DataFrame, list[Case]]:
    """The rows with what they are like, and what is asked about it.

    Returns:
        the rows with working columns that the cases read.
    """
    naming = naming_of(inputs.record_type, [name for name in settings.carried if name in inputs.now.columns])
    values = [FieldColumns(name).value for name in naming.fields]
    is_new = pl.col(CREATES) & pl.col(EARLIER_RESULT).is_null()
    new = frame.lazy().filter(is_new).select(ROW_ID, ROW, *values).collect()
    if not naming.fields or new.is_empty():
        return frame, []
    rows = new.select(pl.col(FieldColumns(name).value).alias(name) for name in naming.fields)
    pairs = like_records(rows, inputs.now, naming).group_by(AT, maintain_order=True).head(MOST)
    shown = naming.names or naming.fields
    texts = key_texts(inputs.now, shown, inputs.record_type)
    known = inputs.now.select(IDENTIFIER).hstack(
        texts.select(pl.concat_str([pl.col(name) for name in shown], separator=" ", ignore_nulls=True).alias("shown"))
    )
    known = known.with_columns(pl.format("{} (record ID {})", pl.col("shown"), pl.col(IDENTIFIER)).alias("shown"))
    pairs = pairs.join(known, on=IDENTIFIER, how="left", maintain_order="left")
    by_row = pairs.group_by(AT, maintain_order=True).agg(
        pl.col("shown").str.join("\n").alias(_NAMES), pl.col(IDENTIFIER).str.join(",").alias(_IDS)
    )
    numbered = new.select(ROW_ID, ROW).with_row_index(AT)
    first = like_rows(rows, naming)
    beside_rows = (
        numbered.with_columns(numbered[ROW].gather(first).alias(_LIKE)).join(by_row, on=AT, how="left").drop(AT, ROW)
    )
    frame = frame.hstack(beside(frame[ROW_ID], beside_rows))
    label = pl.lit(inputs.record_type.label)
    seen = tuple(pl.col(FieldColumns(name).value).cast(pl.String) for name in naming.fields)
    record, row = pl.col(_IDS), pl.col(_LIKE)
    return frame, [
        Case("like-record", record.is_not_null(), None, (label, pl.col(_NAMES), record), (*seen, record)),
        Case("like-row", row.is_not_null(), None, (label, row.cast(pl.String)), (*seen, row)),
    ]
