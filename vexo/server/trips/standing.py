"""Where a trip stands: facts written by whoever changed it, and the words of its six stations made of them.

Nothing here opens a file or asks an application: Home shows a thousand trips from one table.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any

from django.db import transaction
from django.db.models import F, Max
from django.utils import timezone

from ..errors import PlainError
from ..jobs.models import Job
from .models import Trip

NAMES = ("file", "columns", "keys", "review", "apply", "outcome")
OF_A_PART = ("sheet", "columns", "key", "plan", "questions", "on_route")
"""Facts that each part of a trip has its own of."""
OPEN_PASS = ("running", "interrupted")
TO_WRITE = ("create", "update", "delete")
IN = ("created", "updated", "deleted")


@dataclass(frozen=True)
class Station:
    """``state`` is done, here or ahead; ``says`` its state in words, ``asks`` whether someone is needed there."""

    name: str
    state: str
    says: str
    asks: bool = False


def facts_of(trip: Trip) -> dict[str, Any]:
    """A trip's facts as they are at the part that it is looked at."""
    standing = trip.standing if isinstance(trip.standing, dict) else {}
    if trip.part == trip.last_part:
        return standing
    part = trip.parts.filter(number=trip.part).first()
    return {**{n: v for n, v in standing.items() if n not in OF_A_PART}, **(part.facts if part else {})}


def lay_on_table(trip: Trip, number: int) -> None:
    """The part whose sheet came in last is another one now; what was said of the former is kept with it."""
    with transaction.atomic():
        standing, last = Trip.objects.values_list("standing", "last_part").get(pk=trip.pk)
        if last != number:
            own = {name: standing.pop(name) for name in OF_A_PART if name in standing}
            trip.parts.filter(number=last).update(facts=own)
            standing |= trip.parts.get(number=number).facts
            Trip.objects.filter(pk=trip.pk).update(standing=standing, last_part=number)
    trip.refresh_from_db(fields=["standing", "last_part"])
    trip.at(number)


def _carry_plans_on(trip: Trip) -> None:
    """Before a change of one part's sheet: the plans of other parts are made of what stays, so they go on to count."""
    others = trip.parts.exclude(number=trip.part)
    if not others.exists():
        return
    before, standing, last = Trip.objects.values_list("revision", "standing", "last_part").get(pk=trip.pk)
    plans: Any = trip.plans
    plans.filter(revision=before).exclude(sheet__part__number=trip.part).update(revision=before + 1)
    for part in others:
        plan = part.facts.get("plan")
        if part.number != last and plan and plan["revision"] == before:
            facts = {**part.facts, "plan": {**plan, "revision": before + 1}}
            trip.parts.filter(pk=part.pk).update(facts=facts)
    plan = standing.get("plan")
    if last != trip.part and plan and plan["revision"] == before:
        told = {**standing, "plan": {**plan, "revision": before + 1}}
        Trip.objects.filter(pk=trip.pk).update(standing=told)


def tell(trip: Trip, *, revised: bool = False, whole: bool = False, **facts: Any) -> None:
    """Write down facts of a trip's standing, in the transaction of the change that they tell of.

    Facts: ``plural``; ``sent`` and ``sheet`` (id, rows, name, at); ``columns``; ``key`` (names, labels); ``plan``
    (number, revision, sheet, summary); ``passes``.

    Args:
        revised: the change makes a plan another one, so the newest no longer counts: that of the part that the trip is
            looked at, or with ``whole`` those of all parts.
    """
    with transaction.atomic():
        if revised and not whole:
            _carry_plans_on(trip)
        standing, last = Trip.objects.values_list("standing", "last_part").get(pk=trip.pk)
        if trip.part != last:
            own = {name: facts.pop(name) for name in OF_A_PART if name in facts}
            part = trip.parts.get(number=trip.part)
            trip.parts.filter(pk=part.pk).update(facts={**part.facts, **own})
        changes: dict[str, Any] = {
            "standing": {**standing, **facts},
            "version": F("version") + 1,
            "touched_at": timezone.now(),
        }
        if revised:
            changes["revision"] = F("revision") + 1
        Trip.objects.filter(pk=trip.pk).update(**changes)
    trip.refresh_from_db(fields=["standing", "reports", "version", "revision", "touched_at"])


def tell_pass(trip: Trip, told: dict[str, Any], *, revised: bool = False) -> None:
    """Write down one pass among the trip's facts; its ``report``, which can be long, apart from what lists show."""
    facts = {name: value for name, value in told.items() if name != "report"}
    with transaction.atomic():
        standing, reports = Trip.objects.values_list("standing", "reports").get(pk=trip.pk)
        others = [one for one in standing.get("passes", []) if one["number"] != told["number"]]
        passes = sorted([*others, facts], key=lambda one: one["number"])
        Trip.objects.filter(pk=trip.pk).update(reports={**reports, str(told["number"]): told["report"]})
        tell(trip, revised=revised, passes=passes)


