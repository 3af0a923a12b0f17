"""The plan: one row for each row of the sheet, its verdict, all its faults, and what is done to each field.

Columns: ``row_id``, ``row``, ``verdict``, ``faults`` (those without an answer, in order of weight), ``@id``,
``@version``, ``past`` (what an earlier pass did with the row), ``elsewhere`` (the application changed since, not the
person), and for each carried field ``new.``, ``old.``, ``said.``, ``held.``, ``do.``, ``says.``, ``emptied.`` and
``filled.``; for each check ``agrees.``.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..columns.carrying import say_column, values_column
from ..faults import CODES, FAULT, Case, Does
from ..records import IDENTIFIER, VERSION, Field
from ..sheets.sheet import ROW, ROW_ID
from ..values import dtype, same
from . import holding, rejecting, sharing
from .binding import bind, by_this_key, fixed_key
from .blanks import emptied_column, filled_column, hold_many, keep_filled, lay_blanks
from .comparing import CREATES, changed_elsewhere, compare_field, do_column, new_column, old_column
from .deciding import answered, counting, find_faults
from .inputs import Inputs, Settings
from .pairs import has_column, held_column, lay_pairs, said_column
from .verdicts import Answer, Do, Operation, Verdict

_WEIGHT = {code: at for at, code in enumerate(CODES)}
_RANK = {Does.ASIDE: 0, Does.REJECTS: 1, Does.HOLDS: 2, Does.SAYS: 3}


def _beside(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> pl.DataFrame:
    """The application's records beside their rows: ``@version`` and ``old.`` of each field."""
    columns = [pl.col(f.name).cast(dtype(f), strict=False).alias(old_column(f.name)) for f in fields]
    now = inputs.now.select(IDENTIFIER, VERSION, *columns).unique(IDENTIFIER)
    frame = frame.join(now, on=IDENTIFIER, how="left", maintain_order="left")
    if inputs.kept is None:
        nothing = [pl.lit(value=False).alias("in_kept"), pl.lit(None, pl.String).alias("kept_version")]
        return frame.with_columns(nothing)
    kept = inputs.kept.select(IDENTIFIER, pl.col(VERSION).alias("kept_version"), pl.lit(value=True).alias("in_kept"))
    frame = frame.join(kept.unique(IDENTIFIER), on=IDENTIFIER, how="left", maintain_order="left")
    return frame.with_columns(pl.col("in_kept").fill_null(value=False))


