"""The plan: one row for each row of the sheet, its verdict and reason, and what is done to each field.

Columns: ``row``, ``verdict``, ``reason``, ``field`` (at fault, or null), ``@id``, ``@version``, ``elsewhere`` (the
application changed since, not the person), and for each carried field ``new.``, ``old.``, ``kept.``, ``do.`` and
``emptied.``.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import field as default

import polars as pl

from ..columns.carrying import say_column, values_column, why_column
from ..columns.marks import CLEAR, LEAVE
from ..keys.finding import find_records, row_keys
from ..keys.near import SEPARATOR, near_keys
from ..records import IDENTIFIER, VERSION, Field, RecordType
from ..sheets.sheet import ROW
from ..values import dtype, to_text
from .comparing import CREATES, changed_elsewhere, compare_field, do_column, kept_column, new_column, old_column
from .verdicts import Answer, Do, Operation, Verdict

DECISIONS = {ROW: pl.UInt32(), "field": pl.String(), "answer": pl.String()}


@dataclass(frozen=True)
class Settings:
    """What the rows are for: operation, key fields, and the fields whose values go in."""

    operation: Operation
    key: tuple[str, ...]
    carried: tuple[str, ...]


@dataclass(frozen=True)
class Inputs:
    """The tables a plan is made of. ``now`` and ``kept`` are records with ``@id`` and ``@version``."""

    record_type: RecordType
    carried: pl.DataFrame
    now: pl.DataFrame
    kept: pl.DataFrame | None = None
    decisions: pl.DataFrame = default(default_factory=lambda: pl.DataFrame(schema=DECISIONS))


def _beside(frame: pl.DataFrame, records: pl.DataFrame | None, fields: Sequence[Field], prefix: str) -> pl.DataFrame:
    """Join records by ``@id``, their fields as ``PREFIX.FIELD``; columns that are not there are null."""
    there = [f for f in fields if records is not None and f.name in records.columns]
    if records is not None:
        columns = [pl.col(f.name).alias(f"{prefix}.{f.name}") for f in there]
        version = pl.col(VERSION).alias(f"{prefix}.{VERSION}")
        own = records.select(IDENTIFIER, version, pl.lit(value=True).alias(f"in_{prefix}"), *columns)
        frame = frame.join(own.unique(IDENTIFIER), on=IDENTIFIER, how="left", maintain_order="left")
        frame = frame.with_columns(pl.col(f"in_{prefix}").fill_null(value=False))
    else:
        frame = frame.with_columns(
            pl.lit(value=False).alias(f"in_{prefix}"), pl.lit(None, dtype=pl.String).alias(f"{prefix}.{VERSION}")
        )
    missing = [pl.lit(None, dtype=dtype(f)).alias(f"{prefix}.{f.name}") for f in fields if f not in there]
    return frame.with_columns(missing)


def _known_identifier(frame: pl.DataFrame, record_type: RecordType) -> pl.DataFrame:
    """``own_id``: the record ID that the row itself names, where the sheet has that column."""
    column = values_column(record_type.identifier)
    if column not in frame.columns:
        return frame.with_columns(pl.lit(None, dtype=pl.String).alias("own_id"))
    return frame.with_columns(pl.col(column).cast(pl.String).alias("own_id"))


def _decide(frame: pl.DataFrame, decisions: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    """Lay people's answers over the cells; ``set_aside`` tells the rows that were set aside."""
    rows = decisions.filter(pl.col("field").is_null())
    latest = rows.unique(ROW, keep="last").select(ROW, pl.col("answer").alias("row_answer"))
    frame = frame.join(latest, on=ROW, how="left", maintain_order="left")
    for name in names:
        own = (
            decisions.filter(pl.col("field") == name)
            .unique(ROW, keep="last")
            .select(ROW, pl.col("answer").alias("cell"))
        )
        frame = frame.join(own, on=ROW, how="left", maintain_order="left")
        answer, do = pl.coalesce("cell", "row_answer"), pl.col(do_column(name))
        decided = (
            pl.when((do == Do.HELD) & (answer == Answer.FILE))
            .then(Do.WRITE)
            .when((do == Do.HELD) & (answer == Answer.APPLICATION))
            .then(Do.NOTHING)
            .when((do == Do.BAD) & (answer == Answer.LEAVE_OUT))
            .then(Do.NOTHING)
            .otherwise(do)
        )
        frame = frame.with_columns(decided.cast(pl.UInt8).alias(do_column(name))).drop("cell")
    return frame.with_columns((pl.col("row_answer") == Answer.ASIDE).fill_null(value=False).alias("set_aside"))


