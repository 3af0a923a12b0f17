"""People's answers: each to what was shown, counting as long as the values seen are what they were."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import polars as pl

from ..faults import CODES, Does
from ..problems import Case, as_text
from ..sheets.sheet import ROW_ID
from ..values import on_unique
from .verdicts import Answer, answers_to

DECISIONS = {
    ROW_ID: pl.UInt32(),
    "code": pl.String(),
    "field": pl.String(),
    "digest": pl.String(),
    "answer": pl.String(),
    "argument": pl.String(),
}
FAULTS = {
    ROW_ID: pl.UInt32(),
    "code": pl.String(),
    "field": pl.String(),
    "arguments": pl.List(pl.String),
    "digest": pl.String(),
}
_ON = [ROW_ID, "code", "field", "digest"]
_KNOWN = [("set-aside", Answer.ASIDE.value), *((code, answer.value) for code in CODES for answer in answers_to(code))]
"""Fault codes and the answers that each has."""


def digest(text: str) -> str:
    """The values seen, shortened; the same on every machine and in every version."""
    return hashlib.blake2b(text.encode(), digest_size=8).hexdigest()


def find_faults(frame: pl.DataFrame, cases: Sequence[Case]) -> pl.DataFrame:
    """All faults of all rows, a line each, with the digest of what a person sees where the fault asks."""
    parts = [pl.DataFrame(schema=FAULTS)]
    if not cases:
        return parts[0]
    holds = frame.select([case.when.fill_null(value=False).alias(str(at)) for at, case in enumerate(cases)])
    applying = [case for at, case in enumerate(cases) if holds[str(at)].any()]
    for case, lines in zip(applying, pl.collect_all([_lines(frame, case) for case in applying]), strict=True):
        asks = CODES[case.code] == Does.HOLDS or case.seen
        seen = on_unique(lines["digest"], digest) if asks else pl.Series([""]).new_from_index(0, len(lines))
        lines.replace_column(lines.get_column_index("digest"), seen.alias("digest"))
        parts.append(lines)
    return pl.concat(parts)


def _lines(frame: pl.DataFrame, case: Case) -> pl.LazyFrame:
    """The rows that have a fault, a line each, with the values seen as one text in ``digest``."""
    arguments = pl.concat_list([a.cast(pl.String) for a in case.arguments]) if case.arguments else pl.lit([])
    return (
        frame.lazy()
        .filter(case.when.fill_null(value=False))
        .select(
            ROW_ID,
            pl.lit(case.code).alias("code"),
            pl.lit(case.field or "").alias("field"),
            arguments.cast(pl.List(pl.String)).alias("arguments"),
            as_text((pl.lit(case.code), pl.lit(case.field or ""), *case.seen)).alias("digest"),
        )
    )


def counting(decisions: pl.DataFrame) -> pl.DataFrame:
    """The newest answer to each question, where it is one that the question has; ``again`` asks anew."""
    if decisions.is_empty():
        return decisions
    newest = decisions.unique(_ON, keep="last", maintain_order=True)
    known = pl.DataFrame(_KNOWN, schema={"code": pl.String, "answer": pl.String}, orient="row")
    return newest.join(known, on=["code", "answer"], how="semi", maintain_order="left")


def answered(faults: pl.DataFrame, decisions: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Faults without an answer that counts, and answers that count: ``row_id``, ``code``, ``field``, ``answer``,
    ``argument``."""
    if decisions.is_empty() or faults.is_empty():
        return faults, decisions.head(0)
    open_ = faults.join(decisions, on=_ON, how="anti", maintain_order="left")
    counts = decisions.join(faults, on=_ON, how="semi", maintain_order="left")
    return open_, counts
