"""Rows that would send what a spreadsheet made of a cell are held: it is put back by an edit, or a person says that it
is meant."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from ..faults import Does
from ..guards import USUAL, GuardSettings
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
    guards: GuardSettings = USUAL,
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """A plan, and what it asks, with the rows held of which a pass would send damage that nobody says is meant. Other
    damage is asked about, too, and holds no row.

    Args:
        plan: any rows of a plan (see ``frame``).
        damage: see ``core.sheets.damage``; cells of other rows are passed over.
        fields: column of the sheet → the field that it is carried into.
    """
    does = guards.does(_CODE)
    if does is None:
        return plan, questions
    lines = _lines(damage.filter(pl.col(ROW_ID).is_in(plan[ROW_ID].implode())), fields)
    open_, _ = answered(lines, counting(decisions))
    if open_.is_empty():
        return plan, questions
    all_questions = pl.concat([questions, open_.select(ROW_ID, "code", "field", "digest")])
    stops = _sent(plan, open_)
    if stops.is_empty():
        return plan, all_questions
    lists = stops.group_by(ROW_ID, maintain_order=True).agg(
        pl.struct("code", "field", "arguments").cast(FAULT).alias("damaged")
    )
    beside = plan.select(ROW_ID, FAULTS, VERDICT).join(lists, on=ROW_ID, how="left", maintain_order="left")
    held = beside["damaged"].is_not_null()
    more = beside.select(
        pl.when(held).then(pl.concat_list(FAULTS, "damaged")).otherwise(FAULTS).alias(FAULTS),
        pl.when(held & pl.lit(does == Does.HOLDS)).then(pl.lit(Verdict.HELD.value)).otherwise(VERDICT).alias(VERDICT),
    )
    return plan.with_columns(more[FAULTS], more[VERDICT]), all_questions


def is_meant(damage: pl.DataFrame, decisions: pl.DataFrame, fields: Mapping[str, str]) -> pl.Series:
    """Of damaged cells (a line each) whether a person says that they are meant."""
    lines = _lines(damage, fields)
    _, answers = answered(lines, counting(decisions))
    meant = answers.select(ROW_ID, "field", pl.lit(value=True).alias("meant")).unique()
    columns = pl.col("column").replace_strict(dict(fields), default=None, return_dtype=pl.String).alias("field")
    beside = damage.select(ROW_ID, columns).join(meant, on=[ROW_ID, "field"], how="left", maintain_order="left")
    return beside["meant"].fill_null(value=False)


def _lines(damage: pl.DataFrame, fields: Mapping[str, str]) -> pl.DataFrame:
    """Damaged cells as faults of their fields, a line each; those that no lane carries are not among them."""
    sendable = damage.filter(~pl.col("kind").is_in(_ONLY_SAID) & pl.col("column").is_in(list(fields)))
    if sendable.is_empty():
        return pl.DataFrame(schema=FAULT_LINES)
    field = pl.col("column").replace_strict(dict(fields), return_dtype=pl.String)
    shown = (pl.lit(_CODE), field, "text", pl.col("repair").fill_null(""))
    seen = sendable.select(pl.concat_str(*shown, separator=BETWEEN)).to_series()
    return sendable.select(
        ROW_ID,
        pl.lit(_CODE).alias("code"),
        field.alias("field"),
        pl.concat_list("text", pl.col("repair").fill_null("")).alias("arguments"),
        on_unique(seen, digest).alias("digest"),
    )


def _sent(plan: pl.DataFrame, lines: pl.DataFrame) -> pl.DataFrame:
    """The lines whose cell would be written, in rows that would be sent or wait for a person."""
    parts = [lines.head(0)]
    rows = plan.lazy().filter(pl.col(VERDICT).is_in([Verdict.CREATE, Verdict.UPDATE, Verdict.HELD]))
    for (name,), of_field in lines.partition_by("field", as_dict=True, maintain_order=True).items():
        action, proposed = FieldColumns(str(name)).action, FieldColumns(str(name)).proposed
        if action not in plan.columns:
            continue
        written = rows.filter(pl.col(action).is_in([CellAction.WRITE, CellAction.HELD]))
        sent = written.select(ROW_ID, proposed).collect()
        damaged = of_field.join(sent, on=ROW_ID, how="inner", maintain_order="left")
        if damaged.schema[proposed] == pl.String:
            # A new key is written without the spaces at its ends, whatever stands in the cell.
            repair = pl.col("arguments").list.get(1)
            damaged = damaged.filter(pl.col(proposed).ne_missing(repair) | (repair == ""))
        parts.append(damaged.drop(proposed))
    return pl.concat(parts)