def _first(cases: Sequence[tuple[pl.Expr, pl.Expr]], dtype_: pl.DataType) -> pl.Expr:
    chosen: pl.Expr = pl.lit(None, dtype=dtype_)
    for case, value in reversed(cases):
        chosen = pl.when(case).then(value).otherwise(chosen)
    return chosen


def _near(frame: pl.DataFrame, inputs: Inputs, settings: Settings) -> pl.DataFrame:
    """``near``: for keys that were not found, the existing ones nearest to them, as one text."""
    key = settings.key
    if settings.operation != Operation.UPDATE or key == (inputs.record_type.identifier,):
        return frame.with_columns(pl.lit(None, dtype=pl.String).alias("near"))
    fields = [inputs.record_type.field(name) for name in key]
    texts = [to_text(f, frame[f"key.{f.name}"]).alias(f.name) for f in fields]
    missing = pl.DataFrame(texts).select(pl.concat_str(pl.all(), separator=SEPARATOR).alias("missing"))["missing"]
    lost = missing.set((frame["found"] > 0), None)
    if lost.null_count() == len(lost):
        return frame.with_columns(pl.lit(None, dtype=pl.String).alias("near"))
    free = inputs.now.filter(~pl.col(IDENTIFIER).is_in(frame[IDENTIFIER].drop_nulls().implode()))
    others = free.select([to_text(f, free[f.name]).alias(f.name) for f in fields])
    existing = others.select(pl.concat_str(pl.all(), separator=SEPARATOR)).to_series().drop_nulls()
    found = near_keys(lost.drop_nulls().unique().to_list(), existing.to_list())
    named = {text: " or ".join(options) for text, options in found.items()}
    near = (
        lost.replace_strict(named, default=None, return_dtype=pl.String)
        if named
        else lost.set(lost.is_not_null(), None)
    )
    return frame.with_columns(near.alias("near"))


def _rejections(inputs: Inputs, settings: Settings, fields: Sequence[Field]) -> list[tuple[pl.Expr, pl.Expr, pl.Expr]]:
    """Why a row is rejected: (case, reason, field), the first that holds."""
    record_type, creates = inputs.record_type, pl.col(CREATES)
    plural = record_type.label.lower()
    cases: list[tuple[pl.Expr, pl.Expr, pl.Expr]] = []
    for name in settings.key:
        label = record_type.field(name).label
        bad = pl.col(why_column(name)).is_not_null()
        cases.append((bad, pl.lit(f"{label} ") + pl.col(why_column(name)) + ".", pl.lit(name)))
    blank = pl.any_horizontal([pl.col(f"key.{name}").is_null() for name in settings.key])
    labels = " + ".join(record_type.field(name).label for name in settings.key)
    if settings.key == (record_type.identifier,) and settings.operation in (Operation.CREATE, Operation.UPSERT):
        blank = pl.lit(value=False)
    cases.append((blank, pl.lit(f"The key ({labels}) is blank or partly blank; fill it in."), pl.lit(settings.key[0])))
    for field in fields:
        bad = pl.col(do_column(field.name)) == Do.BAD
        cases.append((bad, pl.lit(f"{field.label} ") + pl.col(why_column(field.name)) + ".", pl.lit(field.name)))
        if field.required:
            emptied = (pl.col(say_column(field.name)) == CLEAR) & pl.col(do_column(field.name)).is_in(
                [Do.WRITE, Do.HELD]
            )
            cases.append(
                (emptied, pl.lit(f"{field.label} is required and would be empty; give it a value."), pl.lit(field.name))
            )
            if not field.has_default:
                none = creates & (pl.col(say_column(field.name)) == LEAVE)
                cases.append(
                    (none, pl.lit(f"{field.label} is required for a new {plural}; fill it in."), pl.lit(field.name))
                )
    carried = {field.name for field in fields}
    lacking = [
        f for f in record_type.fields if f.required and not f.has_default and not f.read_only and f.name not in carried
    ]
    for field in lacking:
        cases.append((creates, pl.lit(f"A new {plural} needs {field.label}; add that column."), pl.lit(field.name)))
    several = pl.col("found") > 1
    cases.append(
        (
            several,
            pl.format(f"The key finds {{}} {record_type.plural.lower()}; choose a key that finds one.", "found"),
            pl.lit(settings.key[0]),
        )
    )
    lost = (pl.col("found") == 0) & ~pl.col("gone")
    nothing = pl.lit(f"No {plural} has this key.")
    near = (
        pl.when(pl.col("near").is_not_null())
        .then(pl.format("No " + plural + " has this key. Nearest: {}.", "near"))
        .otherwise(nothing)
    )
    if settings.operation in (Operation.UPDATE, Operation.DELETE):
        cases.append((lost, near, pl.lit(settings.key[0])))
    elif settings.key == (record_type.identifier,):
        unknown = lost & pl.col(f"key.{record_type.identifier}").is_not_null()
        cases.append(
            (unknown, pl.lit("This record ID is not known; leave it blank for a new record."), pl.lit(settings.key[0]))
        )
    return cases


