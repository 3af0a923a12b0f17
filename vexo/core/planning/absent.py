"""Records in reach that no row of the sheet is about, where it is to be made the same: which of them go, and why the
others stay. They have no row, and are a sum of their own. Rules: ``semantics.md`` 1.3 and 5.4.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl

from ..keys.record_keys import normal_key
from ..records import IDENTIFIER, VERSION, Field, RecordType
from ..sheets.sheet import ROW, ROW_ID
from ..values import dtype, on_unique, to_text
from .decisions import digest
from .frame import (
    BOUND,
    CHANGED,
    CREATES,
    EARLIER_RECORD,
    FAULTS,
    IDENTIFIER_CELL,
    IN_KEPT_COPY,
    KEPT_VERSION,
    KEY_RECORDS,
    NEAR_RECORDS,
    RECORD_BY_KEY,
    RECORD_SENT,
    SENT_BY_KEY,
    VERDICT,
    FieldColumns,
    beside,
    keyed,
)
from .guards import GuardCode
from .inputs import Inputs
from .merge_base import add_merge_base
from .pointed import freed, seen_of, that_stay
from .rules.changed_records import changed_records
from .verdicts import ABSENT_CODE, AbsentVerdict, AbsentWhy, Answer, Verdict

FIRST_ABSENT = 2**31
"""Numbers from here on stand for records that no row is about, where a row's number is asked for."""
BECOMES, REASON, SEEN = "@becomes", "@reason", "@seen"
"""Beside a record's fields: what becomes of it (``AbsentVerdict``), why (``AbsentWhy``, null where it simply goes), and
a digest of what is seen of it."""
NUMBER = "@number"
"""Its number, from ``FIRST_ABSENT`` on."""


SCHEMA = {
    NUMBER: pl.UInt32(),
    IDENTIFIER: pl.String(),
    VERSION: pl.String(),
    BECOMES: pl.String(),
    REASON: pl.String(),
    SEEN: pl.String(),
}


@dataclass(frozen=True)
class Meant:
    """The records that rows of a plan may mean, beside those that they are about.

    Attributes:
        records: IDs of records that a row may be about which waits, or was set aside.
        unknown: rows that wait, of which nothing tells what they are about.
        new: values of the declared keys of rows that make a record, one table a key.
    """

    records: pl.Series
    unknown: int
    new: Mapping[tuple[str, ...], pl.DataFrame]


_NAMES_ONE = (IDENTIFIER, BOUND, IDENTIFIER_CELL, RECORD_BY_KEY, RECORD_SENT, SENT_BY_KEY, EARLIER_RECORD)
_NAMES_SEVERAL = (KEY_RECORDS, NEAR_RECORDS)
"""Columns of the working table that name records."""


def records_meant(frame: pl.DataFrame, verdicts: pl.Series, key: Sequence[str], record_type: RecordType) -> Meant:
    """What rows say of records.

    Args:
        frame: the working table of a plan, with its columns about keys and records.
        verdicts: of its rows.
    """
    waits = verdicts.is_in([Verdict.HELD, Verdict.REJECTED])
    stopped = frame.select(*_NAMES_ONE, *_NAMES_SEVERAL).filter(waits | (verdicts == Verdict.ASIDE))
    singles = [stopped[name].drop_nulls() for name in _NAMES_ONE]
    several = [stopped[name].explode(empty_as_null=False, keep_nulls=False) for name in _NAMES_SEVERAL]
    nameless = pl.all_horizontal([pl.col(name).is_null() for name in (*_NAMES_ONE, *_NAMES_SEVERAL)])
    named_by_key = pl.when(CREATES).then(_has_own_key(frame, record_type)).otherwise(keyed(key))
    unknown = (frame.select((~named_by_key & nameless).alias("unknown"))["unknown"] & waits).sum()
    return Meant(pl.concat([*singles, *several]).unique(), int(unknown), _new_keys(frame, record_type))


