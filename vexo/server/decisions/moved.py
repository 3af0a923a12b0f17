"""A trip that was moved from another application beside that one: what differs row by row, and which decisions made
there can be made again since what was seen is the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl
from django.db import transaction

from vexo.core.planning.frame import VERDICT, FieldColumns
from vexo.core.planning.guards import GuardCode
from vexo.core.planning.verdicts import ABSENT_CODE, Answer, CellAction, Verdict
from vexo.core.records import Field
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import to_text

from .. import artifacts
from ..errors import PlainError
from ..jobs.models import Job
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..planning.context import PlanContext, newest_plan, plan_of, seen_plan
from ..planning.models import Decision, Plan
from ..trips.answers import words_of
from ..trips.facts.decisions import Moved, OfferedDecision
from ..trips.part_view import PartView
from ..trips.plan_jobs import enqueue_plan
from ..trips.refusals import refuse_while_sending
from ..trips.status import update_status
from .listed import cells_of_decision

_BY_RECORD = (Answer.RECORD, Answer.NEAREST, Answer.THEN, Answer.NOW, Answer.AGAIN)
"""Answers that name a record of the other application, or take another back: they are not made again."""


@dataclass(frozen=True)
class _Both:
    """The newest plans of both trips, and the rows that both have: ``row_id`` here, ``then`` there."""

    here: Plan
    there: Plan
    rows: pl.DataFrame
    fields: Sequence[Field]


def moved(view: PartView) -> Moved | None:
    """How a trip that was moved compares with the one that it comes from; None where it was not, or one has no plan."""
    both = _both(view)
    if both is None:
        return None
    other = both.there.trip
    differs, more = _compared(both)
    return Moved(
        trip=other.pk,
        title=other.title,
        application=other.application.label,
        alike=int((~differs).sum()),
        differs=int(differs.sum()),
        more=int(more.sum()),
        offers=[
            OfferedDecision(decision.pk, words_of(Answer(decision.answer), _code_of(cells)), len(cells))
            for decision, cells in _offered(view, both)
        ],
    )


def _both(view: PartView) -> _Both | None:
    other = view.trip.moved_from
    here = newest_plan(view)
    plan_there = newest_plan(PartView.of(other)) if other is not None else None
    if here is None or plan_there is None or not all(artifacts.there(plan.path) for plan in (here, plan_there)):
        return None
    rows_here, then = (artifacts.read(plan.path, [ROW_ID, ROW]) for plan in (here, plan_there))
    rows = rows_here.join(then.rename({ROW_ID: "then"}), on=ROW, how="inner", maintain_order="left").select(
        ROW_ID, "then"
    )
    context = PlanContext.of_plan(here)
    shared = [name for name in here.carried if name in plan_there.carried]
    return _Both(here, plan_there, rows, [context.record_type.field(name) for name in shared])


def _seen(plan: Plan, ids: pl.Series, field: Field) -> pl.DataFrame:
    """What is shown of a field in these rows of a plan: what happens, and old and new as texts."""
    columns = FieldColumns(field.name)
    names = [columns.action, columns.current, columns.proposed]
    table = artifacts.read(plan.path, [ROW_ID, *names])
    places = pl.DataFrame([ids.alias(ROW_ID)]).join(table, on=ROW_ID, how="left", maintain_order="left")
    old, new = (to_text(field, places[name]) for name in names[1:])
    texts = [old.alias("old"), new.alias("new")]
    return pl.DataFrame([places[columns.action].alias("action"), *texts])


def differing_rows(view: PartView) -> pl.Series:
    """The rows of a moved trip of which its plan says something else than the other trip's: another verdict, or another
    old or new value of a field of which anything happens in one of both."""
    both = _both(view)
    if both is None:
        return pl.Series(ROW_ID, [], dtype=pl.UInt32)
    return both.rows[ROW_ID].filter(_compared(both)[0])


def _compared(both: _Both) -> tuple[pl.Series, pl.Series]:
    """Of each row whether both plans say something else of it, and whether it writes a cell here that it does not
    there."""
    verdicts = [
        pl.DataFrame([ids.alias(ROW_ID)]).join(
            artifacts.read(plan.path, [ROW_ID, VERDICT]), on=ROW_ID, how="left", maintain_order="left"
        )[VERDICT]
        for plan, ids in ((both.here, both.rows[ROW_ID]), (both.there, both.rows["then"]))
    ]
    differs = (verdicts[0] != verdicts[1]).fill_null(value=True)
    more = pl.repeat(value=False, n=len(differs), dtype=pl.Boolean, eager=True)
    for field in both.fields:
        here, there = _seen(both.here, both.rows[ROW_ID], field), _seen(both.there, both.rows["then"], field)
        happens = (here["action"] > 0) | (there["action"] > 0)
        values = ~here["old"].eq_missing(there["old"]) | ~here["new"].eq_missing(there["new"])
        differs = differs | (happens & (values | (here["action"] != there["action"]))).fill_null(value=True)
        more = more | ((here["action"] == CellAction.WRITE) & (there["action"] != CellAction.WRITE))
    return differs, more & (verdicts[0] == Verdict.UPDATE) & (verdicts[1] != Verdict.CREATE)


def _code_of(cells: pl.DataFrame) -> str:
    codes = cells["code"].unique().to_list()
    return str(codes[0]) if len(codes) == 1 else ""


def _offered(view: PartView, both: _Both) -> list[tuple[Decision, pl.DataFrame]]:
    """The other trip's decisions with the questions here that each answers: those asked of the same row about the same
    field, where old and new are the same as there; oldest first."""
    questions = artifacts.read(both.here.questions_path)
    alike = {field.name: _alike(both, field) for field in both.fields}
    offers = []
    for decision in reversed(Decision.listed(both.there.trip)):
        if decision.scope["code"] in (*GuardCode, ABSENT_CODE) or Answer(decision.answer) in _BY_RECORD:
            continue
        cells = cells_of_decision(decision.pk).rename({ROW_ID: "then"}).join(both.rows, on="then", how="inner")
        if decision.answer == Answer.ASIDE:
            again = _not_aside(both, cells[ROW_ID].unique())
        else:
            same_questions = questions.join(
                cells.select(ROW_ID, "code", "field"), on=[ROW_ID, "code", "field"], how="semi"
            )
            same = [_of_field(same_questions, name, ids) for name, ids in alike.items()]
            again = pl.concat(same) if same else same_questions.head(0)
        if len(again):
            offers.append((decision, again.select(ROW_ID, "code", "field", "digest")))
    return offers


def _of_field(asked: pl.DataFrame, name: str, ids: pl.Series) -> pl.DataFrame:
    """The questions about a field of these rows."""
    return asked.filter((pl.col("field") == name) & pl.col(ROW_ID).is_in(ids.implode()))


def _alike(both: _Both, field: Field) -> pl.Series:
    """The rows of which a field shows the same old and new values in both plans."""
    here, there = _seen(both.here, both.rows[ROW_ID], field), _seen(both.there, both.rows["then"], field)
    same = here["old"].eq_missing(there["old"]) & here["new"].eq_missing(there["new"])
    return both.rows[ROW_ID].filter(same)


def _not_aside(both: _Both, rows: pl.Series) -> pl.DataFrame:
    """What sets these rows aside, those that are not yet."""
    verdicts = artifacts.read(both.here.path, [ROW_ID, VERDICT])
    waiting = verdicts.filter(pl.col(ROW_ID).is_in(rows.implode()) & (pl.col(VERDICT) != "aside"))[ROW_ID]
    texts = {"code": "set-aside", "field": "", "digest": ""}
    return waiting.to_frame(ROW_ID).with_columns([pl.lit(text).alias(name) for name, text in texts.items()])


def decide_again(view: PartView, person: Person, number: int, *, run_here: bool = False) -> Job:
    """Make the other trip's decisions here where what was seen is the same.

    Args:
        number: the plan that was seen.

    Raises:
        NotAllowed, Stale
        PlainError: where there are none.
    """
    require(person, Action.PREPARE)
    trip = view.trip
    trip.refresh_from_db()
    seen_plan(view, number)
    both = _both(view)
    offers = _offered(view, both) if both is not None else []
    if not offers:
        raise PlainError("No decision of the other trip can be made again here.", "no-question")
    plan = plan_of(view)
    with transaction.atomic():
        trip.refresh_from_db()
        refuse_while_sending(trip)
        seen_plan(view, number)
        for decision, cells in offers:
            Decision.objects.create(
                trip=trip,
                plan=plan,
                scope=decision.scope,
                answer=decision.answer,
                argument=decision.argument,
                cells=artifacts.pack(cells),
                count=cells[ROW_ID].n_unique(),
                by=person.username,
            )
        words = f"Decided as on trip {decision.trip_id}: {len(offers)} decisions made again"
        note(person.username, "decided", words, trip.application, trip.pk, sum(len(cells) for _, cells in offers))
        update_status(view, revised=True)
        return enqueue_plan(person.username, view, run_here=run_here, fresh=False)