def _holds(inputs: Inputs, settings: Settings, fields: Sequence[Field]) -> list[tuple[pl.Expr, pl.Expr, pl.Expr]]:
    """Why a row is held: (case, reason, field), the first that holds."""
    none = pl.lit(None, dtype=pl.String)
    cases = [
        (
            pl.col("gone") & pl.lit(settings.operation != Operation.DELETE),
            pl.lit("The record was deleted in the application since the sheet went out."),
            none,
        ),
        (
            pl.col("own_id").is_not_null() & pl.col("in_old") & (pl.col("own_id") != pl.col(IDENTIFIER)),
            pl.lit("The record ID and the key point to different records."),
            pl.lit(inputs.record_type.identifier),
        ),
        (
            pl.col("own_id").is_not_null() & pl.col(CREATES),
            pl.format("The key finds no record, but the row has the record ID {}: was the key mistyped?", "own_id"),
            pl.lit(settings.key[-1]),
        ),
    ]
    if settings.operation == Operation.DELETE:
        moved = pl.col("in_kept") & pl.col("in_old") & (pl.col(f"kept.{VERSION}") != pl.col(f"old.{VERSION}"))
        answered = (pl.col("row_answer") == Answer.FILE).fill_null(value=False)
        cases.append((moved & ~answered, pl.lit("The record was changed since the sheet went out."), none))
        return cases
    for field in fields:
        held = pl.col(do_column(field.name)) == Do.HELD
        keyed = field.name in _natural_key(inputs.record_type)
        moved = ~pl.col(old_column(field.name)).eq_missing(pl.col(kept_column(field.name))) & pl.col("in_kept")
        why = pl.when(moved).then(
            pl.lit(f"{field.label} was also changed in the application since the sheet went out.")
        )
        said = (
            f"{field.label} is a key and was edited: is the record to be renamed?"
            if keyed
            else f"{field.label} is held."
        )
        cases.append((held, why.otherwise(pl.lit(said)), pl.lit(field.name)))
    return cases


def _natural_key(record_type: RecordType) -> tuple[str, ...]:
    return record_type.keys[0] if record_type.keys else ()


def _says(field: Field) -> pl.Expr:
    """What a row says of a field, as a text that is equal where rows say the same."""

    def text(values: pl.Series) -> pl.Series:
        return to_text(field, values).fill_null("")

    value = pl.col(values_column(field.name)).map_batches(text, return_dtype=pl.String)
    return pl.concat_str(pl.col(say_column(field.name)).cast(pl.String), pl.lit("="), value)


def _shared(frame: pl.DataFrame, fields: Sequence[Field], key: Sequence[str]) -> pl.DataFrame:
    """Rows that are about the same record: equal ones but the first are set aside, differing ones are all held."""
    live = pl.col("verdict").is_in([Verdict.CREATE, Verdict.UPDATE, Verdict.DELETE, Verdict.SAME, Verdict.HELD])
    keyed = pl.all_horizontal([pl.col(f"key.{name}").is_not_null() for name in key])
    texts = [_says(f) for f in fields]
    about = frame.filter(live & (pl.col(IDENTIFIER).is_not_null() | keyed)).select(
        ROW,
        pl.coalesce(
            IDENTIFIER,
            pl.concat_str([pl.lit("new"), *[pl.col(f"key.{n}").cast(pl.String) for n in key]], separator="\x1f"),
        ).alias("about"),
        pl.concat_str(texts, separator="\x1f").alias("says") if texts else pl.lit("").alias("says"),
    )
    groups = (
        about.with_columns(
            pl.len().over("about").alias("size"),
            pl.col("says").n_unique().over("about").alias("sayings"),
            pl.col(ROW).min().over("about").alias("first"),
            pl.col(ROW).cast(pl.String).sort().str.join(", ").over("about").alias("rows"),
        )
        .filter(pl.col("size") > 1)
        .select(ROW, "sayings", "first", "rows")
    )
    if groups.is_empty():
        return frame
    joined = frame.join(groups, on=ROW, how="left", maintain_order="left")
    twin = (pl.col("sayings") == 1) & (pl.col(ROW) != pl.col("first"))
    clash = pl.col("sayings") > 1
    return joined.with_columns(
        pl.when(twin)
        .then(pl.lit(Verdict.ASIDE.value))
        .when(clash)
        .then(pl.lit(Verdict.HELD.value))
        .otherwise("verdict")
        .alias("verdict"),
        pl.when(twin)
        .then(pl.format("Says the same as row {}.", "first"))
        .when(clash)
        .then(pl.format("Rows {} are about the same record and say different things.", "rows"))
        .otherwise("reason")
        .alias("reason"),
    ).drop("sayings", "first", "rows")


