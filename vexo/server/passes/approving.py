"""Asking somebody else to approve a plan; approving it, or sending it back."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from ..applications.use_rules import rules_of
from ..errors import NotAllowed, PlainError
from ..journal.services import note
from ..lengths import at_most
from ..naming import names_of
from ..notices.kinds import NoticeKind
from ..notices.services import tell_people
from ..people.models import Person
from ..people.rights import Action, applying, require
from ..planning.models import Plan
from ..trips.approval import approvers, could_approve, preparers, why_approved
from ..trips.facts import from_json
from ..trips.facts.approval import ApprovalFacts, ApprovalState
from ..trips.facts.plans import PlanSummary
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.status import update_status
from .frozen_plans import frozen_of
from .models import Approval, Pass

LONGEST_WORD = 1000
"""Characters of what is said with a request or an answer."""


def reason_for_approval(plan: Plan) -> str:
    """Why a plan needs an approval by now, in words; empty where it needs none."""
    trip = plan.trip
    approve = rules_of(trip.application).of(trip.record_type).approve
    return why_approved(from_json(plan.summary, PlanSummary), approve)


def approval_of(plan: Plan) -> Approval | None:
    """The last approval that was asked for a plan."""
    return Approval.objects.filter(plan=plan).order_by("-id").first()


def is_approved(plan: Plan) -> bool:
    """Whether somebody else has approved this very plan."""
    last = approval_of(plan)
    return last is not None and last.state == ApprovalState.APPROVED


def refuse_unapproved(plan: Plan, person: Person, lift: str = "") -> None:
    """Raises PlainError where a plan needs an approval that it does not have, and NotAllowed where somebody lifts that
    rule who may not.

    Args:
        lift: why the rule is lifted for one pass. Only an administrator may, where nobody else could approve.
    """
    why = reason_for_approval(plan)
    if not why or is_approved(plan):
        return
    if not lift.strip():
        raise PlainError(f"{why} Ask for its approval, and apply then.", "approval")
    refuse_lifting(plan.trip, person)


def refuse_lifting(trip: Trip, person: Person) -> None:
    """Raises NotAllowed where a person may not lift the rule, PlainError where somebody else could approve."""
    require(person, Action.CONNECT)
    others = could_approve(trip)
    if others:
        raise PlainError(f"The rule is not lifted where somebody can approve: {', '.join(others[:5])}.", "approval")


def ask_for_approval(view: PartView, person: Person, plan: Plan, words: str) -> Approval:
    """Ask for the approval of a plan. Asked twice it is asked once.

    Raises:
        NotAllowed
        PlainError: where it needs none, nobody could give it, or it was asked for in other words.
    """
    require(person, Action.PREPARE)
    word = at_most(LONGEST_WORD, words, "What is said with it", "approval")
    why = reason_for_approval(plan)
    if not why:
        raise PlainError("This plan needs no approval.", "approval")
    if not could_approve(view.trip):
        raise PlainError(
            "Nobody else may apply this trip, so nobody could approve it. An administrator may lift the rule once.",
            "approval",
        )
    # An answer can take days; by then the results of planning may be kept no more.
    frozen = {} if Pass.objects.filter(plan=plan).exists() else frozen_of(plan)
    with transaction.atomic():
        last = approval_of(plan)
        if last is not None and last.state != ApprovalState.SENT_BACK:
            if word and (last.note, last.asked_by) != (word, person.username):
                raise PlainError(_asked_before(last), "approval")
            return last
        asked_approval = Approval.objects.create(
            trip=view.trip, plan=plan, asked_by=person.username, note=word, frozen=frozen
        )
        note(person.username, "asked", f"Asked for the approval of plan {plan.number} of trip {view.trip.pk}",
             view.trip.application, view.trip.pk)  # fmt: skip
        _tell(view, asked_approval)
        words = f"{person} asks for the approval of trip {view.trip.pk}, {view.trip.title}"
        approver_names = [one.username for one in approvers(view.trip)]
        tell_people(NoticeKind.APPROVAL_ASKED, approver_names, f"{words}: {word}" if word else words, view.trip.pk)
    return asked_approval


def _asked_before(last: Approval) -> str:
    who = names_of([last.asked_by])[last.asked_by]
    if last.state == ApprovalState.APPROVED:
        return f"{who} asked for it, and it is approved already."
    return f"{who} asked for it already: {last.note or 'without a word'}. Nothing more was said to anyone."


def answer_approval(view: PartView, person: Person, plan: Plan, *, approve: bool, words: str) -> Approval:
    """Approve a plan that was asked about, or send it back with a word.

    Raises:
        NotAllowed: where the person may not apply, or had a hand in it.
        PlainError: where nobody asked, it was answered, or it is sent back without a word.
    """
    trip = view.trip
    require(person, applying(trip.application.stage))
    if person.username in preparers(trip):
        raise NotAllowed("Who prepared a trip, or decided anything on it, cannot approve it.")
    word = at_most(LONGEST_WORD, words, "What is said with it", "approval")
    if not approve and not word:
        raise PlainError("Say why it is sent back.", "approval")
    with transaction.atomic():
        last = approval_of(plan)
        if last is None or last.state != ApprovalState.ASKED:
            raise PlainError(f"Nobody asks for the approval of plan {plan.number}.", "approval")
        last.state = ApprovalState.APPROVED if approve else ApprovalState.SENT_BACK
        last.by, last.at, last.word = person.username, timezone.now(), word
        last.save()
        did = "Approved" if approve else "Sent back"
        note(person.username, "approved" if approve else "sent back",
             f"{did} plan {plan.number} of trip {trip.pk}", trip.application, trip.pk)  # fmt: skip
        _tell(view, last)
        words = f"{person} {'approved' if approve else 'sent back'} trip {trip.pk}, {trip.title}"
        words += f": {last.word}" if last.word else ""
        tell_people(NoticeKind.APPROVAL_ANSWERED, [last.asked_by], words, trip.pk)
    return last


def _tell(view: PartView, approval: Approval) -> None:
    facts = ApprovalFacts(
        approval.plan.number,
        ApprovalState(approval.state),
        approval.asked_by,
        approval.asked_at,
        approval.note,
        approval.by,
        approval.at,
        approval.word,
    )
    update_status(view, approval=facts)


def refuse_unapproved_pass(pass_: Pass) -> str:
    """Why a pass may not go on without an approval, in words; empty where it may."""
    if pass_.lifted or is_approved(pass_.plan):
        return ""
    return reason_for_approval(pass_.plan)
