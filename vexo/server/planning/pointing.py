"""What points to the records that a plan deletes or renames: counted before anyone decides about them."""

from __future__ import annotations

import polars as pl

from vexo.applications import Client
from vexo.core.operations import Operation
from vexo.core.planning.absent import BECOMES
from vexo.core.planning.frame import VERDICT, FieldColumns
from vexo.core.planning.pointed import FIELD, REFERRER, WHERE, none_refer
from vexo.core.planning.verdicts import AbsentVerdict, CellAction, Verdict
from vexo.core.records import IDENTIFIER
from vexo.core.wording import thousands

from .. import artifacts
from .context import PlanContext

MOST_POINTED = 2_000
"""Records of which it is counted what points to them, where no verdict hangs on it: it takes a question for each
hundred, and field that points."""
COUNT = "count"


def may_go(context: PlanContext, plan: pl.DataFrame, absent: pl.DataFrame | None) -> pl.Series:
    """IDs of the records that the plan deletes, or would once it is said."""
    parts = [pl.Series([], dtype=pl.String)]
    if context.settings.operation == Operation.DELETE:
        parts.append(plan[IDENTIFIER].drop_nulls())
    if absent is not None:
        parts.append(absent.filter(pl.col(BECOMES) != AbsentVerdict.KEPT)[IDENTIFIER])
    return pl.concat(parts).unique(maintain_order=True)


def renamed(context: PlanContext, plan: pl.DataFrame, *, decided: bool = False) -> pl.Series:
    """IDs of the records of which the plan writes a key, or would once it is said.

    Args:
        decided: only those that it does write.
    """
    actions = [CellAction.WRITE] if decided else [CellAction.WRITE, CellAction.HELD]
    key_fields = [name for name in context.settings.carried if name in context.record_type.key_fields]
    written = [pl.col(FieldColumns(name).action).is_in(actions) for name in key_fields]
    if not written or context.settings.operation == Operation.DELETE:
        return pl.Series([], dtype=pl.String)
    rows = plan.lazy().filter(pl.any_horizontal(written) & pl.col(IDENTIFIER).is_not_null())
    if decided:
        rows = rows.filter(pl.col(VERDICT) == Verdict.UPDATE)
    return rows.select(IDENTIFIER).collect().to_series().unique(maintain_order=True)


def pointing(context: PlanContext, records: pl.Series, client: Client) -> pl.DataFrame:
    """For each of these records and each field that points to it which others do: ``REFERRERS``, and a ``count`` of 1;
    none at all where they are too many to ask about, and nothing hangs on it.

    Args:
        records: their IDs.
    """
    parts = [none_refer().with_columns(pl.lit(1, pl.UInt32).alias(COUNT))]
    most = None if context.trip.takes_back_id else MOST_POINTED
    if records.is_empty() or (most is not None and len(records) > most):
        return parts[0]
    for other in context.catalogue.types:
        to_itself = other.name == context.record_type.name
        for field in other.fields:
            if field.target != context.record_type.name:
                continue
            wanted = records.alias(field.name).to_frame()
            referrers = client.read_by_keys(other, [field.name], [field.name], wanted)
            parts.append(
                referrers.select(
                    pl.col(field.name).cast(pl.String).alias(IDENTIFIER),
                    pl.lit(f"{other.plural}, {field.label}").alias(WHERE),
                    pl.lit(field.name if to_itself else "").alias(FIELD),
                    pl.col(IDENTIFIER).alias(REFERRER),
                    pl.lit(1, pl.UInt32).alias(COUNT),
                )
            )
    return pl.concat(parts)


def pointed_words(path: str) -> dict[str, list[str]]:
    """Record ID → what points to it, in words; of a plan's table, empty where there is none."""
    if not path or not artifacts.there(path):
        return {}
    said: dict[str, list[str]] = {}
    counts = artifacts.read(path).group_by(IDENTIFIER, WHERE, maintain_order=True).agg(pl.col(COUNT).sum())
    for identifier, where, count in counts.iter_rows():
        said.setdefault(identifier, []).append(f"{thousands(count)} {where}")
    return said


def by_where(table: pl.DataFrame, records: pl.Series) -> dict[str, int]:
    """How many others point to these records, by where."""
    of_these = table.filter(pl.col(IDENTIFIER).is_in(records.implode()))
    sums = of_these.group_by(WHERE, maintain_order=True).agg(pl.col(COUNT).sum())
    return {str(where): int(count) for where, count in sums.iter_rows()}
