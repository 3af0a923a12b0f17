"""Rows whose key finds no record, several, or another than their record ID says: what they are near to, and what a
person answers to it."""

from __future__ import annotations

import polars as pl

from ...keys.near import AT, MOST, SEPARATOR, near_records
from ...keys.record_keys import key_texts, normal_key
from ...operations import Operation
from ...problems import Case
from ...records import IDENTIFIER
from ...sheets.sheet import ROW_ID
from ...values import count_different
from ..decisions import answered, find_faults
from ..frame import (
    BOUND,
    BOUND_BY_HAND,
    CREATES,
    DELETED_BY_PASS,
    EARLIER_RECORD,
    GONE,
    IDENTIFIER_CELL,
    KEY_MATCHES,
    KEY_NAMES,
    KEY_RECORDS,
    NEAR_KEYS,
    NEAR_RECORDS,
    FieldColumns,
    beside,
    keyed,
)
from ..inputs import Inputs, Settings
from ..verdicts import Answer
from .likeness import likeness_cases

SETTLED_CODES = (
    "near-key",
    "several",
    "copied",
    "not-found",
    "identifier-differs",
    "identifier-without-key",
    "gone",
    "like-record",
    "like-row",
)
"""Faults of rows that ``settle`` asks about."""


def near(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> pl.DataFrame:
    """``NEAR_KEYS`` and ``NEAR_RECORDS``: for keys that were not found, the existing ones nearest to them; records that
    another row has found are none of them."""
    key = settings.key
    none = {NEAR_KEYS: pl.String(), NEAR_RECORDS: pl.List(pl.String)}
    nothing = pl.DataFrame(schema=none).clear(len(frame))
    if key == (inputs.record_type.identifier,) and inputs.record_type.field(key[0]).read_only:
        return nothing
    if not key or settings.asked.intersection(key):
        return nothing
    lost = frame.select(_is_lost(settings)).to_series()
    if not lost.any():
        return nothing
    own_texts = key_texts(
        frame.select(pl.col(FieldColumns(name).key).alias(name) for name in key), key, inputs.record_type
    )
    wanted = own_texts.filter(lost).unique(maintain_order=True)
    free = inputs.now.filter(~pl.col(IDENTIFIER).is_in(frame[IDENTIFIER].drop_nulls().implode()))
    known = free.select(IDENTIFIER).hstack(key_texts(free, key, inputs.record_type, settings.ignores))
    candidates = near_records(wanted, known, key).group_by(AT, maintain_order=True).head(MOST)
    as_written = free.select(IDENTIFIER).hstack(key_texts(free, key, inputs.record_type))
    shown = as_written.select(IDENTIFIER, pl.concat_str(key, separator=SEPARATOR).alias("shown"))
    candidates = candidates.join(shown.unique(IDENTIFIER), on=IDENTIFIER, how="left", maintain_order="left")
    grouped = candidates.group_by(AT, maintain_order=True).agg(
        pl.col("shown").str.join("\n").alias(NEAR_KEYS), pl.col(IDENTIFIER).alias(NEAR_RECORDS)
    )
    near_of = wanted.with_row_index(AT).join(grouped, on=AT, how="inner").drop(AT)
    beside_rows = own_texts.with_columns(lost.alias("lost")).join(
        near_of, on=list(key), how="left", maintain_order="left"
    )
    return beside_rows.select(pl.when("lost").then(name).alias(name) for name in none)


def _is_lost(settings: Settings) -> pl.Expr:
    """Whether a row's key can be read, and finds no record."""
    bound = pl.col(BOUND).is_not_null() | pl.col(DELETED_BY_PASS) | pl.col(GONE)
    return (pl.col(KEY_MATCHES) == 0) & keyed(settings.key) & ~bound


def settle(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The rows whose key found no record, several, or another than their record ID says, with what a person answers to
    that; and the faults about it that have no answer.

    Args:
        frame: as ``bind`` gives it, with what ``near`` finds.
    """
    if not settings.key:
        return _answered_like(frame, inputs, settings, decisions)
    frame, lost = _answered_near(frame, inputs, settings, decisions)
    frame, several = _answered_several(frame, inputs, settings, decisions)
    lost = pl.concat([lost, several])
    differing, answers = answered(find_faults(frame, _record_cases(inputs, settings)), decisions)
    frame = _bound_to(frame, inputs, answers, Answer.THEN, pl.col(IDENTIFIER_CELL), by_hand=False)
    if settings.operation == Operation.DELETE:
        return frame, pl.concat([lost, differing])
    frame, copied = _answered_copies(frame, inputs, settings, decisions)
    frame, gone = _answered_gone(frame, decisions)
    return frame, pl.concat([lost, differing, copied, gone])


def _answered_like(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows matched by nothing, bound to a record that is like them where a person says so; and those that ask."""
    frame, cases = likeness_cases(frame, inputs, settings)
    faults, answers = answered(find_faults(frame, cases), decisions)
    return _bound_to(frame, inputs, answers, Answer.RECORD, pl.col("argument")), faults


def _answered_near(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows whose key found no record, bound to the one that a person says they are about; and those that still ask."""
    first, label, lost = settings.key[0], pl.lit(inputs.record_type.label), _is_lost(settings)
    ids = pl.col(NEAR_RECORDS).list.join(",")
    keys = tuple(pl.col(FieldColumns(name).key).cast(pl.String) for name in settings.key)
    arguments = (label, pl.col(NEAR_KEYS), ids)
    key_asked = pl.lit(bool(settings.asked.intersection(settings.key)))
    if settings.operation.creates:
        near_key = lost & pl.col(CREATES) & pl.col(NEAR_KEYS).is_not_null()
        cases = [Case("near-key", near_key, first, arguments, (*keys, ids))]
    else:
        cases = [Case("not-found", lost & ~key_asked, first, arguments, (*keys, ids))]
    single = frame[ROW_ID].filter((frame[NEAR_RECORDS].list.len() == 1).fill_null(value=False))
    # Of several that are near none is the nearest, and an answer for many rows leaves such a row as it is.
    counts = decisions.filter((pl.col("answer") != Answer.NEAREST) | pl.col(ROW_ID).is_in(single.implode()))
    faults, answers = answered(find_faults(frame, cases), counts)
    frame = _bound_to(frame, inputs, answers, Answer.RECORD, pl.col("argument"))
    return _bound_to(frame, inputs, answers, Answer.NEAREST, pl.col(NEAR_RECORDS).list.first()), faults


def _answered_several(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows whose key found several records, bound to the one that a person says they are about; and those that still
    ask. A record that is to be deleted is found by its own key, and one that is to be made is there already."""
    asks = settings.operation not in (Operation.CREATE, Operation.DELETE) and not settings.asked.intersection(
        settings.key
    )
    several = (pl.col(KEY_MATCHES) > 1) & pl.col(BOUND).is_null() & ~pl.col(DELETED_BY_PASS) & pl.lit(asks)
    if not frame.select(several.any()).item():
        return frame, find_faults(frame, [])
    frame = frame.with_columns(_names_of_several(frame, inputs).alias(KEY_NAMES))
    ids = pl.col(KEY_RECORDS).list.join(",")
    arguments = (pl.lit(inputs.record_type.plural), pl.col(KEY_NAMES), ids, pl.col(KEY_MATCHES))
    keys = tuple(pl.col(FieldColumns(name).key).cast(pl.String) for name in settings.key)
    case = Case("several", several, settings.key[0], arguments, (*keys, ids))
    faults, answers = answered(find_faults(frame, [case]), decisions)
    return _bound_to(frame, inputs, answers, Answer.RECORD, pl.col("argument")), faults


def _names_of_several(frame: pl.DataFrame, inputs: Inputs) -> pl.Series:
    """Of each row the records that its key finds, where these are several, as people know them: a line each."""
    natural = [name for name in inputs.record_type.natural_key if name in inputs.now.columns]
    texts = key_texts(inputs.now, natural, inputs.record_type) if natural else pl.DataFrame()
    known = [pl.col(name).fill_null("") for name in natural]
    shown = pl.concat_str([*known, pl.format("(record ID {})", pl.col(IDENTIFIER))], separator=" ")
    named = inputs.now.select(IDENTIFIER).hstack(texts).select(IDENTIFIER, shown.alias("shown"))
    lines = frame.select(ROW_ID, pl.col(KEY_RECORDS).alias(IDENTIFIER)).drop_nulls(IDENTIFIER).explode(IDENTIFIER)
    lines = lines.join(named.unique(IDENTIFIER), on=IDENTIFIER, how="left", maintain_order="left")
    by_row = lines.group_by(ROW_ID, maintain_order=True).agg(pl.col("shown").str.join("\n"))
    return beside(frame[ROW_ID], by_row)["shown"]


def _answered_copies(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows that were copied from another row, new records where a person says so; and those that still ask."""
    faults, answers = answered(find_faults(frame, _copied(frame, inputs, settings)), decisions)
    if answers.is_empty():
        return frame, faults
    new = pl.col(ROW_ID).is_in(answers[ROW_ID].filter(answers["answer"] == Answer.NEW).implode())
    frame = frame.with_columns(
        (pl.col(CREATES) | new).alias(CREATES),
        pl.when(~new).then(IDENTIFIER).alias(IDENTIFIER),
        pl.when(~new).then(BOUND).alias(BOUND),
    )
    return frame, faults


def _answered_gone(frame: pl.DataFrame, decisions: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows whose record is gone, created anew where a person says so; and those that still ask."""
    if not frame[GONE].any():
        return frame, find_faults(frame, [])
    # A record whose key another one has now cannot be created anew.
    free = frame[ROW_ID].filter(frame[KEY_MATCHES] == 0)
    counts = decisions.filter((pl.col("code") != "gone") | pl.col(ROW_ID).is_in(free.implode()))
    faults, answers = answered(find_faults(frame, [Case("gone", pl.col(GONE), seen=(pl.col(BOUND),))]), counts)
    anew = pl.col(ROW_ID).is_in(answers[ROW_ID].implode())
    frame = frame.with_columns(
        (pl.col(CREATES) | anew).alias(CREATES),
        (pl.col(GONE) & ~anew).alias(GONE),
        pl.when(~anew).then(BOUND).alias(BOUND),
    )
    return frame, faults


def _copied(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> list[Case]:
    """Rows with the record ID of another row whose key is as it went out, and a key of their own: that row was copied
    to make a new record."""
    natural = inputs.record_type.natural_key
    kept = inputs.kept
    by_identifier = settings.key == (inputs.record_type.identifier,)
    if (
        kept is None
        or not natural
        or not by_identifier
        or not all(n in kept.columns and n in settings.carried for n in natural)
    ):
        return []
    if count_different(frame[IDENTIFIER]) == frame[IDENTIFIER].count():
        return []
    fields = [inputs.record_type.field(name) for name in natural]
    then = beside(frame[IDENTIFIER], kept.select(IDENTIFIER, *[normal_key(f.name, f).alias(f.name) for f in fields]))
    own_keys = frame.select(normal_key(FieldColumns(f.name).value, f).alias(f.name) for f in fields)
    same = pl.DataFrame([own_keys[name].eq_missing(then[name]).alias(name) for name in natural])
    as_sent = same.select(pl.all_horizontal(natural)).to_series()
    first = frame[IDENTIFIER].filter(as_sent & frame[EARLIER_RECORD].is_null())
    copied = ~as_sent & frame[IDENTIFIER].is_in(first.implode()) & frame[EARLIER_RECORD].is_null()
    rows = pl.col(ROW_ID).is_in(frame[ROW_ID].filter(copied.fill_null(value=False)).implode())
    seen = tuple(pl.col(FieldColumns(name).value).cast(pl.String) for name in natural)
    return [Case("copied", rows, natural[-1], (pl.lit(inputs.record_type.label),), (pl.col(IDENTIFIER), *seen))]


def _record_cases(inputs: Inputs, settings: Settings) -> list[Case]:
    """Rows whose record ID and key disagree."""
    identifier, cell = inputs.record_type.identifier, pl.col(IDENTIFIER_CELL)
    other_key = pl.lit(settings.key != (identifier,))
    differs = pl.col(IDENTIFIER).is_not_null() & cell.is_not_null() & (cell != pl.col(IDENTIFIER))
    by_hand = pl.col(BOUND_BY_HAND) & pl.col(BOUND).is_not_null()
    typed = cell.is_not_null() & pl.col(CREATES) & pl.col(NEAR_KEYS).is_null()
    return [
        Case("identifier-differs", differs & other_key & ~by_hand, identifier, (cell,), (cell, pl.col(IDENTIFIER))),
        Case("identifier-without-key", typed & other_key, settings.key[-1], (cell,), (cell,)),
    ]


def _bound_to(
    frame: pl.DataFrame,
    inputs: Inputs,
    answers: pl.DataFrame,
    answer: Answer,
    record: pl.Expr,
    *,
    by_hand: bool = True,
) -> pl.DataFrame:
    """Rows with this answer are about this record; one that is not there any more is gone."""
    if answers.is_empty():
        return frame
    said_records = answers.filter(answers["answer"] == answer).select(
        ROW_ID, "argument", pl.lit(value=True).alias("said")
    )
    if said_records.is_empty():
        return frame
    frame = frame.hstack(beside(frame[ROW_ID], said_records.unique(ROW_ID, keep="last")))
    meant = pl.when(pl.col("said").fill_null(value=False)).then(record)
    record_known = meant.is_in(inputs.now[IDENTIFIER].implode()).fill_null(value=False)
    binds = meant.is_not_null()
    return frame.with_columns(
        pl.when(binds).then(meant).otherwise(BOUND).alias(BOUND),
        pl.when(binds).then(pl.when(record_known).then(meant)).otherwise(IDENTIFIER).alias(IDENTIFIER),
        (pl.col(GONE) | (binds & ~record_known)).alias(GONE),
        (pl.col(CREATES) & ~binds).alias(CREATES),
        (pl.col(BOUND_BY_HAND) | (binds & pl.lit(by_hand))).alias(BOUND_BY_HAND),
    ).drop("argument", "said")
