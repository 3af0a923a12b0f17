"""One row in sentences: which record it is and by what, what it was compared with, and why it has its verdict."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.planning.frame import CHANGED_ELSEWHERE, EARLIER_RESULT, FieldColumns
from vexo.core.planning.verdicts import Answer, CellAction, RowState
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.values import to_text
from vexo.core.wording import moment

from .. import artifacts
from ..decisions.listed import listed_decisions
from ..errors import PlainError
from ..planning.context import PlanContext, plan_of
from ..planning.models import Plan
from ..planning.row_states import states_now
from ..trips.facts.decisions import DecisionFact, RowStory
from ..trips.part_view import PartView
from .windows import fault_words

_BINDS = (Answer.RECORD, Answer.NEAREST, Answer.THEN, Answer.NOW)
"""Answers that say which record a row is."""
_LISTED = 4
"""Fields that a sentence names."""


def story_of(view: PartView, row_id: int, username: str) -> RowStory:
    """One row of the newest plan in sentences, with what people decided about it.

    Args:
        username: who looks at it.

    Raises:
        PlainError: where the plan has no such row.
    """
    plan = plan_of(view)
    context = PlanContext.of_plan(plan)
    states = states_now(view, plan)
    place = states[ROW_ID].search_sorted(row_id)
    if place >= len(states) or states[ROW_ID][place] != row_id:
        raise PlainError(f"The plan has no row {row_id}.", "no-row")
    line = artifacts.read_rows(plan.path, pl.Series([place], dtype=pl.UInt32))
    state = states.row(place, named=True)
    decisions = listed_decisions(view, username, row_id)
    says = [_record(context, line, decisions), _compared(context, plan, line), _verdict(context, line, state)]
    return RowStory([sentence for sentence in says if sentence], decisions)


def _key_of(context: PlanContext, line: pl.DataFrame) -> str:
    """The row's key as the sheet says it, with the fields' labels."""
    parts = []
    for name in context.settings.key:
        field, columns = context.record_type.field(name), FieldColumns(name)
        column = next(
            (c for c in (columns.proposed, columns.current) if c in line.columns and line[c][0] is not None), ""
        )
        parts.append(f"{field.label} {to_text(field, line[column])[0] if column else 'blank'}")
    return ", ".join(parts)


def _record(context: PlanContext, line: pl.DataFrame, decisions: list[DecisionFact]) -> str:
    what, key = context.record_type.label.lower(), _key_of(context, line)
    identifier, earlier = line[IDENTIFIER][0], line[EARLIER_RESULT][0]
    if identifier is None:
        return f"No {what} is known for it{f' ({key})' if key else ''}."
    record = f"It is the {what} with the record ID {identifier}"
    if any(one.answer in _BINDS for one in decisions):
        return f"{record}, as a person said."
    if earlier in ("created", "updated"):
        return f"{record}, to which an earlier pass wrote it."
    if context.settings.key == (context.record_type.identifier,):
        return f"{record}."
    return f"{record}, found by {key}." if key else f"{record}."


def _compared(context: PlanContext, plan: Plan, line: pl.DataFrame) -> str:
    read = f"what the application held at {moment(plan.made_at)} (plan {plan.number})"
    bases = [FieldColumns(name).has_base for name in context.settings.carried]
    based = any(line[name][0] for name in bases if name in line.columns)
    if line[IDENTIFIER][0] is None:
        return ""
    if not based:
        return f"Its cells are compared with {read}."
    before = (
        "what went out" if context.sheet.recognised and line[EARLIER_RESULT][0] is None else "what was known of them"
    )
    return f"Its cells are compared with {before}, and where they differ with {read}."


def _labels(context: PlanContext, names: list[str]) -> str:
    labels = [context.record_type.field(name).label for name in names[:_LISTED]]
    more = f" and {len(names) - _LISTED} more" if len(names) > _LISTED else ""
    if more or len(labels) < 2:
        return ", ".join(labels) + more
    return f"{', '.join(labels[:-1])} and {labels[-1]}"


def _verdict(context: PlanContext, line: pl.DataFrame, state: dict[str, Any]) -> str:
    """Why the row has its state."""
    faults = [fault_words(context, fault) for fault in state["faults"] or []]
    writes = [n for n in context.settings.carried if line[FieldColumns(n).action][0] == CellAction.WRITE]
    match RowState(state["state"]):
        case RowState.CREATE:
            says = f"It makes a new {context.record_type.label.lower()}"
            return f"{says} with {_labels(context, writes)}." if writes else f"{says}."
        case RowState.UPDATE:
            differs = "differs and is" if len(writes) == 1 else "differ and are"
            return f"{_labels(context, writes)} {differs} written; all else stays."
        case RowState.SAME:
            changed = line[CHANGED_ELSEWHERE][0]
            since = " The application changed its record since, which is left as it is." if changed else ""
            return f"Nothing was edited, or it is there already, so nothing is written.{since}"
        case RowState.DELETE:
            return "The record is deleted."
        case RowState.HELD:
            return f"It waits for a person: {' '.join(faults)}"
        case RowState.REJECTED:
            return f"It cannot go as it is: {' '.join(faults)}"
        case RowState.ASIDE:
            return f"It is set aside: {' '.join(faults)}"
        case RowState.REFUSED | RowState.UNCLEAR:
            return f"It was sent and is not in: {' '.join(faults)}"
        case RowState.WAITING:
            return "It was not sent."
        case done:
            return f"A pass {done.value} it."
