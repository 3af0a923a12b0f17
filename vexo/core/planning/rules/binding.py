"""Which record each row is about: by the ledger, by the kept copy, by its key; and where these disagree."""

from __future__ import annotations

import polars as pl

from ...columns.carried_columns import CarriedColumns
from ...keys.record_keys import find_records, is_among, key_values, normal_key, several_records
from ...problems import Case
from ...records import IDENTIFIER, RecordType
from ...sheets.sheet import ROW_ID
from ...values import dtype
from ..decisions import answered, find_faults
from ..frame import (
    BOUND,
    BOUND_BY_HAND,
    BOUND_BY_SHEET,
    CREATES,
    DELETED_BY_PASS,
    EARLIER_PASS,
    EARLIER_RECORD,
    EARLIER_RESULT,
    GONE,
    IDENTIFIER_CELL,
    KEY_EDITED,
    KEY_MATCHES,
    KEY_RECORDS,
    RECORD_BY_KEY,
    RECORD_SENT,
    SENT_BY_KEY,
    FieldColumns,
    beside,
    each,
    keyed,
)
from ..inputs import Inputs, Settings
from ..verdicts import Answer


def _identifier_cell(carried: pl.DataFrame, record_type: RecordType) -> pl.Expr:
    """The record ID that the row itself names, where the sheet has that column."""
    column = CarriedColumns(record_type.identifier).value
    if column not in carried.columns:
        return pl.lit(None, dtype=pl.String).alias(IDENTIFIER_CELL)
    return pl.col(column).cast(pl.String).alias(IDENTIFIER_CELL)


def _by_key(inputs: Inputs, settings: Settings) -> pl.DataFrame:
    """The carried rows with their keys, and the records that these find now and found in the kept copy."""
    record_type, carried, kept = inputs.record_type, inputs.carried, inputs.kept
    frame = carried.with_columns(
        *key_values(settings.key, record_type, settings.ignores),
        _identifier_cell(carried, record_type),
        pl.lit(None, pl.String).alias(SENT_BY_KEY),
    )
    if not settings.key:
        return _by_nothing(frame)
    keys = frame.select(FieldColumns(name).key for name in settings.key)
    by_key = find_records(keys, inputs.now, settings.key, record_type, RECORD_BY_KEY, KEY_MATCHES, settings.ignores)
    several = pl.repeat(None, len(keys), dtype=pl.List(pl.String), eager=True)
    if (by_key[KEY_MATCHES] > 1).any():
        several = several_records(keys, inputs.now, settings.key, record_type, settings.ignores)
    frame = frame.hstack(by_key.with_columns(several.alias(KEY_RECORDS)))
    if kept is None:
        return frame.with_columns(pl.lit(None, pl.String).alias(RECORD_SENT))
    if all(name in kept.columns for name in settings.key):
        then = find_records(keys, kept, settings.key, record_type, SENT_BY_KEY, KEY_MATCHES, settings.ignores)
        frame.replace_column(frame.get_column_index(SENT_BY_KEY), then[SENT_BY_KEY])
    known = is_among(frame[IDENTIFIER_CELL], kept[IDENTIFIER])
    return frame.with_columns(pl.when(known).then(IDENTIFIER_CELL).otherwise(SENT_BY_KEY).alias(RECORD_SENT))


def _by_nothing(frame: pl.DataFrame) -> pl.DataFrame:
    """The carried rows, which find no records since they have no key."""
    return frame.with_columns(
        pl.lit(None, pl.String).alias(RECORD_BY_KEY),
        pl.lit(0, pl.get_index_type()).alias(KEY_MATCHES),
        pl.lit(None, pl.List(pl.String)).alias(KEY_RECORDS),
        pl.lit(None, pl.String).alias(RECORD_SENT),
    )