def _has_own_key(frame: pl.DataFrame, record_type: RecordType) -> pl.Expr:
    """Whether a row says all fields of a declared key: by these a new record is told from those that are there."""
    whole = [
        pl.all_horizontal([pl.col(FieldColumns(name).value).is_not_null() for name in key])
        for key in record_type.keys
        if all(FieldColumns(name).value in frame.columns for name in key)
    ]
    return pl.any_horizontal(whole) if whole else pl.lit(value=False)


def _new_keys(frame: pl.DataFrame, record_type: RecordType) -> dict[tuple[str, ...], pl.DataFrame]:
    """The values of declared keys that rows write into new records."""
    new = frame.lazy().filter(CREATES)
    keys = [k for k in record_type.keys if all(FieldColumns(name).value in frame.columns for name in k)]
    return {
        names: new.select(normal_key(FieldColumns(name).value, record_type.field(name)).alias(name) for name in names)
        .drop_nulls()
        .collect()
        for names in keys
    }


def plan_absent(
    inputs: Inputs,
    plan: pl.DataFrame,
    meant: Meant,
    records: pl.DataFrame,
    carried: Sequence[Field],
    parts_out: int,
    deny: Collection[Verdict] = (),
) -> pl.DataFrame:
    """What becomes of each record in reach that no row is about, in the order of ``records``.

    Args:
        plan: the rows with their records.
        records: the records in reach, with all fields.
        parts_out: how many parts of the trip are not back.
        deny: what the application's rules have switched off.

    Returns:
        a line a record: ``SCHEMA``, then its fields as they are now.
    """
    absent = records.filter(~pl.col(IDENTIFIER).is_in(plan[IDENTIFIER].drop_nulls().implode()))
    meant = replace(meant, unknown=meant.unknown + _harmed(plan))
    reason, seen = _reasons(absent, inputs, meant, carried, parts_out), _digests(absent, inputs)
    referrers = inputs.referrers
    if referrers is not None:
        seen = _seen_with(seen, seen_of(referrers, absent[IDENTIFIER]))
    if Verdict.DELETE in deny:
        reason = pl.Series([AbsentWhy.NOT_ALLOWED.value], dtype=pl.String).new_from_index(0, len(absent))
    answer = beside(seen, _answers(inputs.decisions))["answer"]
    codes_asked = _ASKED_BACK if inputs.takes_back else _ASKED
    if referrers is not None:
        reason = _with_pointed(reason, answer, absent[IDENTIFIER], referrers, freed(plan))
    becomes, reason = _becoming(reason, answer, codes_asked)
    numbers = pl.int_range(FIRST_ABSENT, FIRST_ABSENT + len(absent), dtype=pl.UInt32, eager=True)
    columns = [numbers.alias(NUMBER), becomes.alias(BECOMES), reason.alias(REASON), seen]
    return absent.with_columns(columns).select(*SCHEMA, *[name for name in absent.columns if name not in SCHEMA])


_ASKED = (AbsentWhy.NOT_SENT,)
_ASKED_BACK = (AbsentWhy.NOT_SENT, AbsentWhy.CHANGED, AbsentWhy.POINTED)
"""Reasons that are asked about; where records are taken back these too."""


def _becoming(reason: pl.Series, answer: pl.Series, asked: Sequence[AbsentWhy]) -> tuple[pl.Series, pl.Series]:
    """What becomes of each record, and why."""
    questions = reason.is_in(asked).fill_null(value=False)
    settled = questions & answer.is_not_null()
    goes = reason.is_null() | (settled & (answer == Answer.DELETE).fill_null(value=False))
    becomes = (
        pl.when(questions & ~settled)
        .then(pl.lit(AbsentVerdict.HELD))
        .when(goes)
        .then(pl.lit(AbsentVerdict.DELETE))
        .otherwise(pl.lit(AbsentVerdict.KEPT))
    )
    why = pl.when(settled).then(pl.lit(AbsentWhy.ANSWERED)).otherwise(reason)
    return pl.select(becomes).to_series(), pl.select(why).to_series()


