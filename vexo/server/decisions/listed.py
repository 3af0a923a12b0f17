"""Decisions as they are told: what each answered, and what became of it."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from datetime import datetime
from functools import lru_cache

import polars as pl

from vexo.core.planning.decisions import DECISIONS
from vexo.core.planning.guards import GuardCode
from vexo.core.planning.verdicts import ABSENT_CODE, Answer, RowState
from vexo.core.records import UnknownName
from vexo.core.sheets.sheet import ROW, ROW_ID

from .. import artifacts
from ..artifacts import ArtifactLost
from ..faults import group_words
from ..guard_words import WORDS
from ..mapping.mapped_sheet import known_catalogue
from ..planning.context import newest_plan
from ..planning.models import Decision
from ..planning.row_states import states_now
from ..trips.answers import guard_answer_words, words_of
from ..trips.facts.decisions import DecisionFact
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..who import WhoSerializer

_NAMED = 5
"""Rows that are named by their numbers."""
_CELL = [ROW_ID, "code", "field"]
_NO_CELLS = {name: DECISIONS[name] for name in (*_CELL, "digest")}


def cells_of_decision(number: int) -> pl.DataFrame:
    """The questions that a decision answered (``core.planning.decisions.DECISIONS`` without its answer); none for a
    number that no decision has."""
    at = Decision.objects.filter(pk=number).values_list("at", flat=True).first()
    return pl.DataFrame(schema=_NO_CELLS) if at is None else _cells(number, at)


@lru_cache(maxsize=256)
def _cells(number: int, at: datetime) -> pl.DataFrame:
    """Those of the decision of this number that was made then: they never change. A number alone may be another one's,
    where the database was put back to what it was."""
    return artifacts.unpack(Decision.objects.values_list("cells", flat=True).get(pk=number, at=at))


def listed_decisions(view: PartView, username: str, row: int | None = None) -> list[DecisionFact]:
    """The decisions of a trip that are not undone, newest first.

    Args:
        username: who looks at them.
        row: only those about this row, by its number in the trip.
    """
    decisions = Decision.listed(view.trip)
    if row is not None:
        decisions = [one for one in decisions if (_cells(one.pk, one.at)[ROW_ID] == row).any()]
    if not decisions:
        return []
    states, asked = _now(view)
    newer = _newer(decisions) if row is None else {}
    labels = _labels(view.trip)
    return [_fact(one, states, asked, newer.get(one.pk, 0), labels, username) for one in decisions]


def _now(view: PartView) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The rows of the newest plan with what becomes of them, and what that asks; none where it is not at hand."""
    plan = newest_plan(view)
    rows = pl.DataFrame(schema={ROW_ID: pl.UInt32, ROW: pl.UInt32, "state": pl.String})
    questions = pl.DataFrame(schema={name: DECISIONS[name] for name in _CELL})
    if plan is None:
        return rows, questions
    with suppress(ArtifactLost):
        rows = states_now(view, plan).select(ROW_ID, ROW, "state")
        questions = artifacts.read(plan.questions_path).select(_CELL)
    return rows, questions


def _newer(newest_first: Sequence[Decision]) -> dict[int, int]:
    """Decision → of how many of its rows a later one says something else."""
    later = pl.DataFrame(schema={name: DECISIONS[name] for name in _CELL})
    aside = pl.Series(ROW_ID, [], dtype=DECISIONS[ROW_ID])
    newer = {}
    for decision in newest_first:
        cells = _cells(decision.pk, decision.at).select(_CELL)
        anew = cells.join(later, on=_CELL, how="semi")[ROW_ID]
        set_aside = cells[ROW_ID].filter(cells[ROW_ID].is_in(aside.implode()))
        newer[decision.pk] = pl.concat([anew, set_aside]).n_unique()
        later = pl.concat([later, cells])
        if decision.answer == Answer.ASIDE:
            aside = pl.concat([aside, cells[ROW_ID]])
    return newer


def _labels(trip: Trip) -> dict[str, str]:
    try:
        record_type = known_catalogue(trip.application).type(trip.record_type)
    except UnknownName:
        return {}
    return {field.name: field.label for field in record_type.fields}


def _fact(
    decision: Decision, states: pl.DataFrame, asked: pl.DataFrame, newer: int, labels: dict[str, str], username: str
) -> DecisionFact:
    cells = _cells(decision.pk, decision.at)
    code, name = _question(decision, cells)
    rows = cells[ROW_ID].unique(maintain_order=True)
    rows_now = states.filter(pl.col(ROW_ID).is_in(rows.implode()))
    of_records = code in (*GuardCode, ABSENT_CODE)
    label = labels.get(name, name)
    answer = Answer(decision.answer)
    again = asked.join(cells.select(_CELL), on=_CELL, how="semi")[ROW_ID].n_unique() if len(asked) else 0
    return DecisionFact(
        id=decision.pk,
        answer=answer,
        says=guard_answer_words(code) if code in list(GuardCode) else words_of(answer, code),
        asked=_asked(code, label, decision.scope.get("message")),
        field=name,
        label=label,
        argument="" if of_records else decision.argument,
        count=decision.count,
        of_records=of_records,
        numbers=rows_now[ROW].sort().head(_NAMED).to_list() if not of_records else [],
        states={RowState(state): count for state, count in rows_now["state"].value_counts(sort=True).iter_rows()},
        again=again if answer not in (Answer.ASIDE, Answer.AGAIN) else 0,
        newer=newer,
        by=WhoSerializer(decision.by).data,
        at=decision.at,
        mine=decision.by == username,
    )


def _question(decision: Decision, cells: pl.DataFrame) -> tuple[str, str]:
    """The code and field of what was answered; empty where these are several."""

    def only(values: Sequence[str]) -> str:
        different = set(values)
        return different.pop() if len(different) == 1 else ""

    scope = decision.scope
    return scope["code"] or only(cells["code"].to_list()), scope["field"] or only(cells["field"].to_list())


def _asked(code: str, label: str, message: str | None) -> str:
    """What was answered, in words."""
    if not code:
        return "Several questions"
    if code in list(GuardCode):
        guard = next((words.title for name, words in WORDS.items() if name.value == code), "Records not in the sheet")
        return f"{guard}: {label}" if label else guard
    return "" if code == "set-aside" else group_words(code, label, [message] if message else ())
