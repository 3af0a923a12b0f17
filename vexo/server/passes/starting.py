"""Starting a pass of the plan that was seen; going on with one that was interrupted, or giving it up."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from vexo.core.wording import thousands
from vexo.core.writing.batches import AFTER

from .. import artifacts
from ..applications.own_tokens import refuse_without_own
from ..applications.use_rules import outside_times, rules_of
from ..errors import PlainError, Stale
from ..jobs.leases import end_leases_of_the_dead
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import applying, require
from ..planning.context import changed_signatures, newest_plan
from ..planning.models import Plan
from ..trips.facts import from_json
from ..trips.facts.passes import TroubleRule
from ..trips.facts.plans import PlanSummary
from ..trips.guards import guards_of
from ..trips.models import Trip
from ..trips.open_items import refuse_while_asked
from ..trips.part_view import PartView
from ..trips.refusal_rules import check_rule, rule_words
from ..trips.status import TripStatus, update_status
from .approving import is_approved, reason_for_approval, refuse_lifting, refuse_unapproved
from .frozen_plans import frozen_of
from .models import Pass, Scheduled
from .telling import tell

CARRY_ON = TroubleRule()
"""Rows that are refused stop none of the others."""


def may_write(trip: Trip, person: Person) -> None:
    """Raises NotAllowed where the person may not write to the trip's application."""
    require(person, applying(trip.application.stage))


def open_pass(trip: Trip) -> Pass | None:
    """The pass of a trip that has not ended, if there is one."""
    return trip.passes.filter(state__in=Pass.OPEN).first()


def _refuse_stale(view: PartView, number: int) -> Plan:
    """The plan that was seen, where nothing that it is made of was changed since.

    Raises:
        Stale: naming the newer plan where there is one.
        PlainError: where it is being planned anew just now.
    """
    trip = view.trip
    plan = trip.plans.filter(number=number).first()
    if plan is None:
        raise PlainError(f"Trip {trip.pk} has no plan {number}.", "no-plan")
    if trip.jobs.filter(kind__in=["plan", "bring in"], state__in=Job.OPEN).exists():
        raise Stale("The trip is being planned anew. Look at Review when that is done, then apply.", {"plan": None})
    newest = newest_plan(view)
    if plan.revision != trip.revision or newest is None or plan.sheet_id != newest.sheet_id:
        current = newest.number if newest and newest.revision == trip.revision else None
        words = f"; the newer one is plan {current}" if current else "; plan the trip again"
        raise Stale(f"Plan {number} no longer counts{words}. Look at it, then apply.", {"plan": current})
    return plan


def plan_to_approve(view: PartView, number: int) -> Plan:
    """The plan that somebody else is to look at: the one of the pass that has not ended, or the one that counts.

    Raises:
        Stale, PlainError
    """
    unfinished = open_pass(view.trip)
    if unfinished is not None and unfinished.plan.number == number:
        return unfinished.plan
    return _refuse_stale(view, number)


def check_confirmed(view: PartView, number: int, *, atomic: bool, trouble: TroubleRule) -> Plan:
    """The plan that was seen, where it can be sent as it was confirmed, but for its approval and the time.

    Raises:
        Stale, PlainError
    """
    trip = view.trip
    check_rule(trouble)
    if atomic and trouble.stop_after is not None:
        raise PlainError("All or nothing is one batch: it stops at no row of it.", "trouble")
    plan = _refuse_stale(view, number)
    known = trip.application.known
    if known is None:
        raise PlainError("What the application holds cannot be understood. Test its connection.", "no-catalogue")
    changed = changed_signatures(plan, known.type(trip.record_type))
    if changed:
        raise Stale(
            f"The application has changed {', '.join(changed)} since the plan was made. Plan the trip again.",
            {"plan": None},
        )
    if plan.guards != guards_of(trip).to_json():
        raise Stale("What guards do here was changed since the plan was made. Plan the trip again.", {"plan": None})
    if plan.deny != sorted(rules_of(trip.application).of(trip.record_type).deny):
        raise Stale("What may be done here was changed since the plan was made. Plan the trip again.", {"plan": None})
    refuse_while_asked(TripStatus(view).open)
    if not from_json(plan.summary, PlanSummary).writes:
        raise PlainError("There is nothing to write.", "nothing")
    return plan