def _undone(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> pl.DataFrame:
    """Rows whose record a pass deleted: ``edited_since`` where a cell differs from what the sheet said then."""
    said_now = pl.concat_str([sharing.says(f) for f in fields], separator="\x1f") if fields else pl.lit("")
    if not frame["undone"].any():
        return frame.with_columns(pl.lit(value=False).alias("edited_since"), pl.lit("").alias("said_now"))
    edited: pl.Expr = pl.lit(value=False)
    for field in fields:
        pairs = inputs.ledger.pairs.get(field.name)
        if pairs is None:
            continue
        then = pairs.select(ROW_ID, pl.col("said").cast(dtype(field), strict=False).alias(f"then.{field.name}"))
        then = then.with_columns(pl.lit(value=True).alias(f"told.{field.name}"))
        frame = frame.join(then, on=ROW_ID, how="left", maintain_order="left")
        differs = ~same(values_column(field.name), f"then.{field.name}", field)
        edited = edited | (pl.col(f"told.{field.name}").is_not_null() & differs)
    return frame.with_columns(edited.alias("edited_since"), said_now.alias("said_now"))


def _lay_answers(frame: pl.DataFrame, answers: pl.DataFrame) -> pl.DataFrame:
    """Cells with an answer are written, left, or left out of the row."""
    for name in answers["field"].unique().to_list():
        column = do_column(name)
        if column not in frame.columns:
            continue
        own = answers.filter(pl.col("field") == name).select(
            ROW_ID,
            pl.when(pl.col("answer") == Answer.FILE)
            .then(Do.WRITE)
            .otherwise(Do.NOTHING)
            .cast(pl.UInt8)
            .alias("chosen"),
        )
        frame = frame.join(own.unique(ROW_ID, keep="last"), on=ROW_ID, how="left", maintain_order="left")
        frame = frame.with_columns(pl.coalesce("chosen", column).alias(column)).drop("chosen")
    return frame


def _aside(inputs: Inputs, frame: pl.DataFrame, decisions: pl.DataFrame) -> pl.DataFrame:
    """Rows set aside by hand (such an answer binds its row until it is undone, whatever it was asked then), and those
    that are not to be carried."""
    by_hand = decisions.filter((pl.col("code") == "set-aside") & (pl.col("answer") == Answer.ASIDE))[ROW_ID].unique()
    unmeant = inputs.unmeant.filter(~pl.col("by_hand"))[ROW_ID].implode()
    one_by_one = inputs.unmeant.filter("by_hand")[ROW_ID].implode()
    cases = [
        Case("set-aside", pl.col(ROW_ID).is_in(by_hand.implode())),
        Case("left-out", pl.col(ROW_ID).is_in(one_by_one)),
        Case("not-meant", pl.col(ROW_ID).is_in(unmeant)),
    ]
    return find_faults(frame, cases)


def _row_faults(frame: pl.DataFrame, inputs: Inputs, settings: Settings, fields: Sequence[Field]) -> list[Case]:
    exists = pl.lit(settings.operation == Operation.CREATE) & (pl.col("found") == 1) & pl.col("past").is_null()
    return [
        Case("exists", exists, None),
        Case("other-part", pl.col("other_part").is_not_null() & ~pl.col("in_kept"), None, (pl.col("other_part"),)),
        *rejecting.key_cases(frame, inputs, settings),
        *rejecting.value_cases(frame, inputs, fields),
        *holding.record_cases(inputs, settings),
    ]


def _gathered(faults: pl.DataFrame) -> pl.DataFrame:
    """All faults of a row in one list, by weight, with the verdict that the first one gives."""
    ranked = faults.with_columns(
        pl.col("code").replace_strict({c: _RANK[d] for c, d in CODES.items()}, return_dtype=pl.UInt8).alias("rank"),
        pl.col("code").replace_strict(_WEIGHT, return_dtype=pl.UInt8).alias("weight"),
        pl.col("arguments").list.drop_nulls(),
        pl.col("code").replace_strict({c: d.value for c, d in CODES.items()}, return_dtype=pl.String).alias("gives"),
    ).sort(ROW_ID, "rank", "weight", maintain_order=True)
    return ranked.group_by(ROW_ID, maintain_order=True).agg(
        pl.struct("code", "field", "arguments").alias("faults"), pl.col("gives").first()
    )


def make_plan(inputs: Inputs, settings: Settings) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The plan of any set of rows that is closed under sharing a record.

    Returns:
        the plan, and the questions it asks: ``row_id``, ``code``, ``field`` and ``digest`` of each open fault, and of
        each emptied cell, which stops no row.
    """
    record_type = inputs.record_type
    deleting = settings.operation == Operation.DELETE
    fields = [record_type.field(name) for name in settings.carried]
    checks = [record_type.field(name) for name in settings.checks]
    judged = [] if deleting else fields
    decisions = counting(inputs.decisions)
    frame, faults = bind(inputs, settings, decisions)
    open_, notes = [faults], [faults.clear()]
    frame = holding.compare_checks(_beside(frame, inputs, [*fields, *checks]), checks).with_columns(
        (~pl.col(ROW_ID).is_in(inputs.unmeant[ROW_ID].implode())).alias("meant")
    )
    others = inputs.others.unique(IDENTIFIER, keep="first").rename({"part": "other_part"})
    frame = frame.join(others, on=IDENTIFIER, how="left", maintain_order="left")
    for field in fields:
        frame = lay_pairs(frame, inputs.kept, inputs.ledger, field, inputs.shown.get(field.name))
        frame, emptied = lay_blanks(frame, field, decisions)
        notes.append(emptied)
        fixed = fixed_key(settings, record_type, field.name)
        frame = compare_field(frame, field, by_this_key(settings, field.name), fixed)
        frame = keep_filled(frame, field, settings.lane(field.name))
        frame = hold_many(frame, field, settings.most_emptied)
    for field in judged:
        cells = rejecting.cell_cases(frame, field.name, pl.col(do_column(field.name)) == Do.BAD)
        _, answers = answered(find_faults(frame, cells), decisions)
        frame = _lay_answers(frame, answers)
    faults, answers = answered(find_faults(frame, holding.cell_cases(frame, inputs, judged)), decisions)
    open_.append(faults)
    frame = _undone(_lay_answers(frame, answers), inputs, judged)
    frame = frame.with_columns(rejecting.near(frame, inputs, settings))
    by_hand = _aside(inputs, frame, decisions)
    faults, answers = answered(find_faults(frame, _row_faults(frame, inputs, settings, judged)), decisions)
    differing, _ = answered(find_faults(frame, holding.check_cases(checks)), decisions)
    frame = _made_anew(frame, answers)
    open_ += [by_hand, faults, differing]
    stopped = pl.concat(open_)
    stopped = stopped.filter(pl.col("code").is_in([c for c, d in CODES.items() if d != Does.HOLDS]))
    frame = sharing.lay_groups(frame, stopped, fields, settings.key)
    open_.append(find_faults(frame, sharing.CASES))
    frame = frame.join(_gathered(pl.concat(open_)), on=ROW_ID, how="left", maintain_order="left")
    elsewhere = (pl.col("verdict") == Verdict.SAME) & changed_elsewhere(fields)
    frame = frame.with_columns(_verdict(settings, judged).alias("verdict")).with_columns(elsewhere.alias("elsewhere"))
    plan = frame.select(
        ROW_ID,
        ROW,
        "verdict",
        pl.col("faults").cast(pl.List(FAULT)).fill_null(pl.lit([], dtype=pl.List(FAULT))),
        IDENTIFIER,
        VERSION,
        "past",
        "elsewhere",
        *[c(name) for name in settings.carried for c in _COLUMNS],
        *[pl.col(say_column(name)).alias(f"says.{name}") for name in settings.carried],
        *[c(name) for name in settings.carried for c in (emptied_column, filled_column)],
        *[holding.checked_column(name) for name in settings.checks],
    )
    return plan, pl.concat([*open_, *([] if deleting else notes)]).select(ROW_ID, "code", "field", "digest")


_COLUMNS = (new_column, old_column, said_column, held_column, has_column, do_column)


def _made_anew(frame: pl.DataFrame, answers: pl.DataFrame) -> pl.DataFrame:
    """Rows whose deleted record a person wants made anew are creates."""
    anew = answers.filter(pl.col("code") == "deleted-before")[ROW_ID]
    again = pl.col(ROW_ID).is_in(anew.implode())
    return frame.with_columns(
        (pl.col(CREATES) | (again & (pl.col("found") == 0))).alias(CREATES), (pl.col("undone") & ~again).alias("undone")
    )


def _verdict(settings: Settings, fields: Sequence[Field]) -> pl.Expr:
    """What the first fault gives; without one, what there is to write."""
    writes: pl.Expr = pl.lit(value=False)
    if fields:
        writes = pl.any_horizontal([pl.col(do_column(f.name)) == Do.WRITE for f in fields])
    same_ = pl.lit(Verdict.SAME.value)
    if settings.operation == Operation.DELETE:
        away = pl.col("undone") | pl.col("gone")
        rest: pl.Expr = pl.when(away).then(same_).otherwise(pl.lit(Verdict.DELETE.value))
    else:
        rest = (
            pl.when(pl.col("undone"))
            .then(same_)
            .when(pl.col(CREATES))
            .then(pl.lit(Verdict.CREATE.value))
            .when(writes)
            .then(pl.lit(Verdict.UPDATE.value))
            .otherwise(same_)
        )
    return pl.when(pl.col("gives").is_not_null()).then("gives").otherwise(rest)
