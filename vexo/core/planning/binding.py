"""Which record each row is about: by the ledger, by the kept copy, by its key; and where these disagree."""

from __future__ import annotations

import polars as pl

from ..columns.carrying import values_column
from ..faults import Case
from ..keys.finding import find_records, normal_key, row_keys
from ..records import IDENTIFIER, RecordType
from ..sheets.sheet import ROW_ID
from ..values import dtype
from .comparing import CREATES
from .deciding import answered, find_faults
from .inputs import Inputs, Settings
from .verdicts import Answer, Operation


def own_identifier(frame: pl.DataFrame, record_type: RecordType) -> pl.Expr:
    """The record ID that the row itself names, where the sheet has that column."""
    column = values_column(record_type.identifier)
    if column not in frame.columns:
        return pl.lit(None, dtype=pl.String)
    return pl.col(column).cast(pl.String)


def _found(inputs: Inputs, settings: Settings) -> pl.DataFrame:
    """``found`` (how many records have the row's key) and ``by_key`` (the one), now; ``was`` the one in the kept copy,
    ``as_sent`` where the row's key leads there to the record that the row was."""
    record_type = inputs.record_type
    keys = row_keys(inputs.carried, settings.key, record_type)
    frame = inputs.carried.join(keys, on=ROW_ID, how="left", maintain_order="left")
    found = find_records(keys, inputs.now, settings.key, record_type).rename({IDENTIFIER: "by_key"})
    frame = frame.join(found, on=ROW_ID, how="left", maintain_order="left")
    frame = frame.with_columns(own_identifier(frame, record_type).alias("own_id"))
    kept = inputs.kept
    if kept is None:
        none = pl.lit(None, dtype=pl.String)
        return frame.with_columns(none.alias("was"), none.alias("was_by_key"))
    then = pl.lit(None, dtype=pl.String).alias("was_by_key")
    if all(name in kept.columns for name in settings.key):
        by_key = find_records(keys, kept, settings.key, record_type).select(
            ROW_ID, pl.col(IDENTIFIER).alias("was_by_key")
        )
        frame = frame.join(by_key, on=ROW_ID, how="left", maintain_order="left")
    else:
        frame = frame.with_columns(then)
    known = pl.col("own_id").is_in(kept[IDENTIFIER].implode())
    return frame.with_columns(pl.when(known.fill_null(value=False)).then("own_id").otherwise("was_by_key").alias("was"))