def cancel_waiting(view: PartView) -> int:
    """End what waits for its time. How many passes that were."""
    waiting = Scheduled.objects.filter(trip=view.trip, part=view.part, state=Scheduled.WAITING)
    jobs = Job.objects.filter(kind="apply later", state=Job.WAITING)
    jobs.filter(arguments__scheduled__in=list(waiting.values_list("pk", flat=True))).update(state=Job.STOPPED)
    return waiting.update(state=Scheduled.CANCELLED)


def refuse_outside_times(trip: Trip, moment: datetime) -> None:
    """Raises PlainError where the rules of use let nothing be written at a moment."""
    known = trip.application.known
    says = outside_times(trip.application, known.type(trip.record_type), moment) if known is not None else ""
    if says:
        raise PlainError(says, "times")


def _refuse_not_atomic(trip: Trip, plan: Plan, frozen: Mapping[str, Any]) -> None:
    """Raises PlainError where the rows that a pass has frozen cannot go all or nothing."""
    if from_json(plan.summary, PlanSummary).first_steps:
        raise PlainError(
            "Rows that go through another value cannot go all or nothing: they take two steps.", "not-atomic"
        )
    if AFTER in artifacts.columns_of(frozen["rows_file"]):
        raise PlainError(
            "Rows that refer to new records of the sheet cannot go all or nothing: they go after those.", "not-atomic"
        )
    known, rows = trip.application.known, frozen["rows"]
    most = known.promises.atomic_batch if known is not None else 0
    if rows > most:
        raise PlainError(
            f"All or nothing takes at most {thousands(most)} rows here, and these are {thousands(rows)}.", "not-atomic"
        )


def start_pass(
    view: PartView,
    person: Person,
    number: int,
    *,
    atomic: bool = False,
    trouble: TroubleRule = CARRY_ON,
    lift: str = "",
    run_here: bool = False,
) -> tuple[Pass, Job]:
    """Send the plan that was seen and confirmed, exactly as it was seen.

    Args:
        number: the plan's number; it is never planned here.
        atomic: all rows or none, where the application promises that for so many.
        trouble: what is done where rows are refused.
        lift: why it may go without the approval that it needs (``approving.refuse_unapproved``).

    Asked twice for the same plan, it is sent once.

    Raises:
        NotAllowed, Stale, PlainError
    """
    trip = view.trip
    may_write(trip, person)
    refuse_without_own(trip.application, person)
    trip.refresh_from_db()
    unfinished = open_pass(trip)
    if unfinished is not None:
        return _same(unfinished, number, atomic, trouble)
    plan = check_confirmed(view, number, atomic=atomic, trouble=trouble)
    refuse_unapproved(plan, person, lift)
    refuse_outside_times(trip, timezone.now())
    frozen = frozen_of(plan)
    rows = frozen["rows"]
    if atomic:
        _refuse_not_atomic(trip, plan, frozen)
    try:
        with transaction.atomic():
            trip.refresh_from_db()
            _refuse_stale(view, number)
            refuse_while_asked(TripStatus(view).open)
            refuse_unapproved(plan, person, lift)
            last = trip.passes.order_by("-number").values_list("number", flat=True).first() or 0
            pass_ = Pass.objects.create(
                trip=trip,
                number=last + 1,
                plan=plan,
                atomic=atomic,
                stop_after=trouble.stop_after,
                take_back=trouble.take_back,
                lifted=lift.strip() if reason_for_approval(plan) and not is_approved(plan) else "",
                **frozen,
                by=person.username,
            )
            job = enqueue("apply", person.username, view, run_here=run_here, number=pass_.number, here=run_here)
            tell(pass_)
            cancel_waiting(view)
            update_status(view, scheduled=None)
            words = f"Pass {pass_.number} of trip {trip.pk} began: plan {number}, {thousands(rows)} rows"
            if pass_.lifted:
                words += f", without approval: {pass_.lifted}"
            note(person.username, "applying", words, trip.application, trip.pk, rows)
    except IntegrityError:
        unfinished = open_pass(trip)
        if unfinished is None:
            raise
        return _same(unfinished, number, atomic, trouble)
    return pass_, job


