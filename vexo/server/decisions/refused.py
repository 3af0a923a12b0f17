"""Rows that were refused for the same reason, for an answer to all of them."""

from __future__ import annotations

import polars as pl

from vexo.core.planning.verdicts import RowState
from vexo.core.sheets.sheet import ROW_ID

from ..errors import PlainError
from ..planning.figures import with_reasons
from ..planning.models import Plan
from ..planning.row_states import states, states_now
from ..trips.part_view import PartView
from ..trips.sheet_cells import edited_between, edits_of


def refused_alike(view: PartView, plan: Plan, code: str, field: str, message: str | None) -> pl.Series:
    """Numbers of the rows that the part's last pass has as refused for one reason, and that are as they were then: not
    edited, and not set aside.

    Args:
        plan: the newest one.
        code: why they were refused.
        field: of one field, or (empty, where no message is said) of any.
        message: in these words of the application, exactly; None for any.

    Raises:
        PlainError: where nothing was written, or a newer sheet came in since.
    """
    trip = view.trip
    passes = trip.passes.filter(plan__sheet__part__number=view.part).exclude(page="").order_by("number")
    last = passes.select_related("plan").last()
    if last is None:
        raise PlainError(f"Nothing of trip {trip.pk} has been written yet.", "no-pass")
    if last.plan.sheet_id != plan.sheet_id:
        raise PlainError("A newer sheet came in since the rows were refused; answer them at Review.", "newer-sheet")
    is_reason = (pl.col("state") == RowState.REFUSED) & (pl.col("code") == code)
    if message is not None:
        is_reason &= (pl.col("field") == field) & (pl.col("message") == message)
    elif field:
        is_reason &= pl.col("field") == field
    refused = with_reasons(states(last.plan_file, last.page)).filter(is_reason).select(ROW_ID).collect()[ROW_ID]
    edited = edited_between(plan.sheet, last.plan.edits, edits_of(trip))[ROW_ID]
    aside = states_now(view, plan).filter(pl.col("state") == RowState.ASIDE)[ROW_ID]
    return refused.filter(~refused.is_in(pl.concat([edited, aside]).implode()))
