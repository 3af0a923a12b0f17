"""Where a trip stands: facts written by whoever changed it, and the words of its six stations made of them.

Nothing here opens a file or asks an application: Home shows a thousand trips from one table.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import Any

from django.db import transaction
from django.db.models import F, Max
from django.utils import timezone

from vexo.core.operations import Operation
from vexo.core.planning.verdicts import ABSENT_CODE, WRITTEN, AbsentWhy, RowState
from vexo.core.wording import many, thousands

from ..jobs.models import Job
from .approval import standing
from .facts import from_json, to_json
from .facts.open import OpenItem
from .facts.passes import OPEN_PASS, PassState, Report, ScheduledState, StoredPass
from .facts.plans import StoredPlan
from .facts.status import Needs, PartFacts, Station, StationName, StationState, StatusFacts
from .models import Trip
from .needs import needs_of
from .open_items import open_items, said_items, said_of_scheduled
from .part_view import PartView

OF_A_PART = tuple(PartFacts.__dataclass_fields__)
"""Facts that each part of a trip has of its own."""
UNREADABLE = (KeyError, TypeError, ValueError, AttributeError, IndexError)
"""What facts raise that cannot be understood: they break their own trip's row, never the list."""


def status_facts(view: PartView) -> StatusFacts:
    """A trip's facts as they are at the part that is looked at. Raises ValueError where they cannot be understood."""
    trip = view.trip
    status: dict[str, Any] = trip.status
    if view.part != trip.last_part:
        part = trip.parts.filter(number=view.part).first()
        of_trip = {name: value for name, value in status.items() if name not in OF_A_PART}
        status = {**of_trip, **(part.facts if part else {})}
    return from_json(status, StatusFacts)


def switch_part(view: PartView) -> None:
    """The part that is looked at is the one whose sheet came in last now; what was said of the former is kept with
    it."""
    trip = view.trip
    with transaction.atomic(savepoint=False):
        status, last = Trip.objects.values_list("status", "last_part").get(pk=trip.pk)
        if last != view.part:
            of_part = {name: status.pop(name) for name in OF_A_PART if name in status}
            trip.parts.filter(number=last).update(facts=of_part)
            status |= trip.parts.get(number=view.part).facts
            Trip.objects.filter(pk=trip.pk).update(status=status, last_part=view.part)
    trip.refresh_from_db(fields=["status", "last_part"])


def _carry_plans_on(view: PartView) -> None:
    """Before a change of one part's sheet: the plans of other parts are made of what stays, so they go on to count; but
    those that keep records only since parts are out."""
    trip = view.trip
    others = list(trip.parts.exclude(number=view.part))
    if not others:
        return
    before, status, last = Trip.objects.values_list("revision", "status", "last_part").get(pk=trip.pk)
    plans: Any = trip.plans
    waiting = [
        plan.pk
        for plan in plans.filter(revision=before, operation=Operation.MAKE_SAME).only("summary")
        if _awaits_parts(plan.summary)
    ]
    lasting = plans.filter(revision=before).exclude(pk__in=waiting)
    lasting.exclude(sheet__part__number=view.part).update(revision=before + 1)

    def carried_on(facts: dict[str, Any]) -> dict[str, Any] | None:
        plan = facts.get("plan")
        if not plan or plan["revision"] != before or _awaits_parts(plan["summary"]):
            return None
        return {**facts, "plan": {**plan, "revision": before + 1}}

    for part in others:
        facts = carried_on(part.facts) if part.number != last else None
        if facts is not None:
            trip.parts.filter(pk=part.pk).update(facts=facts)
    facts = carried_on(status) if last != view.part else None
    if facts is not None:
        Trip.objects.filter(pk=trip.pk).update(status=facts)


def _awaits_parts(summary: dict[str, Any]) -> bool:
    """Whether a plan, as it is stored, keeps records since parts of the trip are not back."""
    reasons = (summary.get("absent") or {}).get("reasons", [])
    return any(group["reason"] == AbsentWhy.PARTS_OUT for group in reasons)


