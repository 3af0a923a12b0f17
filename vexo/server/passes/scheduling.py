"""A pass that is to begin at a time: the plan that was seen is what goes then, or nothing does."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from vexo.core.errors import MendableError
from vexo.core.wording import moment

from ..applications.own_tokens import refuse_without_own
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..notices.kinds import NoticeKind
from ..notices.services import tell_people
from ..people.access_tokens import withdrawn_since
from ..people.models import Person
from ..trips.facts.passes import ScheduledFacts, ScheduledState, TroubleRule
from ..trips.part_view import PartView
from ..trips.status import update_status
from .frozen_plans import frozen_of
from .models import Pass, Scheduled
from .starting import CARRY_ON, cancel_waiting, check_confirmed, may_write, refuse_outside_times, start_pass

LATEST = timedelta(hours=1)
"""How late a pass still begins: who said 20:00 does not mean the next morning, when the machine was off."""
FARTHEST = timedelta(days=31)
"""How far ahead it can be: by then a plan is of another time."""


def schedule(
    view: PartView, person: Person, number: int, at: datetime, *, atomic: bool = False, trouble: TroubleRule = CARRY_ON
) -> Job:
    """Have the plan that was seen and confirmed sent at a time. What was said before of another time no longer counts.

    Raises:
        NotAllowed, Stale
        PlainError: where the time has gone by or is too far ahead, nothing is written then, or the plan cannot be sent.
    """
    trip, now = view.trip, timezone.now()
    may_write(trip, person)
    refuse_without_own(trip.application, person)
    if at <= now:
        raise PlainError("This time has gone by. Say a later one, or apply now.", "at")
    if at > now + FARTHEST:
        raise PlainError(f"It can be sent within the next {FARTHEST.days} days.", "at")
    trip.refresh_from_db()
    plan = check_confirmed(view, number, atomic=atomic, trouble=trouble)
    refuse_outside_times(trip, at)
    # By its time the results of planning may be kept no more.
    frozen = frozen_of(plan)
    try:
        with transaction.atomic():
            cancel_waiting(view)
            scheduled = Scheduled.objects.create(
                trip=trip,
                part=view.part,
                plan=plan,
                at=at,
                atomic=atomic,
                stop_after=trouble.stop_after,
                take_back=trouble.take_back,
                frozen=frozen,
                by=person.username,
            )
            job = enqueue("apply later", person.username, view, start_at=at.timestamp(), scheduled=scheduled.pk)
            _tell(view, scheduled)
            words = f"Plan {number} of trip {trip.pk} is to be applied at {moment(at)}"
            note(person.username, "applying", words, trip.application, trip.pk)
    except IntegrityError as error:
        raise PlainError("Somebody else has just said a time. Look at it, then say yours.", "at") from error
    return job


def cancel(view: PartView, person: Person) -> None:
    """Nothing is sent at the time that was said, or no more is said of one at which nothing was sent. Raises
    NotAllowed."""
    may_write(view.trip, person)
    with transaction.atomic():
        if cancel_waiting(view):
            words = f"Trip {view.trip.pk} is not applied at the time that was said"
            note(person.username, "applying", words, view.trip.application, view.trip.pk)
        update_status(view, scheduled=None)


def begin(lease: Lease) -> Mapping[str, Any]:
    """The job: begin the pass at its time, where its plan still counts and all that binds lets it go."""
    scheduled = Scheduled.objects.select_related("plan__sheet__part", "trip__application").get(
        pk=lease.job.arguments["scheduled"]
    )
    if scheduled.state != Scheduled.WAITING:
        return {"trip": scheduled.trip_id}
    view = PartView(scheduled.trip, scheduled.part)
    # Its process may have died just after the pass began.
    begun = Pass.objects.filter(plan=scheduled.plan).last()
    if begun is None:
        why = _why_not(view, scheduled, lease.job.way)
        if why:
            with lease.writing():
                lapse(scheduled, why)
            return {"trip": scheduled.trip_id}
    with lease.writing():
        Scheduled.objects.filter(pk=scheduled.pk).update(state=Scheduled.BEGUN)
        update_status(view, scheduled=None)
    return {"trip": scheduled.trip_id}


def _why_not(view: PartView, scheduled: Scheduled, way: str) -> str:
    """Begin the pass. Why nothing is sent, in words; empty where it began.

    Args:
        way: by which the time was said.
    """
    if timezone.now() - scheduled.at > LATEST:
        return "Vexo was not running at that time."
    person = Person.objects.filter(username=scheduled.by, is_active=True).first()
    if person is None:
        return f"{scheduled.by} may not sign in any more."
    token = withdrawn_since(person, way, scheduled.made_at)
    if token:
        return f"the token {token}, with which it was said, was withdrawn."
    trouble = TroubleRule(scheduled.stop_after, scheduled.take_back)
    try:
        start_pass(view, person, scheduled.plan.number, atomic=scheduled.atomic, trouble=trouble)
    except MendableError as error:
        return str(error)
    return ""


def lapse(scheduled: Scheduled, why: str) -> None:
    """Nothing is sent at the time that was said: write down why."""
    scheduled.state, scheduled.reason = Scheduled.LAPSED, why
    scheduled.save(update_fields=["state", "reason"])
    _tell(PartView(scheduled.trip, scheduled.part), scheduled)
    words = f"Plan {scheduled.plan.number} of trip {scheduled.trip_id} was not applied at its time: {why}"
    note(scheduled.by, "applying", words, scheduled.trip.application, scheduled.trip_id)
    usernames = [scheduled.by, scheduled.trip.created_by]
    tell_people(NoticeKind.PASS_INTERRUPTED, usernames, words, scheduled.trip_id)


def _tell(view: PartView, scheduled: Scheduled) -> None:
    facts = ScheduledFacts(
        scheduled.plan.number,
        scheduled.at,
        ScheduledState(scheduled.state),
        scheduled.by,
        scheduled.reason,
    )
    update_status(view, scheduled=facts)
