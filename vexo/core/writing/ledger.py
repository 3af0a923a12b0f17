"""A page of the ledger: what one pass did with its rows, and the merge base of every cell that it settled."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from ..columns.marks import CHANGE, CLEAR, VALUE
from ..planning.absent import BECOMES, NUMBER, SCHEMA
from ..planning.frame import EARLIER_RESULT, FAULTS, VERDICT, FieldColumns
from ..planning.merge_base import MOVED
from ..planning.verdicts import AbsentVerdict, CellAction
from ..problems import FAULT
from ..records import IDENTIFIER, VERSION, Field
from ..sheets.sheet import ROW, ROW_ID
from ..values import dtype, same
from .batches import AT
from .results import WriteResult

OUTCOME = {
    AT: pl.UInt32(),
    "state": pl.String(),
    IDENTIFIER: pl.String(),
    VERSION: pl.String(),
    "code": pl.String(),
    "field": pl.String(),
    "arguments": pl.List(pl.String),
    "warnings": pl.List(pl.String),
}
_IN = ["created", "updated"]


def outcome_of(answers: Sequence[WriteResult], fields: Sequence[Field]) -> pl.DataFrame:
    """Final results as columns: ``OUTCOME``, and of each field what the application's own answer held (``result``)."""
    columns: dict[str, Any] = {
        AT: [a.at for a in answers],
        "state": [a.state for a in answers],
        IDENTIFIER: [a.identifier for a in answers],
        VERSION: [a.version for a in answers],
        "code": [a.code for a in answers],
        "field": [a.field for a in answers],
        "arguments": [list(a.arguments) for a in answers],
        "warnings": [list(a.warnings) for a in answers],
    }
    results: list[pl.Series] = []
    for field in fields:
        column = FieldColumns(field.name)
        values = [a.values.get(field.name) for a in answers]
        known = [field.name in a.values for a in answers]
        results += [
            pl.Series(column.result, values, dtype=dtype(field), strict=False),
            pl.Series(column.result_known, known, dtype=pl.Boolean),
        ]
    return pl.DataFrame(columns, schema=OUTCOME).hstack(results)


def page_of(
    plan: pl.DataFrame, frozen: pl.DataFrame, outcome: pl.DataFrame, fields: Sequence[Field], number: int
) -> pl.DataFrame:
    """The page of a pass.

    One line a row of the plan that was sent, or that has a cell found same: ``frame`` explains its columns. The
    application's side of a written cell's base is the value by the write's own answer, else the value sent. A row that
    was refused since someone had changed its record is compared on from what was reviewed.
    """
    sent = frozen.select(AT, ROW_ID).join(outcome, on=AT, how="inner").drop(AT)
    # Laid beside a plan and not joined with it, which would copy each of its columns.
    beside_rows = plan.select(ROW_ID).join(sent, on=ROW_ID, how="left", maintain_order="left").drop(ROW_ID)
    both = {name: f"{name}.sent" for name in beside_rows.columns if name in plan.columns}
    rows = pl.concat([plan, beside_rows.rename(both)], how="horizontal").lazy()
    done = pl.col("state").is_in([*_IN, "deleted"]).fill_null(value=False)
    columns: list[pl.Expr] = []
    settled: list[pl.Expr] = []
    moved = ((pl.col("state") == "refused") & (pl.col("code") == MOVED)).fill_null(value=False)
    for field in fields:
        column = FieldColumns(field.name)
        proposed, current, action = pl.col(column.proposed), pl.col(column.current), pl.col(column.action)
        wrote = (action == CellAction.WRITE) & pl.col("state").is_in(_IN).fill_null(value=False)
        found_same = (
            (action == CellAction.NOTHING)
            & pl.col(column.cell_says).is_in([VALUE, CLEAR])
            & pl.col(IDENTIFIER).is_not_null()
            & same(column.proposed, column.current, field)
        )
        deleted = (pl.col("state") == "deleted").fill_null(value=False)
        known = pl.col(column.result_known).fill_null(value=False)
        result = pl.when(known).then(column.result).otherwise(proposed)
        ours = wrote | found_same | deleted
        written = action == CellAction.WRITE
        # A cell that says nothing says it still, however its field was; one that says something has been edited.
        blank = ~pl.col(column.cell_says).is_in([VALUE, CLEAR, CHANGE])
        unsent = pl.when(column.has_base).then(column.base_sent).when(~blank).then(current)
        reviewed = moved & ~ours & (written | blank & ~pl.col(column.has_base))
        has_base = ours | reviewed
        columns += [
            pl.when(ours).then(proposed).when(reviewed).then(unsent).alias(column.base_sent),
            pl.when(wrote).then(result).when(found_same | reviewed).then(current).alias(column.base_app),
            has_base.alias(column.has_base),
            pl.when(wrote | deleted).then(current).alias(column.before),
            wrote.alias(column.wrote),
        ]
        settled.append(has_base)
    anything = pl.any_horizontal([pl.col("state").is_not_null(), *settled])
    record = pl.when(done).then(pl.coalesce(f"{IDENTIFIER}.sent", IDENTIFIER)).otherwise(IDENTIFIER)
    return (
        rows.filter(anything)
        .select(
            ROW_ID,
            ROW,
            "state",
            record.alias(IDENTIFIER),
            pl.coalesce(f"{VERSION}.sent", VERSION).alias(VERSION),
            pl.lit(number, pl.UInt32).alias("pass"),
            "code",
            "field",
            "arguments",
            "warnings",
            *columns,
        )
        .collect()
    )