def _with_pointed(
    reason: pl.Series, answer: pl.Series, identifiers: pl.Series, referrers: pl.DataFrame, freed_: pl.DataFrame
) -> pl.Series:
    """Why each record is not deleted without an answer, with those to which another points that stays; one that is held
    for that holds others in turn."""
    while True:
        becomes, _ = _becoming(reason, answer, _ASKED_BACK)
        staying = that_stay(referrers, identifiers.filter(becomes == AbsentVerdict.DELETE), freed_)
        more = reason.is_null() & identifiers.is_in(staying[IDENTIFIER].implode())
        if not more.any():
            return reason
        reason = pl.select(pl.when(more).then(pl.lit(AbsentWhy.POINTED)).otherwise(reason)).to_series()


def _seen_with(seen: pl.Series, more: pl.Series) -> pl.Series:
    """What is seen of each record with what points to it; as it is where nothing does."""
    both = pl.select(pl.when(more != "").then(pl.concat_str(seen, more, separator="\x1f")).otherwise(seen)).to_series()
    return on_unique(both, digest).alias(SEEN) if (more != "").any() else seen


def _harmed(plan: pl.DataFrame) -> int:
    """How many rows would make a record, and wait since a spreadsheet seems to have harmed them: they may be about one
    that is there."""
    codes = pl.col(FAULTS).list.eval(pl.element().struct.field("code"))
    waits = (pl.col(VERDICT) == Verdict.HELD) & pl.col(IDENTIFIER).is_null()
    return int(plan.select((waits & codes.list.contains("damaged")).sum()).item())


def _reasons(absent: pl.DataFrame, inputs: Inputs, meant: Meant, carried: Sequence[Field], parts_out: int) -> pl.Series:
    """Why each record is not deleted without an answer; null where it goes."""
    ids = pl.col(IDENTIFIER)
    cases: list[tuple[AbsentWhy, pl.Expr | pl.Series]] = [
        (AbsentWhy.PARTS_OUT, pl.lit(parts_out > 0)),
        (AbsentWhy.OTHER_PART, ids.is_in(inputs.other_parts[IDENTIFIER].implode())),
        (AbsentWhy.MAY_BE_MEANT, _is_meant(absent, meant, inputs.record_type)),
        (AbsentWhy.ROW_UNKNOWN, pl.lit(meant.unknown > 0)),
    ]
    if inputs.kept is None:
        cases.append((AbsentWhy.NOT_SENT, pl.lit(value=True)))
    else:
        cases.append((AbsentWhy.MADE_SINCE, ~ids.is_in(inputs.kept[IDENTIFIER].implode())))
        cases.append((AbsentWhy.CHANGED, _changed(absent, inputs, carried)))
    return absent.select(pl.coalesce([pl.when(mask).then(pl.lit(why)) for why, mask in cases])).to_series()


def _answers(decisions: pl.DataFrame) -> pl.DataFrame:
    """The newest answer to each question about such a record, by what was seen of it."""
    given = decisions.filter(pl.col("code") == ABSENT_CODE).select(pl.col("digest").alias(SEEN), "answer")
    newest = given.unique(SEEN, keep="last", maintain_order=True)
    return newest.filter(pl.col("answer").is_in([Answer.DELETE, Answer.KEEP]))


def _is_meant(absent: pl.DataFrame, meant: Meant, record_type: RecordType) -> pl.Series:
    """Whether a row that waits may be about each record, or one that makes a record would take its key."""
    is_meant = absent[IDENTIFIER].is_in(meant.records.implode())
    for names, new in meant.new.items():
        keys = absent.select(normal_key(name, record_type.field(name)).alias(name) for name in names)
        taken = new.unique().with_columns(pl.lit(value=True).alias("@taken"))
        is_taken = keys.join(taken, on=list(names), how="left", maintain_order="left")["@taken"]
        is_meant = is_meant | is_taken.fill_null(value=False)
    return is_meant


