"""What rejects a row or one of its cells."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..columns.carrying import raw_column, say_column, why_column
from ..columns.marks import CLEAR, LEAVE
from ..faults import CELL_CODES, Case, arguments_of, code_of
from ..keys.near import SEPARATOR, near_keys
from ..records import IDENTIFIER, Field
from ..values import to_text
from .comparing import CREATES, do_column
from .inputs import Inputs, Settings
from .verdicts import Do, Operation


def near(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> pl.Series:
    """For keys that were not found, the existing ones nearest to them, as one text."""
    key = settings.key
    none = pl.Series("near", [None], dtype=pl.String).new_from_index(0, len(frame))
    if settings.operation != Operation.UPDATE or key == (inputs.record_type.identifier,):
        return none
    fields = [inputs.record_type.field(name) for name in key]
    texts = [to_text(f, frame[f"key.{f.name}"]).alias(f.name) for f in fields]
    missing = pl.DataFrame(texts).select(pl.concat_str(pl.all(), separator=SEPARATOR).alias("missing"))["missing"]
    lost = missing.set((frame["found"] > 0), None)
    if lost.null_count() == len(lost):
        return none
    free = inputs.now.filter(~pl.col(IDENTIFIER).is_in(frame[IDENTIFIER].drop_nulls().implode()))
    others = free.select([to_text(f, free[f.name]).alias(f.name) for f in fields])
    existing = others.select(pl.concat_str(pl.all(), separator=SEPARATOR)).to_series().drop_nulls()
    named = {
        text: " or ".join(options)
        for text, options in near_keys(lost.drop_nulls().unique().to_list(), existing.to_list()).items()
    }
    if not named:
        return none
    return lost.replace_strict(named, default=None, return_dtype=pl.String).alias("near")


def cell_cases(frame: pl.DataFrame, name: str, bad: pl.Expr) -> list[Case]:
    """One case for each problem that cells of a field have."""
    why = pl.col(why_column(name))
    there = frame.filter(bad).select(code_of(why)).to_series().unique().to_list()
    # Arguments differ in number from row to row, so each case takes as many as its rows can have.
    arguments = tuple(arguments_of(why).list.get(at, null_on_oob=True) for at in range(3))
    return [
        Case(code, bad & (code_of(why) == code), name, arguments, (pl.col(raw_column(name)),))
        for code in CELL_CODES
        if code in there
    ]


def key_cases(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> list[Case]:
    """Keys that cannot be read, are blank, or lead nowhere or too far."""
    record_type = inputs.record_type
    first = settings.key[0]
    cases: list[Case] = []
    for name in settings.key:
        if name not in settings.carried:
            cases += cell_cases(frame, name, pl.col(why_column(name)).is_not_null())
    blank = pl.any_horizontal([pl.col(f"key.{name}").is_null() for name in settings.key])
    unread = pl.any_horizontal([pl.col(why_column(name)).is_not_null() for name in settings.key])
    makes = settings.operation in (Operation.CREATE, Operation.UPSERT)
    bound = pl.col("bound").is_not_null() | pl.col("undone")
    if not (settings.key == (record_type.identifier,) and makes):
        cases.append(Case("key-blank", blank & ~unread & ~bound, first))
    plural = pl.lit(record_type.plural)
    cases.append(Case("finds-several", (pl.col("found") > 1) & ~bound, first, (pl.col("found"), plural)))
    lost = (pl.col("found") == 0) & ~pl.col("gone") & ~bound & ~blank
    if not makes:
        cases.append(Case("not-found", lost, first, (pl.lit(record_type.label), pl.col("near"))))
    elif settings.key == (record_type.identifier,):
        unknown = lost & pl.col(f"key.{record_type.identifier}").is_not_null()
        cases.append(Case("unknown-identifier", unknown, first))
    return cases


def value_cases(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> list[Case]:
    """Cells that cannot be read, and records that would lack what they must have."""
    record_type, creates = inputs.record_type, pl.col(CREATES)
    label = pl.lit(record_type.label)
    cases: list[Case] = []
    for field in fields:
        bad = pl.col(do_column(field.name)) == Do.BAD
        if (frame[do_column(field.name)] == Do.BAD).any():
            cases += cell_cases(frame, field.name, bad)
        if not field.required:
            continue
        writes = pl.col(do_column(field.name)).is_in([Do.WRITE, Do.HELD])
        emptied = writes & (pl.col(say_column(field.name)) == CLEAR)
        cases.append(Case("required-empty", emptied, field.name))
        if not field.has_default:
            none = creates & ((pl.col(say_column(field.name)) == LEAVE) | (pl.col(do_column(field.name)) == Do.NOTHING))
            cases.append(Case("required-new", none, field.name, (label,)))
    carried = {field.name for field in fields}
    for field in record_type.fields:
        if field.required and not field.has_default and not field.read_only and field.name not in carried:
            cases.append(Case("required-column", creates, field.name, (label,)))
    return cases
