"""Rows that would send what a spreadsheet made of a cell are held: it is put back by an edit, or a person says that it
is meant."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from ..problems import BETWEEN, FAULT
from ..sheets.sheet import ROW_ID
from ..values import on_unique
from .decisions import FAULTS as FAULT_LINES
from .decisions import answered, counting, digest
from .frame import FAULTS, VERDICT, FieldColumns
from .verdicts import CellAction, Verdict

_CODE = "damaged"
_ONLY_SAID = ("read-only",)
"""Kinds of what is found that no pass would send."""


def hold_damaged(
    plan: pl.DataFrame,
    questions: pl.DataFrame,
    damage: pl.DataFrame,
    decisions: pl.DataFrame,
    fields: Mapping[str, str],
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """A plan, and what it asks, with the rows held of which a pass would send damage that nobody says is meant.

    Args:
        plan: any rows of a plan (see ``frame``).
        damage: see ``core.sheets.damage``; cells of other rows are passed over.
        fields: column of the sheet → the field that it is carried into.
    """
    faults = _faults(plan, damage, fields)
    if faults.is_empty():
        return plan, questions
    open_, _ = answered(faults, counting(decisions))
    if open_.is_empty():
        return plan, questions
    lists = open_.group_by(ROW_ID, maintain_order=True).agg(
        pl.struct("code", "field", "arguments").cast(FAULT).alias("damaged")
    )
    beside = plan.select(ROW_ID, FAULTS, VERDICT).join(lists, on=ROW_ID, how="left", maintain_order="left")
    held = beside["damaged"].is_not_null()
    more = beside.select(
        pl.when(held).then(pl.concat_list(FAULTS, "damaged")).otherwise(FAULTS).alias(FAULTS),
        pl.when(held).then(pl.lit(Verdict.HELD.value)).otherwise(VERDICT).alias(VERDICT),
    )
    asked = open_.select(ROW_ID, "code", "field", "digest")
    return plan.with_columns(more[FAULTS], more[VERDICT]), pl.concat([questions, asked])


def _faults(plan: pl.DataFrame, damage: pl.DataFrame, fields: Mapping[str, str]) -> pl.DataFrame:
    """Damaged cells that would be written, in rows that would be sent or wait for a person."""
    own = damage.filter(~pl.col("kind").is_in(_ONLY_SAID) & pl.col("column").is_in(list(fields)))
    parts = [pl.DataFrame(schema=FAULT_LINES)]
    rows = plan.filter(pl.col(VERDICT).is_in([Verdict.CREATE, Verdict.UPDATE, Verdict.HELD]))
    for (column,), cells in own.partition_by("column", as_dict=True, maintain_order=True).items():
        name = fields[str(column)]
        action, proposed = FieldColumns(name).action, FieldColumns(name).proposed
        if action not in plan.columns:
            continue
        sent = rows.filter(pl.col(action).is_in([CellAction.WRITE, CellAction.HELD])).select(ROW_ID, proposed)
        found = cells.join(sent, on=ROW_ID, how="inner", maintain_order="left")
        if found.schema[proposed] == pl.String:
            # A new key is written without the spaces at its ends, whatever stands in the cell.
            found = found.filter(pl.col(proposed).ne_missing(pl.col("repair")) | pl.col("repair").is_null())
        shown = (pl.lit(_CODE), pl.lit(name), "text", pl.col("repair").fill_null(""))
        seen = found.select(pl.concat_str(*shown, separator=BETWEEN))
        parts.append(
            found.select(
                ROW_ID,
                pl.lit(_CODE).alias("code"),
                pl.lit(name).alias("field"),
                pl.concat_list("text", pl.col("repair").fill_null("")).alias("arguments"),
                on_unique(seen.to_series(), digest).alias("digest"),
            )
        )
    return pl.concat(parts)
