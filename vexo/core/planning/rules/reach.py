"""Rows that are about records outside the reach of their trip, or would make such. Rules: ``semantics.md`` 5.3."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ...columns.marks import LEAVE
from ...conditions.to_expression import to_expression
from ...conditions.tree import fields_of
from ...keys.record_keys import is_among
from ...problems import Case
from ...records import IDENTIFIER, Field
from ..frame import CREATES, EARLIER_RESULT, OUTSIDE_REACH, FieldColumns
from ..inputs import Inputs
from ..verdicts import CellAction


def add_reach(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field], *, deleting: bool = False) -> pl.DataFrame:
    """Add ``OUTSIDE_REACH``, where not all records are in reach. What the trip itself has made is in the reach of what
    went out; a record that it moved out stays the same as long as nothing more is to be written to it.

    Args:
        fields: carried ones, of which the frame has what is proposed.
    """
    if inputs.reach is None:
        return frame
    if inputs.reach.condition is None:
        written_before = (pl.col(EARLIER_RESULT) == "created").fill_null(value=False)
    else:
        writes = [pl.col(FieldColumns(field.name).action) != CellAction.NOTHING for field in fields]
        touched = pl.any_horizontal(writes) if writes else pl.lit(deleting)
        written_before = pl.col(EARLIER_RESULT).is_in(["created", "updated"]).fill_null(value=False) & ~touched
    in_reach = is_among(frame[IDENTIFIER], inputs.reach.ids)
    outside = pl.col(IDENTIFIER).is_not_null() & ~in_reach & ~written_before
    return frame.with_columns((outside | _made_outside(frame, inputs, fields)).alias(OUTSIDE_REACH))


def _made_outside(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> pl.Series:
    """Whether the values of a new record lie outside the reach: where they say all that its condition asks."""
    nothing = pl.repeat(value=False, n=len(frame), eager=True)
    condition = inputs.reach.condition if inputs.reach is not None else None
    if condition is None or not frame[CREATES].any():
        return nothing
    condition_fields = {field.name for field in fields_of(condition)}
    if not condition_fields <= {field.name for field in fields}:
        return nothing
    values = frame.select(pl.col(FieldColumns(name).proposed).alias(name) for name in condition_fields)
    try:
        meets = values.select(to_expression(condition)).to_series()
    except ValueError:
        return nothing
    says = frame.select(
        pl.all_horizontal([pl.col(FieldColumns(name).cell_says) != LEAVE for name in condition_fields])
    ).to_series()
    return frame[CREATES] & says & ~meets


def reach_cases(inputs: Inputs) -> list[Case]:
    """Rows outside the reach: they are never written, and nobody answers for them but by widening it."""
    if inputs.reach is None:
        return []
    return [Case("outside-reach", pl.col(OUTSIDE_REACH), None, (pl.lit(inputs.record_type.label),))]