def update_status(view: PartView, *, revised: bool = False, whole: bool = False, **facts: Any) -> None:
    """Write down facts of a trip, in the transaction of the change that they tell of.

    Args:
        revised: the change makes a plan another one, so the newest no longer counts: that of the part that is looked
            at, or with ``whole`` those of all parts.
        facts: fields of ``facts.status.StatusFacts``.
    """
    trip, changed = view.trip, to_json(facts)
    with transaction.atomic(savepoint=False):
        if revised and not whole:
            _carry_plans_on(view)
        status, last = Trip.objects.values_list("status", "last_part").get(pk=trip.pk)
        if view.part != last:
            of_part = {name: changed.pop(name) for name in OF_A_PART if name in changed}
            part = trip.parts.get(number=view.part)
            trip.parts.filter(pk=part.pk).update(facts={**part.facts, **of_part})
        changes: dict[str, Any] = {
            "status": {**status, **changed},
            "version": F("version") + 1,
            "touched_at": timezone.now(),
        }
        if revised:
            changes["revision"] = F("revision") + 1
        Trip.objects.filter(pk=trip.pk).update(**changes)
    trip.refresh_from_db(fields=["status", "reports", "version", "revision", "touched_at"])


def record_pass(view: PartView, done: StoredPass, report: Report | None, *, revised: bool = False) -> None:
    """Write down one pass among the trip's facts; what it read back, which can be long, apart from what lists show."""
    trip = view.trip
    with transaction.atomic(savepoint=False):
        status, reports = Trip.objects.values_list("status", "reports").get(pk=trip.pk)
        others = [other for other in status.get("passes", []) if other["number"] != done.number]
        passes = sorted([*others, to_json(done)], key=lambda stored: stored["number"])
        Trip.objects.filter(pk=trip.pk).update(reports={**reports, str(done.number): to_json(report)})
        update_status(view, revised=revised, passes=passes)


def report_of(trip: Trip, number: int) -> Report | None:
    """What a pass read back."""
    report = trip.reports.get(str(number))
    return from_json(report, Report) if report else None


def jobs_of(trips: Iterable[int]) -> dict[int, tuple[Job | None, Job | None]]:
    """For each trip the job that is open, and the last one, in two questions."""
    wanted = list(trips)
    open_ = {job.trip_id: job for job in Job.objects.filter(trip__in=wanted, state__in=Job.OPEN).order_by("id")}
    done_now = Job.objects.filter(trip__in=wanted).exclude(kind="apply later")
    newest = done_now.order_by().values("trip").annotate(last=Max("id"))
    last = {job.trip_id: job for job in Job.objects.filter(pk__in=[line["last"] for line in newest])}
    return {trip: (open_.get(trip), last.get(trip)) for trip in wanted}