def _changed(absent: pl.DataFrame, inputs: Inputs, carried: Sequence[Field]) -> pl.Series:
    """Whether each record was changed since it went out, or since a pass of the trip last had it."""
    assert inputs.kept is not None
    rows = inputs.ledger.rows.unique(IDENTIFIER, keep="last").select(IDENTIFIER, ROW_ID)
    numbers = beside(absent[IDENTIFIER], rows)[ROW_ID]
    numbers = numbers.fill_null(pl.int_range(FIRST_ABSENT, FIRST_ABSENT + len(absent), dtype=pl.UInt32, eager=True))
    versions = inputs.kept.select(IDENTIFIER, pl.col(VERSION).alias(KEPT_VERSION))
    known = [field for field in carried if field.name in absent.columns]
    current = [
        absent[field.name].cast(dtype(field), strict=False).alias(FieldColumns(field.name).current) for field in known
    ]
    frame = pl.DataFrame([numbers.alias(ROW_ID), absent[IDENTIFIER], absent[VERSION], *current])
    frame = frame.hstack(beside(frame[IDENTIFIER], versions)).with_columns(
        pl.col(IDENTIFIER).is_in(inputs.kept[IDENTIFIER].implode()).alias(IN_KEPT_COPY),
        *[pl.lit(None, pl.String).alias(FieldColumns(field.name).problem) for field in known],
    )
    frame = add_merge_base(frame, inputs.kept, inputs.ledger, known, inputs.shown)
    return changed_records(frame, replace(inputs, now=absent), known)[CHANGED].is_not_null()


def _digests(absent: pl.DataFrame, inputs: Inputs) -> pl.Series:
    """What is seen of each record, shortened: an answer counts as long as it stays."""
    texts = [absent[IDENTIFIER]]
    for field in inputs.record_type.fields:
        if field.name in absent.columns and not field.read_only:
            texts.append(to_text(field, absent[field.name]).fill_null("").alias(field.name))
    seen = pl.DataFrame(texts).select(pl.concat_str(pl.all(), separator="\x1f")).to_series()
    return on_unique(seen, digest).alias(SEEN)


def questions_of(absent: pl.DataFrame) -> pl.DataFrame:
    """The open questions about such records, as a plan's: ``row_id``, ``code``, ``field``, ``digest``."""
    return _as_questions(absent, AbsentVerdict.HELD, ABSENT_CODE)


def deletions_seen(absent: pl.DataFrame) -> pl.DataFrame:
    """The records that go as a person sees them who says that they are to: ``row_id``, ``code``, ``field``,
    ``digest``."""
    return _as_questions(absent, AbsentVerdict.DELETE, GuardCode.MAKES_SAME)


def are_confirmed(absent: pl.DataFrame, decisions: pl.DataFrame) -> bool:
    """Whether a person has said of each record that goes that it is to go, as it is."""
    confirmed = decisions.filter(pl.col("code") == GuardCode.MAKES_SAME)["digest"]
    return bool(deletions_seen(absent)["digest"].is_in(confirmed.implode()).all())


def _as_questions(absent: pl.DataFrame, becomes: AbsentVerdict, code: str) -> pl.DataFrame:
    return absent.filter(pl.col(BECOMES) == becomes).select(
        pl.col(NUMBER).alias(ROW_ID),
        pl.lit(str(code)).alias("code"),
        pl.lit("").alias("field"),
        pl.col(SEEN).alias("digest"),
    )


def deletions(absent: pl.DataFrame) -> pl.DataFrame:
    """The records that go, as rows of a plan that have only a record: ``row_id`` (their number), ``row`` (0), verdict,
    ID and version."""
    return absent.filter(pl.col(BECOMES) == AbsentVerdict.DELETE).select(
        pl.col(NUMBER).alias(ROW_ID),
        pl.lit(0, pl.UInt32).alias(ROW),
        pl.lit(Verdict.DELETE.value).alias(VERDICT),
        IDENTIFIER,
        VERSION,
    )
