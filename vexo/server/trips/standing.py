"""The six stations of a trip: what each says of itself, and what needs someone."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from ..jobs.models import Job
from ..runs.models import Run
from ..runs.services import sum_after_passes, to_write
from .models import Sheet, Trip

NAMES = ("file", "columns", "keys", "review", "apply", "outcome")


@dataclass(frozen=True)
class Station:
    """``state`` is done, here or ahead; ``says`` its state in words, ``asks`` whether someone is needed there."""

    name: str
    state: str
    says: str
    asks: bool = False


def _count(number: int, one: str, many: str) -> str:
    return f"{number:,} {one if number == 1 else many}"


class Standing:
    """Where a trip stands."""

    def __init__(self, trip: Trip) -> None:
        self.trip = trip
        sheets = list(trip.sheets.all())
        self.sent = next((s for s in reversed(sheets) if s.direction == Sheet.OUT), None)
        self.sheet = next((s for s in reversed(sheets) if s.direction == Sheet.IN), None)
        self.runs = [run for run in trip.runs.all() if self.sheet and run.sheet_id == self.sheet.pk]
        self.job = trip.jobs.filter(state__in=Job.OPEN).last()
        self.failed = trip.jobs.last()
        self.summary: dict[str, Any] = trip.summary or {}
        self.planned = bool(self.sheet and trip.plan)
        written = [run for run in self.runs if run.outcome]
        self.sum = sum_after_passes(trip) if written and self.planned else dict(self.summary.get("verdicts", {}))
        self.last = written[-1] if written else None

    @property
    def here(self) -> str:
        """The station that is next."""
        if self.last is not None:
            return "outcome"
        if any(run.state in (Run.WAITING, Run.RUNNING) for run in self.runs):
            return "apply"
        if self.planned:
            return "review"
        if self.sheet is None:
            return "file"
        return "keys" if any(m.carried for m in self.sheet.mappings.all()) else "columns"

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
            return f"{self.sheet.name}, {_count(self.sheet.rows, 'row', 'rows')}", False
        if self.sent:
            return f"{_count(self.sent.rows, 'row', 'rows')} out, not back yet", True
        return "no sheet yet", True

    def _columns(self) -> tuple[str, bool]:
        if not self.sheet:
            return "—", False
        mappings = list(self.sheet.mappings.all())
        carried = sum(m.carried for m in mappings)
        return (f"{carried} of {len(mappings)} carried", False) if carried else ("no column has a field", True)

    def _keys(self) -> tuple[str, bool]:
        key = self.summary.get("key") or self.trip.key
        known = self.trip.application.known
        if not self.sheet:
            return "—", False
        if not key or not known:
            return "choose how rows find records", True
        own = known.type(self.trip.record_type)
        return " + ".join(own.field(name).label for name in key), False

    def _review(self) -> tuple[str, bool]:
        if not self.planned:
            return "—", False
        open_ = self.sum.get("held", 0) + self.sum.get("rejected", 0)
        return (f"{_count(open_, 'row needs', 'rows need')} you", True) if open_ else ("nothing left to decide", False)

    def _apply(self) -> tuple[str, bool]:
        if self.job and self.job.kind == "apply":
            return f"{self.job.done:,} of {self.job.total:,} sent", False
        if any(run.state in (Run.WAITING, Run.RUNNING) for run in self.runs):
            return "broken off, goes on where it was", True
        if self.last:
            sent = sum(sum((run.totals or {}).values()) for run in self.runs)
            passes = len([run for run in self.runs if run.outcome])
            return f"{sent:,} sent" + (f" in {passes} passes" if passes > 1 else ""), False
        return ("nothing written yet", False) if self.planned else ("—", False)

    def _outcome(self) -> tuple[str, bool]:
        if not self.last:
            return "—", False
        refused = self.sum.get("refused", 0) + self.sum.get("unclear", 0)
        if refused:
            return f"{_count(refused, 'row', 'rows')} refused", True
        return "all in, read back", False

    def needs(self) -> dict[str, str]:
        """What the list of trips says: a verdict to colour it by, and the words."""
        if self.job:
            return {"kind": "update", "says": self.job.message or self.job.kind}
        held, rejected = self.sum.get("held", 0), self.sum.get("rejected", 0)
        refused = self.sum.get("refused", 0) + self.sum.get("unclear", 0)
        if self.last and refused:
            return {"kind": "rejected", "says": f"{refused:,} refused, fix and send again"}
        if held or rejected:
            kind = "held" if held else "rejected"
            return {"kind": kind, "says": f"{_count(held + rejected, 'row needs', 'rows need')} you"}
        if self.last:
            return {"kind": "create", "says": "all in, read back"}
        if self.planned:
            rows = to_write(self.trip)
            return (
                {"kind": "update", "says": f"{rows:,} ready to apply"}
                if rows
                else {"kind": "same", "says": "nothing to write"}
            )
        if self.sheet:
            return {"kind": "held", "says": "columns or keys to choose"}
        return {"kind": "same", "says": "out, not back yet"}

    def asks(self) -> bool:
        """Whether someone is needed."""
        ready = self.planned and not self.last and to_write(self.trip) > 0
        return ready or self.needs()["kind"] in ("held", "rejected")

    def as_json(self) -> dict[str, Any]:
        """The line and the sum, for the list and the trip's head."""
        return {
            "stations": [asdict(station) for station in self.stations()],
            "here": self.here,
            "needs": self.needs(),
            "asks": self.asks(),
            "finished": self.here == "outcome" and not self.asks(),
            "sum": self.sum,
            "rows": self.sheet.rows if self.sheet else None,
            "sent_rows": self.sent.rows if self.sent else None,
            "to_write": to_write(self.trip) if self.planned else 0,
        }