class TripStatus:
    """Where a trip stands, at the part that is looked at.

    Attributes:
        job: the job that is open.
        failed: the last job, where it failed.
        plan: the newest plan of the newest sheet.
        passes: those of this part, ``all_passes`` those of the trip.
        sent_by: the pass that sent the newest plan.
        current: the newest plan still counts.
        sum: rows by what became of them, or will become.
    """

    def __init__(self, view: PartView, job: Job | None = None, last: Job | None = None) -> None:
        facts = status_facts(view)
        self.facts, self.trip, self.job = facts, view.trip, job
        self.failed = last if last is not None and last.state == Job.FAILED else None
        self.sent, self.sheet, self.columns = facts.sent, facts.sheet, facts.columns
        plan = facts.plan
        self.plan: StoredPlan | None = plan if plan and self.sheet and plan.sheet == self.sheet.id else None
        self.all_passes = facts.passes
        self.passes = [stored for stored in self.all_passes if stored.part == view.part]
        self.open_pass = next((stored for stored in self.all_passes if stored.state in OPEN_PASS), None)
        last_pass = self.passes[-1] if self.passes else None
        self.sent_by = last_pass if last_pass and self.plan and last_pass.plan == self.plan.number else None
        self.current = bool(self.plan and self.plan.revision == view.trip.revision)
        planned = self.plan.summary.verdicts if self.plan else {}
        self.sum = dict((self.sent_by.sum if self.sent_by else None) or planned)

    @property
    def plural(self) -> str:
        """What the trip's records are called."""
        return self.facts.plural or self.trip.record_type

    def rows_in(self, *states: RowState) -> int:
        """How many rows are in these states."""
        return sum(self.sum.get(state, 0) for state in states)

    @property
    def to_write(self) -> int:
        """How many rows the newest plan would write, if it still counts."""
        states = [RowState(verdict) for verdict in WRITTEN]
        counts = self.current and not self.open_pass
        return self.rows_in(*states) + self.absent_deletes if counts else 0

    @property
    def absent_deletes(self) -> int:
        """How many records that the sheet does not have the newest plan would delete, if it still counts."""
        absent = self.plan.summary.absent if self.plan and not self.sent_by else None
        return absent.delete if absent is not None and self.current and not self.open_pass else 0

    @property
    def absent_left(self) -> int:
        """Records that the sheet does not have, and that were sent and are not known to be gone."""
        absent = self.sent_by.absent if self.sent_by else None
        return absent.refused + absent.unclear if absent is not None else 0

    @property
    def absent_waiting(self) -> int:
        """Records that the sheet does not have, and whose deletion was not sent."""
        absent = self.sent_by.absent if self.sent_by else None
        return absent.waiting if absent is not None else 0

    @property
    def here(self) -> StationName:
        """The station that is next."""
        if self.open_pass:
            return StationName.APPLY
        if self.sent_by:
            return StationName.OUTCOME
        if self.asked_of_sheet and not self.passes:
            return StationName.COLUMNS
        if self.plan:
            return StationName.REVIEW
        if self.sheet is None:
            return StationName.FILE
        return StationName.KEYS if any(column.carried for column in self.columns) else StationName.COLUMNS

    @cached_property
    def open(self) -> list[OpenItem]:
        """All that waits for a person."""
        return open_items(self.trip, self.facts, self.plan, self.sent_by)

    @cached_property
    def said(self) -> list[OpenItem]:
        """What a person should know, and nothing waits for."""
        items = said_items(self.trip, self.facts, self.plan, self.sent_by)
        if self.facts.scheduled is not None and self.plan is not None and self.sent_by is None:
            counts = self.current and self.facts.scheduled.plan == self.plan.number
            items = [said_of_scheduled(self.facts.scheduled, self.to_write, counts=counts), *items]
        return items

    @property
    def asked(self) -> int:
        """Number of open questions before whose answers nothing is sent."""
        return sum(item.stops for item in self.open)

    @property
    def asked_of_sheet(self) -> int:
        """Those of them that are about the sheet and its columns, and not about what the plan does."""
        return sum(item.stops and item.station != StationName.REVIEW for item in self.open)

    def stations(self) -> list[Station]:
        """All six, in order."""
        names = list(StationName)
        here = names.index(self.here)
        words = [self._file(), self._columns(), self._keys(), self._review(), self._apply(), self._outcome()]
        stations = []
        for at, (name, (says, asks)) in enumerate(zip(names, words, strict=True)):
            state = StationState.DONE if at < here else StationState.HERE if at == here else StationState.AHEAD
            stations.append(Station(name, state, says, asks))
        return stations

    def _file(self) -> tuple[str, bool]:
        if self.sheet:
            return f"{self.sheet.name}, {many(self.sheet.rows, 'row', 'rows')}", False
        if self.sent:
            return f"{many(self.sent.rows, 'row', 'rows')} out, not back yet", True
        return ("did not go out yet" if self.trip.send_document else "no sheet yet"), True

    def _columns(self) -> tuple[str, bool]:
        if not self.sheet:
            return "—", False
        carried = sum(column.carried for column in self.columns)
        if not carried:
            return "no column has a field", True
        if self.asked_of_sheet:
            return many(self.asked_of_sheet, "question is open", "questions are open"), True
        open_ = sum(column.open for column in self.columns)
        if open_:
            return f"{many(open_, 'column has', 'columns have')} no field", True
        return f"{carried} of {len(self.columns)} carried", False

    def _keys(self) -> tuple[str, bool]:
        if not self.sheet:
            return "—", False
        labels = self.facts.key.labels
        if self.trip.operation == Operation.CREATE_UNMATCHED:
            return "matched by nothing", False
        return (" + ".join(labels), False) if labels else ("choose how rows find records", True)

    def _review(self) -> tuple[str, bool]:
        if not self.plan:
            return "—", False
        if not self.current and not self.sent_by:
            return "to be planned again", True
        waits = self.waits(RowState.HELD, RowState.REJECTED)
        return (waits, True) if waits else ("nothing left to decide", False)

    def waits(self, *states: RowState) -> str:
        """Questions about the plan, and rows in these states, that wait for a person; empty for none."""
        of_records = any(item.code == ABSENT_CODE for item in self.open)
        questions, rows = self.asked - self.asked_of_sheet + of_records, self.rows_in(*states)
        asks = many(questions, "question", "questions")
        if not rows:
            return f"{asks} {'is' if questions == 1 else 'are'} open" if questions else ""
        needs = f"{many(rows, 'row needs', 'rows need')} you"
        return f"{asks} and {needs}" if questions else needs

    def _apply(self) -> tuple[str, bool]:
        if self.job and self.job.kind == "apply":
            return f"{thousands(self.job.done)} of {thousands(self.job.total)} sent", False
        if self.open_pass:
            paused = self.open_pass.state == PassState.PAUSED
            return "paused" if paused else "interrupted, can go on where it was", True
        if self.facts.scheduled is not None and self.plan and not self.sent_by:
            lapsed = self.facts.scheduled.state == ScheduledState.LAPSED
            return ("was not sent at its time", True) if lapsed else ("waits for its time", False)
        if self.plan and self.current and not self.sent_by:
            waits = standing(self.trip, self.plan, self.facts.approval, self.to_write)
            if waits is not None:
                return waits[1], waits[0] != RowState.UPDATE
        if self.passes:
            sent = sum(sum((stored.totals or {}).values()) for stored in self.passes)
            return f"{thousands(sent)} sent" + (f" in {len(self.passes)} passes" if len(self.passes) > 1 else ""), False
        return ("nothing written yet", False) if self.plan else ("—", False)

    def _outcome(self) -> tuple[str, bool]:
        last = self.passes[-1] if self.passes else None
        if last is None or not last.totals:
            return "—", False
        rows = self.sum if self.sent_by else last.totals
        left = rows.get(RowState.REFUSED, 0) + rows.get(RowState.UNCLEAR, 0) + self.absent_left
        if left:
            return f"{many(left, 'row', 'rows')} refused", True
        waits = rows.get(RowState.WAITING) or self.absent_waiting
        return ("not all sent", True) if waits else (self.read_back_words, False)

    def needs(self) -> Needs:
        """What the list of trips says."""
        return needs_of(self)

    @property
    def parts_left(self) -> int:
        """How many of the trip's parts are not written yet."""
        written = {stored.part for stored in self.all_passes if stored.ended_at}
        return max(self.facts.parts.all - len(written), 0)

    def asks(self) -> bool:
        """Whether someone is needed."""
        return not self.job and (self.to_write > 0 or self.needs().kind in (RowState.HELD, RowState.REJECTED))

    @property
    def read_back_words(self) -> str:
        """That all is in, and what reading back found."""
        otherwise = sum(stored.not_as_sent for stored in self.passes)
        return f"all in, {thousands(otherwise)} not as sent" if otherwise else "all in, read back"

    @property
    def finished(self) -> bool:
        """Whether all that could be written was."""
        left = self.rows_in(RowState.WAITING) + self.absent_waiting
        return self.here == StationName.OUTCOME and not left and not self.asks() and not self.parts_left

    @property
    def over(self) -> bool:
        """Whether nothing is left to write or to ask here: all is written, or there was nothing to write."""
        nothing = self.current and not self.sent_by and not self.to_write and not self.open
        return self.finished or bool(nothing and not self.asks() and not self.parts_left_out)

    @property
    def parts_left_out(self) -> int:
        """How many of the trip's parts are not back."""
        return self.facts.parts.all - self.facts.parts.back