def _same(unfinished: Pass, number: int, atomic: bool, trouble: TroubleRule) -> tuple[Pass, Job]:
    """The pass under way, where it is of the plan that is asked for; asked again it is not sent again.

    Raises:
        PlainError: where it is of another plan, or sends it in another way.
    """
    job = unfinished.trip.jobs.filter(kind="apply").last()
    if unfinished.state == Pass.RUNNING and unfinished.plan.number == number and job is not None:
        goes = unfinished.atomic, TroubleRule(unfinished.stop_after, unfinished.take_back)
        if goes != (atomic, trouble):
            how = "all or nothing" if unfinished.atomic else rule_words(goes[1])
            raise PlainError(
                f"Pass {unfinished.number} of trip {unfinished.trip_id} sends this plan already, and otherwise than is "
                f"said now: {how}. Look at it, or stop it.",
                "pass-under-way",
            )
        return unfinished, job
    raise PlainError(
        f"Pass {unfinished.number} of trip {unfinished.trip_id} has not ended. Go on with it, or give it up.",
        "pass-open",
        number=unfinished.number,
    )


def find_pass(view: PartView, number: int) -> Pass:
    """A pass of a trip's part that has not ended. Raises PlainError."""
    trip = view.trip
    pass_ = trip.passes.filter(number=number).first()
    if pass_ is None:
        raise PlainError(f"Trip {trip.pk} has no pass {number}.")
    if pass_.state not in Pass.OPEN:
        raise PlainError(f"Pass {number} of trip {trip.pk} has ended: {pass_.state}.", "pass-ended")
    part = pass_.plan.sheet.part
    if part is not None and part.number != view.part:
        name = part.label or part.number
        raise PlainError(f"Pass {number} of trip {trip.pk} is one of its part {name}. Look at that part.", "part")
    return pass_


def go_on(view: PartView, person: Person, number: int, *, lift: str = "", run_here: bool = False) -> tuple[Pass, Job]:
    """Go on with a pass whose work broke off, where it was.

    Args:
        lift: why it may go on without the approval that it needs by now (``approving.refuse_unapproved``).

    Raises:
        NotAllowed
        PlainError: where it is still under way, or somebody could approve what ``lift`` would let go without.
    """
    return _again(view, person, number, give_up=False, lift=lift, run_here=run_here)


def give_up(view: PartView, person: Person, number: int, *, run_here: bool = False) -> tuple[Pass, Job]:
    """End a pass that was interrupted: what is in stays in, rows in doubt end unclear, the rest is not sent."""
    return _again(view, person, number, give_up=True, run_here=run_here)


def _again(
    view: PartView, person: Person, number: int, *, give_up: bool, run_here: bool, lift: str = ""
) -> tuple[Pass, Job]:
    trip = view.trip
    may_write(trip, person)
    lift = lift.strip()
    if not give_up:
        refuse_without_own(trip.application, person)
    if lift:
        refuse_lifting(trip, person)
    end_leases_of_the_dead(trip.pk)
    with transaction.atomic():
        trip.refresh_from_db()
        pass_ = find_pass(view, number)
        job = trip.jobs.filter(kind="apply", state__in=Job.OPEN).last()
        if job is not None and not job.expired:
            raise PlainError(f"Pass {number} of trip {trip.pk} is under way.", "pass-under-way")
        if job is not None:
            Job.objects.filter(pk=job.pk).update(state=Job.FAILED, error="Its process ended; it went on in another.")
        words = "given up" if give_up else f"going on without approval: {lift}" if lift else "going on"
        note(person.username, "applying", f"Pass {number} of trip {trip.pk}: {words}", trip.application, trip.pk)
        Pass.objects.filter(pk=pass_.pk).update(state=Pass.RUNNING, reason="", lifted=lift or pass_.lifted)
        pass_.refresh_from_db()
        tell(pass_)
        return pass_, enqueue(
            "apply", person.username, view, run_here=run_here, number=number, give_up=give_up, here=run_here
        )