def _ledger(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> pl.DataFrame:
    """``past`` and ``past_id``: what a pass did with the row, and to which record; ``key_edited`` since then."""
    own = inputs.ledger.rows.rename({"state": "past", IDENTIFIER: "past_id", "pass": "past_pass"})
    frame = frame.join(own, on=ROW_ID, how="left", maintain_order="left")
    edited: pl.Expr = pl.lit(value=False)
    for name in settings.key:
        pairs = inputs.ledger.pairs.get(name)
        if pairs is None:
            continue
        field = inputs.record_type.field(name)
        then = pairs.select(
            ROW_ID,
            pl.col("said").cast(dtype(field), strict=False).alias(f"then.{name}"),
            pl.lit(value=True).alias(f"told.{name}"),
        )
        frame = frame.join(then, on=ROW_ID, how="left", maintain_order="left")
        edited = edited | (
            pl.col(f"told.{name}").is_not_null() & ~pl.col(f"key.{name}").eq_missing(normal_key(f"then.{name}", field))
        )
    return frame.with_columns(edited.alias("key_edited"))


def _cases(inputs: Inputs, settings: Settings) -> list[Case]:
    """What a person is asked about a row's record, as long as there is no answer."""
    label = inputs.record_type.label
    unclear = (pl.col("past") == "unclear").fill_null(value=False)
    there = pl.col("bound").is_in(inputs.now[IDENTIFIER].implode())
    kept = pl.col("bound").is_not_null() & ~unclear
    keyed = pl.all_horizontal([pl.col(f"key.{name}").is_not_null() for name in settings.key])
    renamed = kept & keyed & (pl.col("found") == 0) & there & pl.col("by_sheet")
    swapped = kept & (pl.col("found") == 1) & (pl.col("by_key") != pl.col("bound")) & pl.col("by_sheet")
    return [
        Case("unclear", unclear, arguments=(pl.lit(label),), seen=(pl.col("past_pass"),)),
        Case("renamed", renamed, arguments=(pl.lit(label),), seen=(pl.col("bound"),)),
        Case("swapped", swapped, arguments=(pl.lit(label), pl.col("by_key")), seen=(pl.col("bound"), pl.col("by_key"))),
    ]


def bind(inputs: Inputs, settings: Settings, decisions: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The rows with their record (``@id``), and the faults about it that have no answer.

    Adds the columns of ``_found`` and ``_ledger``, ``bound`` (the record that the row was, by ledger or kept copy),
    ``gone`` (that record is no longer there), ``undone`` (its record was deleted by a pass) and ``creates``.
    """
    frame = _ledger(_found(inputs, settings), inputs, settings)
    doubted = (pl.col("past") == "unclear") & pl.col("past_id").is_not_null()
    passed = pl.col("past").is_in(["created", "updated"]) | doubted
    unedited = pl.col("was_by_key").eq_missing(pl.col("was")) & pl.col("was").is_not_null()
    frame = frame.with_columns(
        pl.when(passed).then("past_id").when(unedited).then("was").otherwise(None).alias("bound"),
        (passed.fill_null(value=False) & ~pl.col("key_edited") | ~passed.fill_null(value=False) & unedited).alias(
            "by_sheet"
        ),
    )
    faults, answers = answered(find_faults(frame, _cases(inputs, settings)), decisions)
    latest = answers.select(ROW_ID, pl.col("code").alias("asked"), "answer", "argument").unique(ROW_ID, keep="last")
    frame = frame.join(latest, on=ROW_ID, how="left", maintain_order="left")
    named = (pl.col("asked") == "unclear") & (pl.col("answer") == Answer.RECORD)
    now = (pl.col("asked") == "swapped") & (pl.col("answer") == Answer.NOW)
    record = (
        pl.when(named)
        .then("argument")
        .when(now)
        .then("by_key")
        .when(pl.col("bound").is_not_null())
        .then("bound")
        .otherwise("by_key")
    )
    bound = pl.when(named).then("argument").when(now).then("by_key").otherwise("bound")
    frame = frame.with_columns(record.alias(IDENTIFIER), bound.alias("bound")).drop("asked", "answer", "argument")
    there = pl.col(IDENTIFIER).is_in(inputs.now[IDENTIFIER].implode())
    lost = pl.col("bound").is_not_null() & ~pl.col("bound").is_in(inputs.now[IDENTIFIER].implode())
    frame = frame.with_columns(
        lost.fill_null(value=False).alias("gone"),
        pl.when(there.fill_null(value=False)).then(IDENTIFIER).otherwise(None).alias(IDENTIFIER),
        (pl.col("past") == "deleted").fill_null(value=False).alias("undone"),
    )
    makes = pl.lit(settings.operation in (Operation.CREATE, Operation.UPSERT))
    creates = makes & (pl.col("found") == 0) & pl.col("bound").is_null() & ~pl.col("gone")
    return frame.with_columns(creates.alias(CREATES)), faults


def by_this_key(settings: Settings, name: str) -> pl.Expr:
    """Whether the row found its record by this key field."""
    finds = pl.col(IDENTIFIER).is_not_null() & (pl.col("by_key") == pl.col(IDENTIFIER))
    return finds.fill_null(value=False) if name in settings.key else pl.lit(value=False)


def fixed_key(settings: Settings, record_type: RecordType, name: str) -> pl.Expr:
    """Whether the field is a key of the row's record that did not find it: its edit would be a rename."""
    if name in settings.key:
        return ~by_this_key(settings, name) & pl.col("bound").is_not_null()
    return pl.lit(settings.key == (record_type.identifier,) and name in record_type.natural_key)
