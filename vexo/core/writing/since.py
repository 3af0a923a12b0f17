"""What changed in an application since records went out, and what of that a trip's own passes did."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ..planning.merge_base import Ledger
from ..records import IDENTIFIER, Field
from ..values import dtype, same, to_text
from .totals import total


@dataclass(frozen=True)
class Since:
    """A selection then and now.

    ``changes``: ``@id``, ``field`` (its name), ``then`` and ``now`` as texts, ``ours`` where a pass of the trip wrote
    what is there now. Of the records that went out ``gone`` are deleted and ``left`` do not meet the condition any
    more; ``come`` are those that meet it now and did not go out. Each as IDs.
    """

    then: int
    now: int
    changes: pl.DataFrame
    gone: list[str]
    left: list[str]
    come: list[str]
    made_by_us: int
    deleted_by_us: int
    totals: dict[str, tuple[str, str]]


def _ours(ledger: Ledger, field: Field) -> pl.DataFrame:
    bases = ledger.bases.get(field.name)
    if bases is None:
        return pl.DataFrame(schema={IDENTIFIER: pl.String, "app": dtype(field)})
    newest = bases.drop_nulls(IDENTIFIER).unique(IDENTIFIER, keep="last", maintain_order=True)
    return newest.select(IDENTIFIER, pl.col("app").cast(dtype(field), strict=False))


def _without(some: pl.Series, others: pl.Series) -> pl.Series:
    return some.filter(~some.is_in(others.implode()))


def _how_many(rows: pl.DataFrame, state: str, among: pl.Series) -> int:
    record_ids = rows.filter(pl.col("state") == state)[IDENTIFIER].drop_nulls().unique()
    return int(record_ids.is_in(among.implode()).sum())


def compare(
    kept: pl.DataFrame, there: pl.DataFrame, inside: pl.Series, fields: Sequence[Field], ledger: Ledger
) -> Since:
    """Hold the kept copy against the application.

    Args:
        kept: the records as they went out.
        there: those of them that are there now, and all that meet the condition now.
        inside: IDs of the records that meet the condition now.
        fields: own fields of the record, which both tables have.
    """
    met = kept.join(there, on=IDENTIFIER, how="inner", suffix=".now", maintain_order="left")
    parts = []
    for field in fields:
        then, now = field.name, f"{field.name}.now"
        joined = met.join(_ours(ledger, field), on=IDENTIFIER, how="left", maintain_order="left").with_columns(
            pl.col(then).cast(dtype(field), strict=False), pl.col(now).cast(dtype(field), strict=False)
        )
        joined = joined.filter(~same(then, now, field))
        if joined.is_empty():
            continue
        wrote = joined.select(same(now, "app", field) & pl.col("app").is_not_null()).to_series()
        texts = [to_text(field, joined[name]).alias(side) for name, side in ((then, "then"), (now, "now"))]
        parts.append(
            joined.select(IDENTIFIER, pl.lit(field.name).alias("field")).with_columns(*texts, wrote.alias("ours"))
        )
    empty = {IDENTIFIER: pl.String, "field": pl.String, "then": pl.String, "now": pl.String, "ours": pl.Boolean}
    out, alive, rows = kept[IDENTIFIER], there[IDENTIFIER], ledger.rows
    gone, come = _without(out, alive), _without(inside, out)
    selected = there.filter(pl.col(IDENTIFIER).is_in(inside.implode()))
    return Since(
        then=len(kept),
        now=inside.n_unique(),
        changes=pl.concat([pl.DataFrame(schema=empty), *parts]).sort(IDENTIFIER, maintain_order=True),
        gone=gone.to_list(),
        left=_without(_without(out, gone), inside).to_list(),
        come=come.to_list(),
        made_by_us=_how_many(rows, "created", come),
        deleted_by_us=_how_many(rows, "deleted", gone),
        totals={f.name: (total(kept[f.name]), total(selected[f.name])) for f in fields if f.is_number},
    )