def _with_ledger(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> pl.DataFrame:
    """What a pass did with the row, to which record, and whether its key was edited since then."""
    named = {"state": EARLIER_RESULT, IDENTIFIER: EARLIER_RECORD, "pass": EARLIER_PASS}
    frame = frame.hstack(beside(frame[ROW_ID], inputs.ledger.rows.rename(named)))
    edited: pl.Expr = pl.lit(value=False)
    temporary: list[str] = []
    for columns in map(FieldColumns, settings.key):
        bases = inputs.ledger.bases.get(columns.name)
        if bases is None:
            continue
        field, known = inputs.record_type.field(columns.name), f"known.{columns.name}"
        then = bases.select(
            ROW_ID,
            pl.col("sent").cast(dtype(field), strict=False).alias(columns.then),
            pl.lit(value=True).alias(known),
        )
        frame = frame.hstack(beside(frame[ROW_ID], then))
        temporary += [columns.then, known]
        differs = ~pl.col(columns.key).eq_missing(normal_key(columns.then, field, settings.ignores))
        edited = edited | (pl.col(known).is_not_null() & differs)
    return frame.with_columns(edited.alias(KEY_EDITED)).drop(temporary)


BY_HAND_CODES = ("near-key", "not-found", "several", "like-record")
"""Faults to which a person answers which record the row is about, whatever its key says."""


def _said_by_hand(decisions: pl.DataFrame) -> pl.Series:
    """The rows of which a person has said which record they are, whatever their key says."""
    if decisions.is_empty():
        return decisions[ROW_ID]
    by_hand = pl.col("answer").is_in([Answer.RECORD, Answer.NEAREST]) & pl.col("code").is_in(BY_HAND_CODES)
    copied = (pl.col("code") == "copied") & (pl.col("answer") == Answer.NEW)
    return decisions.filter(by_hand | copied)[ROW_ID].unique()


def _cases(inputs: Inputs, settings: Settings) -> list[Case]:
    """What a person is asked about a row's record, as long as there is no answer."""
    label, bound = pl.lit(inputs.record_type.label), pl.col(BOUND)
    unclear = (pl.col(EARLIER_RESULT) == "unclear").fill_null(value=False)
    kept = bound.is_not_null() & ~unclear
    by_sheet = pl.col(BOUND_BY_SHEET) & ~pl.col(BOUND_BY_HAND)
    renamed = kept & keyed(settings.key) & (pl.col(KEY_MATCHES) == 0) & pl.col(_THERE) & by_sheet
    swapped = kept & (pl.col(KEY_MATCHES) == 1) & (pl.col(RECORD_BY_KEY) != bound) & by_sheet
    return [
        Case("unclear", unclear, arguments=(label,), seen=(pl.col(EARLIER_PASS),)),
        Case("renamed", renamed, arguments=(label,), seen=(bound,)),
        Case("swapped", swapped, arguments=(label, pl.col(RECORD_BY_KEY)), seen=(bound, pl.col(RECORD_BY_KEY))),
    ]


_THERE = "there"
"""Working column of ``bind``: the application has the bound record."""


def _there(records: pl.Series, frame: pl.DataFrame, now: pl.DataFrame) -> pl.Series:
    """Which rows' records the application has. One that the row's key finds is there: only others are looked up."""
    there = (records == frame[RECORD_BY_KEY]).fill_null(value=False)
    others = (~there & records.is_not_null()).arg_true()
    return there.scatter(others, is_among(records.gather(others), now[IDENTIFIER])) if len(others) else there


def bind(inputs: Inputs, settings: Settings, decisions: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The rows with their record (``@id``), and the faults about it that have no answer.

    Returns:
        the carried rows with the working columns about keys and records (``RECORD_BY_KEY`` to ``DELETED_BY_PASS``),
        ``@id`` and ``CREATES``; and the faults.
    """
    frame = _with_ledger(_by_key(inputs, settings), inputs, settings)
    doubted = (pl.col(EARLIER_RESULT) == "unclear") & pl.col(EARLIER_RECORD).is_not_null()
    passed = pl.col(EARLIER_RESULT).is_in(["created", "updated"]) | doubted
    certain = passed.fill_null(value=False)
    unedited = pl.col(SENT_BY_KEY).eq_missing(pl.col(RECORD_SENT)) & pl.col(RECORD_SENT).is_not_null()
    frame = frame.with_columns(
        pl.when(passed).then(EARLIER_RECORD).when(unedited).then(RECORD_SENT).otherwise(None).alias(BOUND),
        (certain & ~pl.col(KEY_EDITED) | ~certain & unedited).alias(BOUND_BY_SHEET),
        pl.col(ROW_ID).is_in(_said_by_hand(decisions).implode()).alias(BOUND_BY_HAND),
    )
    frame = frame.with_columns(_there(frame[BOUND], frame, inputs.now).alias(_THERE))
    faults, answers = answered(find_faults(frame, _cases(inputs, settings)), decisions)
    latest = answers.select(ROW_ID, pl.col("code").alias("asked"), "answer", "argument").unique(ROW_ID, keep="last")
    frame = frame.hstack(beside(frame[ROW_ID], latest))
    named = (pl.col("asked") == "unclear") & (pl.col("answer") == Answer.RECORD)
    now = (pl.col("asked") == "swapped") & (pl.col("answer") == Answer.NOW)
    bound = frame.select(
        pl.when(named).then("argument").when(now).then(RECORD_BY_KEY).otherwise(BOUND).alias(BOUND)
    ).to_series()
    gone = bound.is_not_null() & ~_there(bound, frame, inputs.now)
    # A record that is found by its key is there.
    record = pl.when(bound.is_not_null() & ~gone).then(bound).when(bound.is_null()).then(RECORD_BY_KEY).otherwise(None)
    may_create = settings.operation.creates and not settings.asked.intersection(settings.key)
    read = ~pl.any_horizontal(pl.lit(value=False), *[pl.col(c.problem).is_not_null() for c in each(settings.key)])
    creates = pl.lit(may_create) & (pl.col(KEY_MATCHES) == 0) & bound.is_null() & ~gone & read
    frame = frame.with_columns(
        record.alias(IDENTIFIER),
        bound.alias(BOUND),
        gone.alias(GONE),
        (pl.col(EARLIER_RESULT) == "deleted").fill_null(value=False).alias(DELETED_BY_PASS),
        creates.alias(CREATES),
    )
    return frame.drop("asked", "answer", "argument", _THERE), faults


def finds_by(settings: Settings, name: str) -> pl.Expr:
    """Whether the row found its record by this key field, or a person did for it."""
    finds = pl.col(IDENTIFIER).is_not_null() & (
        (pl.col(RECORD_BY_KEY) == pl.col(IDENTIFIER)).fill_null(value=False) | pl.col(BOUND_BY_HAND)
    )
    return finds.fill_null(value=False) if name in settings.key else pl.lit(value=False)


def is_rename(settings: Settings, record_type: RecordType, name: str) -> pl.Expr:
    """Whether the field is a key of the row's record that did not find it: its edit would rename the record."""
    if name in settings.key:
        return ~finds_by(settings, name) & pl.col(BOUND).is_not_null()
    return pl.lit(settings.key == (record_type.identifier,) and name in record_type.natural_key)
