"""Decisions: made for rows, or for all rows that are asked the same; each undone by itself."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Any

import polars as pl
from django.db import transaction
from django.utils import timezone

from vexo.core.faults import OUTCOME_CODES
from vexo.core.planning.absent import NUMBER, deletions_seen
from vexo.core.planning.decisions import DECISIONS
from vexo.core.planning.guards import GuardCode
from vexo.core.planning.rules.merges import merges_of_lists
from vexo.core.planning.verdicts import ABSENT_CODE, Answer, answered_by
from vexo.core.records import IDENTIFIER, Catalogue, RecordType
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.wording import thousands

from .. import artifacts
from ..applications.services import asking
from ..errors import PlainError
from ..jobs.models import Job
from ..journal.services import note
from ..mapping.mapped_sheet import known_catalogue
from ..people.models import Person
from ..people.rights import Action, require
from ..planning.basis import decisions_of
from ..planning.context import seen_plan
from ..planning.models import Decision, Plan
from ..trips.facts import from_json
from ..trips.facts.plans import PlanSummary, SetGuard
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.plan_jobs import enqueue_plan
from ..trips.refusals import refuse_while_sending
from ..trips.status import update_status
from .refused import refused_alike


@dataclass(frozen=True)
class Scope:
    """What an answer is for: some rows (by their number in the trip), or all rows with a fault; of one field or all.
    Of rows that the application refused, those with exactly its ``message``, or all."""

    rows: tuple[int, ...] = ()
    code: str = ""
    field: str = ""
    message: str | None = None

    def as_json(self) -> dict[str, Any]:
        more = {} if self.message is None else {"message": self.message}
        return {"rows": len(self.rows), "code": self.code, "field": self.field, **more}


def _set_aside(rows: pl.Series) -> pl.DataFrame:
    """The cells of the answer that sets rows aside."""
    texts = {"code": "set-aside", "field": "", "digest": ""}
    return rows.to_frame(ROW_ID).with_columns([pl.lit(v).alias(k) for k, v in texts.items()])


def _cells(view: PartView, plan: Plan, scope: Scope, answer: Answer) -> pl.DataFrame:
    """The questions that an answer is for."""
    trip = view.trip
    if scope.code in OUTCOME_CODES:
        rows = refused_alike(view, plan, scope.code, scope.field, scope.message)
        chosen = rows.filter(rows.is_in(list(scope.rows)) | (not scope.rows))
        return _set_aside(chosen if answer == Answer.ASIDE else chosen.head(0))
    if answer == Answer.AGAIN:
        decisions = decisions_of(trip)[0].drop("answer", "argument").unique(maintain_order=True)
    else:
        decisions = artifacts.read(plan.questions_path)
    if scope.rows:
        decisions = decisions.filter(pl.col("row_id").is_in(list(scope.rows)))
    if scope.code:
        decisions = decisions.filter(pl.col("code") == scope.code)
    if scope.field:
        decisions = decisions.filter(pl.col("field") == scope.field)
    if answer == Answer.ASIDE:
        rows = decisions["row_id"].unique(maintain_order=True) if scope.code or scope.field else _rows(plan, scope)
        return _set_aside(rows)
    if answer == Answer.AGAIN:
        return decisions
    if scope.rows and answer in (Answer.RECORD, Answer.NEAREST, Answer.NEW):
        # Which record it is can be said anew: the question is the one that was answered.
        given = decisions_of(trip)[0].drop("answer", "argument").filter(pl.col("row_id").is_in(list(scope.rows)))
        decisions = pl.concat([decisions, given.select(decisions.columns)]).unique(maintain_order=True)
    if answer == Answer.MERGE:
        decisions = merges_of_lists(decisions.with_columns(pl.lit(Answer.MERGE.value).alias("answer")), _type_of(plan))
        decisions = decisions.drop("answer")
    if answer == Answer.NEAREST:
        decisions = decisions.filter(pl.col("row_id").is_in(_near_to_one(plan).implode()) | bool(scope.rows))
    return decisions.filter(pl.col("code").is_in(answered_by(answer)))


def _refuse_unknown(trip: Trip, identifier: str, by: str) -> None:
    """Raises PlainError where the application has no record with this ID, or cannot be asked."""
    with asking(trip.application, by) as client:
        record_type = known_catalogue(trip.application).type(trip.record_type)
        name = record_type.identifier
        known = record_type.field(name).quoted or re.fullmatch(r"\d{1,18}", identifier)
        wanted = pl.Series(name, [identifier]).to_frame()
        if not known or client.read_by_keys(record_type, [name], [name], wanted).is_empty():
            raise PlainError(f"There is no {record_type.label.lower()} with the record ID {identifier!r}.", "no-record")


def _near_to_one(plan: Plan) -> pl.Series:
    """The rows of a plan whose key was not found, and is near to that of one record."""
    faults = artifacts.read(plan.path, ["row_id", "faults"]).explode("faults").drop_nulls("faults")
    code, arguments = pl.col("faults").struct.field("code"), pl.col("faults").struct.field("arguments")
    ids = arguments.list.get(2, null_on_oob=True)
    has_one_near = code.is_in(["near-key", "not-found"]) & (ids != "") & ~ids.str.contains(",")
    return faults.filter(has_one_near.fill_null(value=False))["row_id"]


def _type_of(plan: Plan) -> RecordType:
    return Catalogue.from_json(plan.catalogue_json).type(plan.trip.record_type)


def _rows(plan: Plan, scope: Scope) -> pl.Series:
    row_ids = artifacts.read(plan.path, ["row_id"])["row_id"]
    return row_ids.filter(row_ids.is_in(list(scope.rows)))


def _of_plan(plan: Plan, code: str) -> pl.DataFrame:
    """The cells of an answer about the whole plan: the records that go, where it is about these."""
    if code == GuardCode.MAKES_SAME:
        return deletions_seen(artifacts.read(plan.absent_path))
    return pl.DataFrame(schema={name: DECISIONS[name] for name in ("row_id", "code", "field", "digest")})


def _number_of(plan: Plan, identifier: str) -> int:
    """The number of a record that the sheet does not have. Raises PlainError where the plan knows none with this ID."""
    if plan.absent_path:
        absent = artifacts.read(plan.absent_path, [NUMBER, IDENTIFIER])
        numbers = absent.filter(pl.col(IDENTIFIER) == identifier)[NUMBER]
        if len(numbers):
            return int(numbers[0])
    raise PlainError(f"No record that the sheet lacks has the record ID {identifier!r}.", "no-record")


def _guarded(plan: Plan, scope: Scope, answer: str) -> SetGuard:
    """What a guard of the whole plan asks. Raises PlainError where it does not ask, or of several fields."""
    guards = from_json(plan.summary, PlanSummary).guards
    asking = [guard for guard in guards if guard.code == scope.code and guard.asks and not guard.answered]
    of_field = [guard for guard in asking if scope.field in ("", guard.field)]
    if not of_field or answer != Answer.GO_ON:
        raise PlainError(f"The plan asks nothing that {answer!r} answers by {scope.code!r}.", "no-question")
    if len(of_field) > 1:
        names = ", ".join(guard.field for guard in of_field)
        raise PlainError(f"The plan asks this of several fields. Say which one: {names}.", "field")
    return of_field[0]


def decide(
    view: PartView,
    person: Person,
    number: int,
    scope: Scope,
    answer: str,
    argument: str = "",
    *,
    run_here: bool = False,
) -> tuple[Decision, Job]:
    """Answer what a plan asks; what was held of these rows then is answered, nothing that comes later.

    Args:
        number: the plan that was seen.
        argument: for the answer ``record``, the record's ID; for ``through``, the value; about a record that the sheet
            does not have, its ID where only that one is meant.

    Returns:
        the decision, and the job that plans with it.

    Raises:
        NotAllowed, Stale, PlainError
    """
    trip = view.trip
    require(person, Action.PREPARE)
    if answer not in list(Answer):
        raise PlainError(f"Unknown answer {answer!r}. Use {', '.join(Answer)}.")
    if answer == Answer.THROUGH and (not argument.strip() or len(scope.rows) != 1):
        raise PlainError("Say one row, and the value through which it goes.", "value")
    if answer == Answer.RECORD and not argument.strip():
        raise PlainError("Say which record it is, by its record ID.")
    if answer == Answer.RECORD:
        _refuse_unknown(trip, argument.strip(), person.username)
    if argument.strip() and answer not in (Answer.RECORD, Answer.THROUGH) and scope.code != ABSENT_CODE:
        raise PlainError(
            f"The answer {answer!r} takes no value, so {argument.strip()!r} would count for nothing.", "value"
        )
    if scope.message is not None and scope.code not in OUTCOME_CODES:
        raise PlainError("Only rows that the application refused have its words. Say no message with another question.")
    if not scope.rows and not scope.code:
        raise PlainError("Say which rows the answer is for, or which question.")
    trip.refresh_from_db()
    plan = seen_plan(view, number)
    if scope.code in list(GuardCode):
        guard = _guarded(plan, scope, answer)
        scope, argument = replace(scope, field=guard.field), str(guard.count)
    if scope.code == ABSENT_CODE and argument.strip():
        scope = replace(scope, rows=(_number_of(plan, argument.strip()),))
    cells = _of_plan(plan, scope.code) if scope.code in list(GuardCode) else _cells(view, plan, scope, Answer(answer))
    if cells.is_empty() and scope.code not in list(GuardCode):
        if scope.code in OUTCOME_CODES and answer == Answer.ASIDE:
            raise PlainError(
                "None of these rows was refused so, or they were edited or set aside since.", "no-question"
            )
        raise PlainError(f"None of these rows is asked anything that {answer!r} answers.", "no-question")
    with transaction.atomic():
        trip.refresh_from_db()
        refuse_while_sending(trip)
        seen_plan(view, number)
        decision = Decision.objects.create(
            trip=trip,
            plan=plan,
            scope=scope.as_json(),
            answer=answer,
            argument=argument.strip(),
            cells=artifacts.pack(cells),
            count=cells["row_id"].n_unique() or int(argument or 0),
            by=person.username,
        )
        what = "record" if scope.code in (*GuardCode, ABSENT_CODE) else "row"
        words = f"Decided {thousands(decision.count)} {what}{'' if decision.count == 1 else 's'}: {answer}"
        note(person.username, "decided", words, trip.application, trip.pk, decision.count)
        update_status(view, revised=True)
        return decision, enqueue_plan(person.username, view, run_here=run_here, fresh=answer == Answer.RECORD)


def undo(view: PartView, person: Person, number: int, *, run_here: bool = False) -> Job:
    """Take one decision back. Raises PlainError where it is not there or was undone before."""
    trip = view.trip
    require(person, Action.PREPARE)
    with transaction.atomic():
        trip.refresh_from_db()
        refuse_while_sending(trip)
        decision = trip.decisions.filter(pk=number, undone_at=None).first()
        if decision is None:
            raise PlainError(f"There is no decision {number} to undo on trip {trip.pk}.")
        Decision.objects.filter(pk=decision.pk).update(undone_at=timezone.now(), undone_by=person.username)
        words = f"Took back decision {number}: {decision.answer}, {thousands(decision.count)} rows"
        note(person.username, "decided", words, trip.application, trip.pk, decision.count)
        update_status(view, revised=True)
        return enqueue_plan(person.username, view, run_here=run_here, fresh=False)
