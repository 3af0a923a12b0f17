"""What the list of trips says of each: the one thing that matters next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from vexo.core.planning.verdicts import RowState
from vexo.core.wording import thousands

from .approval import standing
from .facts.passes import PassState, ScheduledState
from .facts.status import Needs

if TYPE_CHECKING:
    from .status import TripStatus


def needs_of(status: TripStatus) -> Needs:
    """What is said of a trip. A plan that waits for somebody else, or for its time, comes before rows that would wait
    for anyone: whoever is asked sees it here alone."""
    return _trouble(status) or _scheduled(status) or _asked(status) or _open_rows(status) or _next_step(status)


def _trouble(status: TripStatus) -> Needs | None:
    """What comes before everything else: work under way, broken off or failed, and questions about columns."""
    if status.job:
        return Needs(RowState.UPDATE, status.job.message or status.job.kind)
    if status.open_pass:
        paused = status.open_pass.state == PassState.PAUSED
        return Needs(RowState.HELD, "a pass is paused" if paused else "a pass was interrupted")
    if status.failed and not status.sent_by:
        return Needs(RowState.REJECTED, "something went wrong")
    if status.asked_of_sheet and not status.passes:
        questions = (
            "1 question is" if status.asked_of_sheet == 1 else f"{thousands(status.asked_of_sheet)} questions are"
        )
        return Needs(RowState.HELD, f"{questions} open")
    return None


def _scheduled(status: TripStatus) -> Needs | None:
    """What is said of a pass that is to begin at a time, or was."""
    scheduled = status.facts.scheduled
    if scheduled is None or status.plan is None or status.sent_by:
        return None
    if scheduled.state == ScheduledState.LAPSED:
        return Needs(RowState.HELD, "was not applied at its time:", scheduled.at)
    if not status.current or scheduled.plan != status.plan.number:
        return Needs(RowState.HELD, "was changed, and is not applied at its time:", scheduled.at)
    return Needs(RowState.UPDATE, "to be applied", scheduled.at)


def _asked(status: TripStatus) -> Needs | None:
    """How the approval of the plan that counts stands, where it was asked for."""
    last = status.facts.approval
    if last is None or status.plan is None or not status.current or status.sent_by or last.plan != status.plan.number:
        return None
    needs = standing(status.trip, status.plan, last, status.to_write)
    return Needs(*needs) if needs is not None else None


def _open_rows(status: TripStatus) -> Needs | None:
    """Rows that wait for a person."""
    refused = status.rows_in(RowState.REFUSED, RowState.UNCLEAR) + status.absent_left
    if refused:
        return Needs(RowState.REJECTED, f"{thousands(refused)} refused, fix and send again")
    waits = status.waits(RowState.HELD, RowState.REJECTED)
    if not waits:
        return None
    held = status.rows_in(RowState.HELD) or not status.rows_in(RowState.REJECTED)
    return Needs(RowState.HELD if held or status.asked > status.asked_of_sheet else RowState.REJECTED, waits)


def _next_step(status: TripStatus) -> Needs:
    parts = status.facts.parts
    if status.sent_by and parts.all > parts.back:
        return Needs(RowState.SAME, f"{thousands(parts.back)} of {thousands(parts.all)} parts back")
    if status.sent_by:
        left = status.rows_in(RowState.WAITING) + status.absent_waiting
        says = f"{thousands(left)} not sent" if left else status.read_back_words
        return Needs(RowState.UPDATE if left else RowState.CREATE, says)
    if status.plan and not status.current:
        return Needs(RowState.HELD, "to be planned again")
    if status.plan:
        rows = status.to_write
        approval = standing(status.trip, status.plan, status.facts.approval, rows)
        if approval is not None:
            return Needs(*approval)
        says = f"{thousands(rows)} ready to apply" if rows else "nothing to write"
        return Needs(RowState.UPDATE if rows else RowState.SAME, says)
    if status.sheet:
        return Needs(RowState.HELD, "columns or keys to choose")
    if status.sent is None and status.trip.send_document:
        return Needs(RowState.HELD, "did not go out yet")
    return Needs(RowState.SAME, "out, not back yet")
