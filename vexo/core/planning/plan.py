"""The plan: one row for each row of the sheet, its verdict, all its faults, and what is done to each field.

``frame`` names and explains its columns; each rule is a module of ``rules``.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import field as default

import polars as pl

from ..faults import CODES, Does
from ..guards import GuardSettings
from ..new_records import self_references
from ..operations import Operation
from ..problems import FAULT, Case
from ..records import IDENTIFIER, VERSION, Field, RecordType
from ..sheets.sheet import ROW_ID
from ..values import dtype, same
from .absent import Meant, records_meant
from .decisions import answered, counting, find_faults
from .dependents import with_records_of_rows
from .frame import (
    ALL_CELLS,
    CHANGED_ELSEWHERE,
    CREATES,
    DELETED_BY_PASS,
    EARLIER_RESULT,
    EDITED_SINCE,
    EFFECT,
    FAULTS,
    GONE,
    IN_KEPT_COPY,
    INCLUDED,
    KEPT_VERSION,
    KEY_MATCHES,
    OTHER_PART,
    ROW_SCHEMA,
    VERDICT,
    FieldColumns,
    beside,
    each,
)
from .inputs import Inputs, Settings
from .merge_base import add_merge_base
from .rules import blanks, duplicates, holds, merges, rejects, three_way
from .rules.binding import bind, finds_by, is_rename
from .rules.changed_records import changed_records
from .rules.far_out import hold_far_out
from .rules.lost_keys import near, settle
from .rules.lost_point import hold_lost_points
from .rules.reach import add_reach, reach_cases
from .rules.texts import BETWEEN_FIELDS, what_it_says
from .rules.unique_values import FIRST_STEPS, hold_unique
from .verdicts import Answer, CellAction, Verdict

_WEIGHT = {code: at for at, code in enumerate(CODES)}
_RANK = {Does.ASIDE: 0, Does.REJECTS: 1, Does.HOLDS: 2, Does.SAYS: 3}


def _with_records(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> pl.DataFrame:
    """The application's records beside their rows, what the kept copy knows of them, and which other part has them."""
    current = [pl.col(f.name).cast(dtype(f), strict=False).alias(FieldColumns(f.name).current) for f in fields]
    frame = frame.hstack(beside(frame[IDENTIFIER], inputs.now.select(IDENTIFIER, VERSION, *current)))
    parts = inputs.other_parts.unique(IDENTIFIER, keep="first").rename({"part": OTHER_PART})
    frame = frame.hstack(beside(frame[IDENTIFIER], parts))
    included = ~pl.col(ROW_ID).is_in(inputs.excluded_rows[ROW_ID].implode())
    if inputs.kept is None:
        kept = [pl.lit(value=False).alias(IN_KEPT_COPY), pl.lit(None, pl.String).alias(KEPT_VERSION)]
        return frame.with_columns(*kept, included.alias(INCLUDED))
    versions = inputs.kept.select(
        IDENTIFIER, pl.col(VERSION).alias(KEPT_VERSION), pl.lit(value=True).alias(IN_KEPT_COPY)
    )
    frame = frame.hstack(beside(frame[IDENTIFIER], versions))
    return frame.with_columns(pl.col(IN_KEPT_COPY).fill_null(value=False), included.alias(INCLUDED))


