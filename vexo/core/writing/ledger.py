"""A page of the ledger: what one pass did with its rows, and the pair (said, held) of every cell that it settled."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from ..columns.marks import CLEAR, VALUE
from ..planning.comparing import do_column, new_column, old_column
from ..planning.pairs import has_column, held_column, said_column
from ..planning.verdicts import Do
from ..records import IDENTIFIER, VERSION, Field
from ..sheets.sheet import ROW, ROW_ID
from ..values import dtype, same
from .answers import Answer
from .batches import AT

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


def outcome_of(answers: Sequence[Answer], fields: Sequence[Field]) -> pl.DataFrame:
    """Final answers as columns: ``OUTCOME``, and ``got.FIELD`` with what the application's own answer held."""
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
    made = pl.DataFrame(columns, schema=OUTCOME)
    for field in fields:
        told = pl.Series([a.values.get(field.name) for a in answers], dtype=dtype(field), strict=False)
        knows = pl.Series([field.name in a.values for a in answers], dtype=pl.Boolean)
        made = made.with_columns(told.alias(f"got.{field.name}"), knows.alias(f"knows.{field.name}"))
    return made


def page_of(
    plan: pl.DataFrame, frozen: pl.DataFrame, outcome: pl.DataFrame, fields: Sequence[Field], number: int
) -> pl.DataFrame:
    """The page of a pass.

    One line a row of the plan that was sent, or that has a cell found same. ``before.FIELD`` is what a written field
    held before; ``held.`` is the value by the write's own answer, else the value sent.
    """
    sent = frozen.select(AT, ROW_ID).join(outcome, on=AT, how="inner").drop(AT)
    rows = plan.join(sent, on=ROW_ID, how="left", maintain_order="left", suffix=".sent")
    done = pl.col("state").is_in([*_IN, "deleted"]).fill_null(value=False)
    columns: list[pl.Expr] = []
    told: list[pl.Expr] = []
    for field in fields:
        name = field.name
        new, old, says = pl.col(new_column(name)), pl.col(old_column(name)), pl.col(f"says.{name}")
        wrote = (pl.col(do_column(name)) == Do.WRITE) & pl.col("state").is_in(_IN).fill_null(value=False)
        found = (
            (pl.col(do_column(name)) == Do.NOTHING)
            & says.is_in([VALUE, CLEAR])
            & pl.col(IDENTIFIER).is_not_null()
            & same(new_column(name), old_column(name), field)
        )
        deleted = (pl.col("state") == "deleted").fill_null(value=False)
        got = pl.when(pl.col(f"knows.{name}").fill_null(value=False)).then(f"got.{name}").otherwise(new)
        has = wrote | found | deleted
        columns += [
            pl.when(has).then(new).alias(said_column(name)),
            pl.when(wrote).then(got).when(found).then(old).alias(held_column(name)),
            has.alias(has_column(name)),
            pl.when(wrote | deleted).then(old).alias(f"before.{name}"),
            wrote.alias(f"wrote.{name}"),
        ]
        told.append(has)
    anything = pl.any_horizontal([pl.col("state").is_not_null(), *told])
    record = pl.when(done).then(pl.coalesce(f"{IDENTIFIER}.sent", IDENTIFIER)).otherwise(IDENTIFIER)
    return rows.filter(anything).select(
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


def states_of(plan: pl.DataFrame, page: pl.DataFrame | None) -> pl.DataFrame:
    """What became, or will become, of every row of a plan: ``row_id``, ``state``, ``faults``, ``@id``, ``warnings``.

    Args:
        page: the page of the pass that sent this plan; without one nothing has been sent by it.
    """
    written = pl.col("verdict").is_in(["create", "update", "delete"])
    past = pl.col("past").is_in(["created", "updated", "deleted"]).fill_null(value=False)
    before = pl.when((pl.col("verdict") == "same") & past).then("past")
    if page is None:
        return plan.select(
            ROW_ID,
            ROW,
            before.otherwise("verdict").alias("state"),
            "faults",
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
    rows = plan.select(ROW_ID, ROW, "verdict", "past", "faults", IDENTIFIER).join(
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
        .otherwise(before.otherwise("verdict"))
        .alias("state"),
        pl.when(why).then(pl.concat_list("reason")).otherwise("faults").alias("faults"),
        pl.coalesce("record", IDENTIFIER).alias(IDENTIFIER),
        pl.col("warnings").fill_null(pl.lit([], pl.List(pl.String))),
    )
