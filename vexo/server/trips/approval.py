"""Whether a plan needs the approval of somebody else, and whose it cannot be."""

from __future__ import annotations

from vexo.core.planning.verdicts import RowState
from vexo.core.rules_of_use import Approve
from vexo.core.wording import shortened, thousands

from ..applications.use_rules import rules_of
from ..journal.models import Entry
from ..people.models import Person
from ..people.rights import applying, may
from .facts.approval import ApprovalFacts, ApprovalState
from .facts.plans import PlanSummary, StoredPlan
from .models import Trip


def why_approved(summary: PlanSummary, approve: Approve) -> str:
    """Why a plan needs an approval, in words; empty where it needs none."""
    deletes, writes = summary.deletes, summary.writes
    if not writes:
        return ""
    if approve.always:
        return "Whatever is written here is approved by somebody else first."
    if approve.deletes and deletes:
        return (
            f"It deletes {thousands(deletes)} {'record' if deletes == 1 else 'records'}, which somebody else "
            "approves first."
        )
    if approve.above is not None and writes > approve.above:
        return (
            f"It writes {thousands(writes)} records, and more than {thousands(approve.above)} are approved by "
            "somebody else first."
        )
    return ""


def preparers(trip: Trip) -> set[str]:
    """Whoever had a hand in what a trip would write: they cannot approve it."""
    people = {trip.created_by}
    people.update(trip.decisions.filter(undone_at=None).values_list("by", flat=True))
    people.update(trip.edits.filter(undone_at=None).values_list("by", flat=True))
    people.update(trip.sheets.values_list("added_by", flat=True))
    # Columns, lanes, key, reach and what the rows are for: the journal alone says who changed them.
    people.update(Entry.objects.filter(trip=trip.pk, what="changed").values_list("who", flat=True))
    return people


def approvers(trip: Trip) -> list[Person]:
    """Those who may apply a trip and had no hand in it."""
    people = Person.objects.filter(is_active=True).exclude(username__in=preparers(trip)).order_by("name")
    return [person for person in people if may(person, applying(trip.application.stage))]


def could_approve(trip: Trip) -> list[str]:
    """The names of those who may apply a trip and had no hand in it."""
    return [person.name for person in approvers(trip)]


def said_of_approval(trip: Trip, plan: StoredPlan, last: ApprovalFacts | None) -> str:
    """Why a plan is not sent yet, and how its approval stands; empty where it needs none, or has it.

    Args:
        last: the approval that was asked for last, of this plan or an earlier one.
    """
    why = why_approved(plan.summary, rules_of(trip.application).of(trip.record_type).approve)
    if not why:
        return ""
    if last is None or last.plan != plan.number or plan.revision != trip.revision:
        return f"{why} Nobody is asked yet."
    return {
        ApprovalState.ASKED: f"{why} It waits for that.",
        ApprovalState.APPROVED: "",
        ApprovalState.SENT_BACK: f"{why} It was sent back: {last.word}",
    }[last.state]


def standing(trip: Trip, plan: StoredPlan, last: ApprovalFacts | None, writes: int) -> tuple[RowState, str] | None:
    """How the approval of a plan stands, in a few words; None where it needs none.

    Args:
        last: the approval that was asked for last, of this plan or an earlier one.
        writes: what the plan would write.
    """
    approve = rules_of(trip.application).of(trip.record_type).approve
    if not writes or not why_approved(plan.summary, approve):
        return None
    if last is None or last.plan != plan.number:
        return RowState.HELD, "its approval is to be asked for"
    return {
        ApprovalState.ASKED: (RowState.HELD, "waits for an approval"),
        ApprovalState.APPROVED: (RowState.UPDATE, f"approved, {thousands(writes)} ready to apply"),
        ApprovalState.SENT_BACK: (RowState.REJECTED, shortened(f"sent back: {last.word}", 120)),
    }[last.state]