def make_plan(inputs: Inputs, settings: Settings) -> pl.DataFrame:
    """The plan of any set of rows that is closed under sharing a record."""
    record_type = inputs.record_type
    fields = [record_type.field(name) for name in settings.carried]
    names = [f.name for f in fields]
    keys = row_keys(inputs.carried, settings.key, record_type)
    found = find_records(keys, inputs.now, settings.key, record_type)
    frame = inputs.carried.join(keys, on=ROW, how="left", maintain_order="left")
    frame = frame.join(found, on=ROW, how="left", maintain_order="left")
    frame = _known_identifier(frame, record_type)
    ghosts = (
        find_records(keys, inputs.kept, settings.key, record_type)
        if inputs.kept is not None and all(name in inputs.kept.columns for name in settings.key)
        else found.with_columns(pl.lit(0).alias("found"))
    )
    frame = frame.with_columns(((frame["found"] == 0) & (ghosts["found"] > 0)).alias("gone"))
    frame = _beside(frame, inputs.now, fields, "old")
    frame = _beside(frame, inputs.kept, fields, "kept")
    makes = settings.operation in (Operation.CREATE, Operation.UPSERT)
    creates = pl.lit(makes) & (pl.col("found") == 0) & ~pl.col("gone")
    frame = frame.with_columns(creates.alias(CREATES))
    by_identifier = settings.key == (record_type.identifier,)
    for field in fields:
        fixed = by_identifier and field.name in _natural_key(record_type)
        frame = compare_field(frame, field, field.name in settings.key, fixed)
    frame = _near(_decide(frame, inputs.decisions, names), inputs, settings)
    frame = _judge(frame, inputs, settings, fields)
    frame = _shared(frame, fields, settings.key)
    elsewhere = (pl.col("verdict") == Verdict.SAME) & changed_elsewhere(names, {f.name: f for f in fields})
    return frame.select(
        ROW,
        "verdict",
        "reason",
        "field",
        IDENTIFIER,
        pl.col(f"old.{VERSION}").alias(VERSION),
        elsewhere.alias("elsewhere"),
        *[column(name) for name in names for column in (new_column, old_column, kept_column, do_column)],
        *[f"emptied.{name}" for name in names],
    )


def _judge(frame: pl.DataFrame, inputs: Inputs, settings: Settings, fields: Sequence[Field]) -> pl.DataFrame:
    """``verdict``, ``reason`` and ``field`` of each row: the first that holds."""
    none = pl.lit(None, dtype=pl.String)
    deleting = settings.operation == Operation.DELETE
    exists = pl.lit(settings.operation == Operation.CREATE) & (pl.col("found") == 1)
    writes = (
        pl.any_horizontal([pl.col(do_column(f.name)) == Do.WRITE for f in fields]) if fields else pl.lit(value=False)
    )
    aside = [
        (pl.col("set_aside"), pl.lit("Set aside by hand."), none),
        (exists, pl.lit("The record exists already."), none),
    ]
    judged = [f for f in fields if not deleting]
    ladder = [(case, Verdict.ASIDE, reason, field) for case, reason, field in aside]
    ladder += [(case, Verdict.REJECTED, reason, field) for case, reason, field in _rejections(inputs, settings, judged)]
    ladder += [(case, Verdict.HELD, reason, field) for case, reason, field in _holds(inputs, settings, judged)]
    if deleting:
        ladder.append((pl.col("gone"), Verdict.SAME, pl.lit("Already gone."), none))
        ladder.append((pl.lit(value=True), Verdict.DELETE, none, none))
    ladder.append((pl.col(CREATES), Verdict.CREATE, none, none))
    ladder.append((writes, Verdict.UPDATE, none, none))
    ladder.append((pl.lit(value=True), Verdict.SAME, none, none))
    return frame.with_columns(
        _first([(case, pl.lit(verdict.value)) for case, verdict, _, _ in ladder], pl.String()).alias("verdict"),
        _first([(case, reason) for case, _, reason, _ in ladder], pl.String()).alias("reason"),
        _first([(case, field) for case, _, _, field in ladder], pl.String()).alias("field"),
    )