def refuse_while_sending(trip: Trip) -> None:
    """Raises PlainError while a pass is being sent, whose rows are not known yet."""
    passes = trip.standing.get("passes", []) if isinstance(trip.standing, dict) else []
    if any(one["state"] == OPEN_PASS[0] for one in passes):
        raise PlainError("A pass is under way; do that again when it is done.", "pass-under-way")


def jobs_of(trips: Iterable[int]) -> dict[int, tuple[Job | None, Job | None]]:
    """For each trip the job that is open, and the last one, in two questions."""
    wanted = list(trips)
    open_ = {job.trip_id: job for job in Job.objects.filter(trip__in=wanted, state__in=Job.OPEN).order_by("id")}
    newest = Job.objects.filter(trip__in=wanted).order_by().values("trip").annotate(last=Max("id"))
    last = {job.trip_id: job for job in Job.objects.filter(pk__in=[one["last"] for one in newest])}
    return {trip: (open_.get(trip), last.get(trip)) for trip in wanted}


def _count(number: int, one: str, many: str) -> str:
    return f"{number:,} {one if number == 1 else many}"


class Standing:
    """Where a trip stands."""

    def __init__(self, trip: Trip, job: Job | None = None, last: Job | None = None) -> None:
        facts = facts_of(trip)
        self.trip, self.job = trip, job
        self.failed = last if last is not None and last.state == Job.FAILED else None
        self.sent: dict[str, Any] | None = facts.get("sent")
        self.sheet: dict[str, Any] | None = facts.get("sheet")
        self.columns: list[dict[str, Any]] = facts.get("columns", [])
        self.key: dict[str, Any] = facts.get("key", {})
        self.questions: dict[str, list[dict[str, Any]]] = facts.get("questions", {})
        self.holds: dict[str, Any] = facts.get("holds", {})
        self.on_route: dict[str, Any] | None = facts.get("on_route")
        self.plural = str(facts.get("plural") or trip.record_type)
        plan = facts.get("plan")
        self.plan: dict[str, Any] | None = plan if plan and self.sheet and plan["sheet"] == self.sheet["id"] else None
        self.summary: dict[str, Any] = self.plan["summary"] if self.plan else {}
        self.all_passes: list[dict[str, Any]] = facts.get("passes", [])
        self.passes = [one for one in self.all_passes if one.get("part", 1) == trip.part]
        self.open_pass = next((one for one in self.all_passes if one["state"] in OPEN_PASS), None)
        self.edits = int(facts.get("edits", 0))
        self.also_out: list[dict[str, Any]] = facts.get("also_out", [])
        self.parts: dict[str, int] = facts.get("parts", {})
        last_pass = self.passes[-1] if self.passes else None
        self.sent_by = last_pass if last_pass and self.plan and last_pass["plan"] == self.plan["number"] else None
        self.current = bool(self.plan and self.plan["revision"] == trip.revision)
        told = self.sent_by.get("sum") if self.sent_by else None
        self.sum: dict[str, int] = dict(told or self.summary.get("verdicts", {}))

    @property
    def to_write(self) -> int:
        """How many rows the newest plan would write, if it still counts."""
        return sum(self.sum.get(name, 0) for name in TO_WRITE) if self.current and not self.open_pass else 0

    @property
    def here(self) -> str:
        """The station that is next."""
        if self.open_pass:
            return "apply"
        if self.sent_by:
            return "outcome"
        if self.asked and not self.passes:
            return "columns"
        if self.plan:
            return "review"
        if self.sheet is None:
            return "file"
        return "keys" if any(column["carried"] for column in self.columns) else "columns"

    @property
    def asked(self) -> int:
        """Of how many columns it is asked in which form or unit their values are, or which of two is carried."""
        return sum(1 for key, told in self.questions.items() if told and not key.startswith("column:"))

    def stations(self) -> list[Station]:
        """All six, in order."""
        here = NAMES.index(self.here)
        says = [self._file(), self._columns(), self._keys(), self._review(), self._apply(), self._outcome()]
        made = []
        for at, (name, (words, asks)) in enumerate(zip(NAMES, says, strict=True)):
            state = "done" if at < here else "here" if at == here else "ahead"
            made.append(Station(name, state, words, asks))
        return made

    def _file(self) -> tuple[str, bool]:
        if self.sheet:
            return f"{self.sheet['name']}, {_count(self.sheet['rows'], 'row', 'rows')}", False
        if self.sent:
            return f"{_count(self.sent['rows'], 'row', 'rows')} out, not back yet", True
        return ("did not go out yet" if self.trip.sends else "no sheet yet"), True

    def _columns(self) -> tuple[str, bool]:
        if not self.sheet:
            return "—", False
        carried = sum(column["carried"] for column in self.columns)
        if not carried:
            return "no column has a field", True
        open_ = sum(column["open"] for column in self.columns)
        if open_:
            return f"{_count(open_, 'column has', 'columns have')} no field", True
        if self.asked:
            return _count(self.asked, "column asks", "columns ask"), True
        return f"{carried} of {len(self.columns)} carried", False

    def _keys(self) -> tuple[str, bool]:
        if not self.sheet:
            return "—", False
        labels = self.key.get("labels", [])
        return (" + ".join(labels), False) if labels else ("choose how rows find records", True)

    def _review(self) -> tuple[str, bool]:
        if not self.plan:
            return "—", False
        if not self.current and not self.sent_by:
            return "to be planned again", True
        open_ = self.sum.get("held", 0) + self.sum.get("rejected", 0)
        return (f"{_count(open_, 'row needs', 'rows need')} you", True) if open_ else ("nothing left to decide", False)

    def _apply(self) -> tuple[str, bool]:
        if self.job and self.job.kind == "apply":
            return f"{self.job.done:,} of {self.job.total:,} sent", False
        if self.open_pass:
            return "broken off, goes on where it was", True
        if self.passes:
            sent = sum(sum((one.get("totals") or {}).values()) for one in self.passes)
            return f"{sent:,} sent" + (f" in {len(self.passes)} passes" if len(self.passes) > 1 else ""), False
        return ("nothing written yet", False) if self.plan else ("—", False)

    def _outcome(self) -> tuple[str, bool]:
        last = self.passes[-1] if self.passes else None
        if last is None or not last.get("totals"):
            return "—", False
        told = self.sum if self.sent_by else last["totals"]
        left = told.get("refused", 0) + told.get("unclear", 0)
        if left:
            return f"{_count(left, 'row', 'rows')} refused", True
        return ("not all sent", True) if told.get("waiting") else ("all in, read back", False)

    def needs(self) -> dict[str, str]:
        """What the list of trips says: a verdict to colour it by, and the words."""
        if self.job:
            return {"kind": "update", "says": self.job.message or self.job.kind}
        if self.open_pass:
            return {"kind": "held", "says": "a pass broke off"}
        if self.failed and not self.sent_by:
            return {"kind": "rejected", "says": "something went wrong"}
        if self.asked and not self.passes:
            return {"kind": "held", "says": _count(self.asked, "column asks", "columns ask")}
        held, rejected = self.sum.get("held", 0), self.sum.get("rejected", 0)
        refused = self.sum.get("refused", 0) + self.sum.get("unclear", 0)
        if refused:
            return {"kind": "rejected", "says": f"{refused:,} refused, fix and send again"}
        if held or rejected:
            kind = "held" if held else "rejected"
            return {"kind": kind, "says": f"{_count(held + rejected, 'row needs', 'rows need')} you"}
        out = self.parts.get("all", 0) - self.parts.get("back", 0)
        if self.sent_by and out:
            return {"kind": "same", "says": f"{self.parts['back']:,} of {self.parts['all']:,} parts back"}
        if self.sent_by:
            left = self.sum.get("waiting", 0)
            return (
                {"kind": "update", "says": f"{left:,} not sent"}
                if left
                else {"kind": "create", "says": "all in, read back"}
            )
        if self.plan and not self.current:
            return {"kind": "held", "says": "to be planned again"}
        if self.plan:
            rows = self.to_write
            return (
                {"kind": "update", "says": f"{rows:,} ready to apply"}
                if rows
                else {"kind": "same", "says": "nothing to write"}
            )
        if self.sheet:
            return {"kind": "held", "says": "columns or keys to choose"}
        if self.sent is None and self.trip.sends:
            return {"kind": "held", "says": "did not go out yet"}
        return {"kind": "same", "says": "out, not back yet"}

    @property
    def parts_left(self) -> int:
        """How many of the trip's parts are not written yet."""
        written = {one.get("part", 1) for one in self.all_passes if one.get("ended_at")}
        return max(self.parts.get("all", 0) - len(written), 0)

    def asks(self) -> bool:
        """Whether someone is needed."""
        return not self.job and (self.to_write > 0 or self.needs()["kind"] in ("held", "rejected"))

    def as_json(self) -> dict[str, Any]:
        """The line and the sum, for the list and the trip's head."""
        return {
            "plural": self.plural,
            "stations": [asdict(station) for station in self.stations()],
            "here": self.here,
            "needs": self.needs(),
            "asks": self.asks(),
            "finished": self.here == "outcome" and not self.asks() and not self.parts_left,
            "sum": self.sum,
            "rows": self.sheet["rows"] if self.sheet else None,
            "sent_rows": self.sent["rows"] if self.sent else None,
            "to_write": self.to_write,
        }


def broken(trip: Trip, error: Exception) -> dict[str, Any]:
    """What is said of a trip whose facts cannot be understood: it breaks its own row, never the list."""
    says = "cannot be shown"
    stations = [asdict(Station(name, "ahead", "—")) for name in NAMES]
    return {
        "plural": trip.record_type,
        "stations": stations,
        "here": "file",
        "needs": {"kind": "rejected", "says": says},
        "asks": True,
        "finished": False,
        "sum": {},
        "rows": None,
        "sent_rows": None,
        "to_write": 0,
        "broken": f"This trip's notes cannot be read ({type(error).__name__}: {error}). Plan it anew.",
    }
