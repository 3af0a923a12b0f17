"""Records that a trip made and takes back, and that others point to since: they wait where those others stay.

Rules: ``semantics.md`` 9.2.
"""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from ..problems import Case
from ..records import IDENTIFIER
from ..sheets.sheet import ROW_ID
from ..wording import thousands
from .decisions import answered, counting, find_faults
from .frame import VERDICT, FieldColumns
from .held_rows import held_with
from .verdicts import CellAction, Verdict

WHERE, FIELD, REFERRER = "where", "field", "referrer"
REFERRERS = {IDENTIFIER: pl.String(), WHERE: pl.String(), FIELD: pl.String(), REFERRER: pl.String()}
"""A line a record, field and other record that points to it by this field: in words where that is, the field's name if
the other is of the same type (else empty), and the other's ID."""
_CODE = "pointed"


def none_refer() -> pl.DataFrame:
    """A table of nothing that points to any record."""
    return pl.DataFrame(schema=REFERRERS)


def refers_within(referrers: pl.DataFrame) -> bool:
    """Whether any record is pointed to by one of the same type, so that it matters what becomes of that one."""
    return bool((referrers[FIELD] != "").any())


def words_by_record(referrers: pl.DataFrame) -> dict[str, list[str]]:
    """Record ID → what points to it, in words."""
    counts = referrers.group_by(IDENTIFIER, WHERE, maintain_order=True).agg(pl.len().alias("count"))
    by_record: dict[str, list[str]] = {}
    for identifier, where, count in counts.iter_rows():
        by_record.setdefault(identifier, []).append(f"{thousands(count)} {where}")
    return by_record


def freed(plan: pl.DataFrame) -> pl.DataFrame:
    """The references that a plan's updates write anew, so that they point no more: ``referrer`` and ``field``."""
    parts = [pl.DataFrame(schema={REFERRER: pl.String, FIELD: pl.String})]
    begins = FieldColumns("").action
    updates = plan.lazy().filter(pl.col(VERDICT) == Verdict.UPDATE)
    for name in [name for name in plan.columns if name.startswith(begins)]:
        field = pl.lit(name.removeprefix(begins)).alias(FIELD)
        written = updates.filter(pl.col(name) == CellAction.WRITE).select(pl.col(IDENTIFIER).alias(REFERRER), field)
        parts.append(written.collect())
    return pl.concat(parts)


def that_stay(referrers: pl.DataFrame, going: pl.Series, freed_: pl.DataFrame) -> pl.DataFrame:
    """The lines of which the other record stays and goes on pointing.

    Args:
        going: IDs of the records that go, of the same type.
    """
    leaves = (pl.col(FIELD) != "") & pl.col(REFERRER).is_in(going.implode())
    return referrers.filter(~leaves).join(freed_, on=[REFERRER, FIELD], how="anti", maintain_order="left")


def seen_of(referrers: pl.DataFrame, identifiers: pl.Series) -> pl.Series:
    """All that points to each of these records, as one text; empty for nothing."""
    pair = pl.concat_str(WHERE, REFERRER, separator="\x1f")
    seen = referrers.group_by(IDENTIFIER).agg(pair.sort().str.join("\x1e").alias("seen"))
    return (
        identifiers.to_frame(IDENTIFIER)
        .join(seen, on=IDENTIFIER, how="left", maintain_order="left")["seen"]
        .fill_null("")
    )


def hold_pointed(
    plan: pl.DataFrame, questions: pl.DataFrame, decisions: pl.DataFrame, referrers: pl.DataFrame
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """A plan, and what it asks, with the rows held that delete a record to which another points that stays.

    Args:
        plan: all rows of a plan (see ``frame``); any of them where nothing within the type refers.
        referrers: see ``REFERRERS``.
    """
    asks = plan.select(ROW_ID, IDENTIFIER, VERDICT).filter(pl.col(VERDICT).is_in([Verdict.DELETE, Verdict.HELD]))
    asks = asks.filter(pl.col(IDENTIFIER).is_in(referrers[IDENTIFIER].implode()))
    if asks.is_empty():
        return plan, questions
    asks = asks.with_columns(seen_of(referrers, asks[IDENTIFIER]).alias("seen"))
    case = Case(_CODE, pl.lit(value=True), None, (pl.lit(""),), (pl.col("seen"),))
    unanswered = answered(find_faults(asks, [case]), counting(decisions))[0][ROW_ID]
    asks = asks.filter(pl.col(ROW_ID).is_in(unanswered.implode()))
    deletes, unpointed = plan[IDENTIFIER].filter(plan[VERDICT] == Verdict.DELETE), freed(plan)
    held = asks.clear()
    while True:
        going = deletes.filter(~deletes.is_in(held[IDENTIFIER].implode()))
        staying = that_stay(referrers, going, unpointed)
        now = asks.filter(pl.col(IDENTIFIER).is_in(staying[IDENTIFIER].implode()))
        if len(now) == len(held):
            break
        held = now
    return _held(plan, questions, held, words_by_record(staying))


def _held(
    plan: pl.DataFrame, questions: pl.DataFrame, rows: pl.DataFrame, says: Mapping[str, list[str]]
) -> tuple[pl.DataFrame, pl.DataFrame]:
    texts = pl.Series(["; ".join(says[one]) for one in rows[IDENTIFIER]], dtype=pl.String)
    rows = rows.with_columns(texts.alias("says"))
    faults = find_faults(rows, [Case(_CODE, pl.lit(value=True), None, (pl.col("says"),), (pl.col("seen"),))])
    all_questions = pl.concat([questions, faults.select(ROW_ID, "code", "field", "digest")])
    return held_with(plan, faults), all_questions