STATE, FAULTS_OF_RECORD = "@state", "@faults"
"""Beside a record's fields: what became of it, and why it is not gone."""


def absent_page(absent: pl.DataFrame, frozen: pl.DataFrame, outcome: pl.DataFrame) -> pl.DataFrame:
    """What became of records that have no row: a line a record that was to be deleted, ``@id``, its state (as of a row;
    ``waiting`` where it was not sent) and faults, then its fields.

    Args:
        absent: what was planned for such records (``planning.absent``).
    """
    fault = pl.struct("code", "field", "arguments")
    why = pl.col("state").is_in(["refused", "unclear"])
    sent = frozen.join(outcome, on=AT, how="inner").select(
        pl.col(ROW_ID).alias(NUMBER),
        pl.col("state").alias(STATE),
        pl.when(why).then(pl.concat_list(fault)).otherwise(pl.lit([], pl.List(FAULT))).alias(FAULTS_OF_RECORD),
    )
    lines = absent.filter(pl.col(BECOMES) == AbsentVerdict.DELETE)
    lines = lines.join(sent, on=NUMBER, how="left", maintain_order="left")
    return lines.select(
        IDENTIFIER,
        pl.col(STATE).fill_null("waiting"),
        pl.col(FAULTS_OF_RECORD).fill_null(pl.lit([], pl.List(FAULT))),
        *[name for name in absent.columns if name not in SCHEMA],
    )


STATES_OF_PLAN = [ROW_ID, ROW, VERDICT, FAULTS, IDENTIFIER, EARLIER_RESULT]
"""The columns of a plan by which states are told, and of a page of the ledger."""
STATES_OF_PAGE = [ROW_ID, "state", IDENTIFIER, "warnings", "code", "field", "arguments"]


def states_of(plan: pl.DataFrame, page: pl.DataFrame | None) -> pl.DataFrame:
    """What became, or will become, of every row of a plan: ``row_id``, ``state``, ``faults``, ``@id``, ``warnings``.

    Args:
        page: the page of the pass that sent this plan; without one nothing has been sent by it.
    """
    written = pl.col(VERDICT).is_in(["create", "update", "delete"])
    past = pl.col(EARLIER_RESULT).is_in(["created", "updated", "deleted"]).fill_null(value=False)
    before = pl.when((pl.col(VERDICT) == "same") & past).then(EARLIER_RESULT)
    if page is None:
        return plan.select(
            ROW_ID,
            ROW,
            before.otherwise(VERDICT).alias("state"),
            FAULTS,
            IDENTIFIER,
            pl.lit([], pl.List(pl.String)).alias("warnings"),
        )
    sent = page.filter(pl.col("state").is_not_null()).select(
        ROW_ID,
        pl.col("state").alias("became"),
        pl.col(IDENTIFIER).alias("record"),
        "warnings",
        pl.struct("code", "field", "arguments").alias("reason"),
    )
    rows = plan.select(ROW_ID, ROW, VERDICT, EARLIER_RESULT, FAULTS, IDENTIFIER).join(
        sent, on=ROW_ID, how="left", maintain_order="left"
    )
    why = pl.col("became").is_in(["refused", "unclear"]).fill_null(value=False)
    return rows.select(
        ROW_ID,
        ROW,
        pl.when(pl.col("became").is_not_null())
        .then("became")
        .when(written)
        .then(pl.lit("waiting"))
        .otherwise(before.otherwise(VERDICT))
        .alias("state"),
        pl.when(why).then(pl.concat_list("reason")).otherwise(FAULTS).alias(FAULTS),
        pl.coalesce("record", IDENTIFIER).alias(IDENTIFIER),
        pl.col("warnings").fill_null(pl.lit([], pl.List(pl.String))),
    )