def _edited_after_delete(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> pl.DataFrame:
    """Of rows whose record a pass deleted: whether a cell differs from what the sheet said then."""
    if not frame[DELETED_BY_PASS].any():
        return frame.with_columns(pl.lit(value=False).alias(EDITED_SINCE), pl.lit("").alias(ALL_CELLS))
    current_texts = pl.concat_str([what_it_says(f) for f in fields], separator=BETWEEN_FIELDS) if fields else pl.lit("")
    edited: pl.Expr = pl.lit(value=False)
    temporary: list[str] = []
    for field in fields:
        bases = inputs.ledger.bases.get(field.name)
        if bases is None:
            continue
        columns, known = FieldColumns(field.name), f"known.{field.name}"
        sent = pl.col("sent").cast(dtype(field), strict=False).alias(columns.then)
        then = bases.select(ROW_ID, sent, pl.lit(value=True).alias(known))
        frame = frame.hstack(beside(frame[ROW_ID], then))
        temporary += [columns.then, known]
        edited = edited | (pl.col(known).is_not_null() & ~same(columns.value, columns.then, field))
    return frame.with_columns(edited.alias(EDITED_SINCE), current_texts.alias(ALL_CELLS)).drop(temporary)


def _apply_answers(frame: pl.DataFrame, answers: pl.DataFrame, record_type: RecordType) -> pl.DataFrame:
    """Cells with an answer are written, left, or left out of the row; or written with both edits of a list."""
    for name in answers["field"].unique().to_list():
        column = FieldColumns(name).action
        if column not in frame.columns:
            continue
        chosen = answers.filter(pl.col("field") == name).select(
            ROW_ID,
            pl.when(pl.col("answer") == Answer.FILE)
            .then(CellAction.WRITE)
            .otherwise(CellAction.NOTHING)
            .cast(pl.UInt8)
            .alias("chosen"),
        )
        frame = frame.hstack(beside(frame[ROW_ID], chosen.unique(ROW_ID, keep="last")))
        frame = frame.with_columns(pl.coalesce("chosen", column).alias(column)).drop("chosen")
        both = answers.filter((pl.col("field") == name) & (pl.col("answer") == Answer.MERGE))[ROW_ID]
        if len(both):
            frame = merges.take_merges(frame, record_type.field(name), pl.col(ROW_ID).is_in(both.implode()))
    return frame


def _set_aside(inputs: Inputs, frame: pl.DataFrame, decisions: pl.DataFrame) -> pl.DataFrame:
    """Rows set aside by hand (such an answer binds its row until it is undone, whatever it was asked then), and those
    that are excluded."""
    by_answer = decisions.filter((pl.col("code") == "set-aside") & (pl.col("answer") == Answer.ASIDE))[ROW_ID].unique()
    excluded = inputs.excluded_rows
    by_condition, by_hand = (excluded[ROW_ID].filter(mask) for mask in (~excluded["by_hand"], excluded["by_hand"]))
    cases = [
        Case(code, pl.col(ROW_ID).is_in(rows.implode()))
        for code, rows in (("set-aside", by_answer), ("left-out", by_hand), ("not-meant", by_condition))
        if len(rows)
    ]
    return find_faults(frame, cases)


def _row_cases(frame: pl.DataFrame, inputs: Inputs, settings: Settings, fields: Sequence[Field]) -> list[Case]:
    creates = pl.lit(settings.operation == Operation.CREATE)
    exists = creates & (pl.col(KEY_MATCHES) >= 1) & pl.col(EARLIER_RESULT).is_null()
    other_part = pl.col(OTHER_PART)
    return [
        Case("exists", exists, None),
        Case("other-part", other_part.is_not_null() & ~pl.col(IN_KEPT_COPY), None, (other_part,)),
        *reach_cases(inputs),
        *rejects.key_cases(inputs, settings),
        *rejects.value_cases(frame, inputs, settings, fields),
        *holds.record_cases(inputs, settings),
    ]


def _gathered(faults: pl.DataFrame, guards: GuardSettings) -> pl.DataFrame:
    """All faults of a row in one list, by weight, with what the first one does; null where all only say something."""
    effects = {code: guards.does(code) or Does.SAYS for code in CODES}
    rank = {code: _RANK[does] for code, does in effects.items()}
    effect = {code: does.value if does != Does.SAYS else None for code, does in effects.items()}
    return (
        faults.lazy()
        .with_columns(
            pl.col("code").replace_strict(rank, return_dtype=pl.UInt8).alias("rank"),
            pl.col("code").replace_strict(_WEIGHT, return_dtype=pl.UInt8).alias("weight"),
            pl.col("arguments").list.drop_nulls(),
            pl.col("code").replace_strict(effect, return_dtype=pl.String).alias(EFFECT),
        )
        .sort(ROW_ID, "rank", "weight", maintain_order=True)
        .group_by(ROW_ID, maintain_order=True)
        .agg(pl.struct("code", "field", "arguments").cast(FAULT).alias(FAULTS), pl.col(EFFECT).first())
        .collect()
    )


def _compared(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, decisions: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """All carried fields compared three ways; and the questions about emptied cells."""
    record_type: RecordType = inputs.record_type
    fields = [record_type.field(name) for name in settings.carried]
    frame = add_merge_base(frame, inputs.kept, inputs.ledger, fields, inputs.shown)
    frame, emptied = blanks.resolve_blanks(frame, fields, decisions)
    frame = three_way.propose(frame, fields, record_type.key_fields.union(settings.key))
    frame = three_way.compare(
        frame,
        fields,
        lambda name: finds_by(settings, name),
        lambda name: is_rename(settings, record_type, name),
        lambda name: bool(settings.lane(name).treatments),
    )
    frame = blanks.keep_filled(frame, fields, settings)
    frame = hold_lost_points(blanks.hold_many(frame, fields, settings), settings, fields, record_type.key_fields)
    frame = hold_far_out(frame, inputs, settings, fields, record_type.key_fields.union(settings.key))
    return holds.hold_asked(frame, fields, settings), emptied


@dataclass(frozen=True)
class PlannedRows:
    """A plan of rows.

    Attributes:
        plan: see ``frame``.
        questions: ``row_id``, ``code``, ``field`` and ``digest`` of each open fault, and of each emptied cell, which
            stops no row.
        meant: where records that have no row may be deleted, those that rows may mean beside their own.
        first_steps: rows that are written through another value first (``rules.unique_values.FIRST_STEPS``).
    """

    plan: pl.DataFrame
    questions: pl.DataFrame
    meant: Meant | None = None
    first_steps: pl.DataFrame = default(default_factory=lambda: pl.DataFrame(schema=FIRST_STEPS))


def make_plan(inputs: Inputs, settings: Settings) -> PlannedRows:
    """The plan of any set of rows that is closed under sharing a record."""
    record_type, guards = inputs.record_type, settings.guards
    deleting = settings.operation == Operation.DELETE
    fields = [record_type.field(name) for name in settings.carried]
    checks = [record_type.field(name) for name in settings.checks]
    judged = [] if deleting else fields
    beyond_key = [field for field in judged if field.name not in settings.key]
    decisions = merges.merges_of_lists(counting(inputs.decisions), record_type)
    frame, about_records = bind(inputs, settings, decisions)
    frame, not_found = settle(frame.hstack(near(frame, inputs, settings)), inputs, settings, decisions)
    frame = with_records_of_rows(frame, [field.name for field in self_references(record_type, settings.carried)])
    frame = holds.compare_checks(_with_records(frame, inputs, [*fields, *checks]), checks)
    frame, emptied = _compared(frame, inputs, settings, decisions)
    frame = changed_records(frame, inputs, fields) if deleting else frame
    frame = add_reach(frame, inputs, judged, deleting=deleting)
    _, answers = answered(find_faults(frame, rejects.unreadable_cases(frame, beyond_key)), decisions)
    frame = _apply_answers(frame, answers, record_type)
    conflicts, answers = answered(find_faults(frame, holds.cell_cases(frame, inputs, settings, judged)), decisions)
    frame = _edited_after_delete(_apply_answers(frame, answers, record_type), inputs, judged)
    of_rows, answers = answered(find_faults(frame, _row_cases(frame, inputs, settings, judged)), decisions)
    differing, _ = answered(find_faults(frame, holds.check_cases(checks)), decisions)
    open_ = pl.concat([about_records, not_found, conflicts, _set_aside(inputs, frame, decisions), of_rows, differing])
    frame = _created_again(frame, answers)
    stops = [code for code in CODES if guards.does(code) not in (Does.HOLDS, Does.SAYS, None)]
    stopped = open_[ROW_ID].filter(open_["code"].is_in([*stops, "copied"]))
    frame = duplicates.group_rows(frame, stopped, fields, settings.key)
    open_ = pl.concat([open_, duplicates.faults_of_groups(frame, decisions)])
    first_steps = pl.DataFrame(schema=FIRST_STEPS)
    if not deleting:
        of_values, first_steps = hold_unique(frame, inputs, settings, open_, decisions)
        open_ = pl.concat([open_, of_values])
    open_ = open_.filter(~pl.col("code").is_in([code for code in CODES if guards.does(code) is None]))
    frame = frame.hstack(beside(frame[ROW_ID], _gathered(open_, guards)))
    same_verdict = _verdict(settings, judged) == Verdict.SAME
    plan = frame.select(
        *[name for name in ROW_SCHEMA if name not in (VERDICT, FAULTS, CHANGED_ELSEWHERE)],
        _verdict(settings, judged).alias(VERDICT),
        pl.col(FAULTS).fill_null(pl.lit([], dtype=pl.List(FAULT))),
        (same_verdict & three_way.changed_elsewhere(fields)).alias(CHANGED_ELSEWHERE),
        *[column for columns in each(settings.carried) for column in columns.stored],
        *[name for columns in each(settings.checks) for name in (columns.agrees, columns.current)],
    )
    questions = open_ if deleting else pl.concat([open_, emptied])
    meant = None
    if settings.operation == Operation.MAKE_SAME:
        meant = records_meant(frame, plan[VERDICT], settings.key, record_type)
    return PlannedRows(plan, questions.select(ROW_ID, "code", "field", "digest"), meant, first_steps)


def _created_again(frame: pl.DataFrame, answers: pl.DataFrame) -> pl.DataFrame:
    """Rows whose deleted record a person wants created again are creates."""
    rows = answers[ROW_ID].filter(answers["code"] == "deleted-before")
    if not len(rows):
        return frame
    again = pl.col(ROW_ID).is_in(rows.implode())
    return frame.with_columns(
        (pl.col(CREATES) | (again & (pl.col(KEY_MATCHES) == 0))).alias(CREATES),
        (pl.col(DELETED_BY_PASS) & ~again).alias(DELETED_BY_PASS),
    )


def _verdict(settings: Settings, fields: Sequence[Field]) -> pl.Expr:
    """What the first fault gives; without one, what there is to write."""
    nothing = pl.lit(Verdict.SAME.value)
    if settings.operation == Operation.DELETE:
        away = pl.col(DELETED_BY_PASS) | pl.col(GONE)
        rest: pl.Expr = pl.when(away).then(nothing).otherwise(pl.lit(Verdict.DELETE.value))
    else:
        writes: pl.Expr = pl.lit(value=False)
        if fields:
            writes = pl.any_horizontal([pl.col(FieldColumns(f.name).action) == CellAction.WRITE for f in fields])
        rest = (
            pl.when(pl.col(DELETED_BY_PASS))
            .then(nothing)
            .when(pl.col(CREATES))
            .then(pl.lit(Verdict.CREATE.value))
            .when(writes)
            .then(pl.lit(Verdict.UPDATE.value))
            .otherwise(nothing)
        )
    return pl.when(pl.col(EFFECT).is_not_null()).then(EFFECT).otherwise(rest)
