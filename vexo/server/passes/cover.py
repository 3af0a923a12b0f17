"""What a receipt is evidence of: whose trip, to which application, by whom and when, and what each pass did."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from django.utils import timezone

from ..locales import ANYONE
from ..naming import names_of
from ..planning.not_read import not_read_for
from ..trips.models import Trip
from .models import Pass
from .read_back_words import report_of_pass, summary_words


@dataclass(frozen=True)
class Cover:
    """What stands on top of a receipt, as ``facts`` for programs and as ``lines`` for people."""

    facts: dict[str, Any]

    @classmethod
    def of(cls, trip: Trip, pass_: Pass, passes: Sequence[Pass], running: Pass | None = None) -> Cover:
        """Of a trip and these passes.

        Args:
            pass_: the last of them.
            running: one that is being sent meanwhile, of which nothing is told.
        """
        application, sheet = trip.application, pass_.plan.sheet
        names = names_of([trip.created_by, *[one.by for one in passes]])
        facts = {
            "made": _at(timezone.now()),
            "trip": trip.pk,
            "title": trip.title,
            "application": application.name,
            "label": application.label,
            "stage": application.stage,
            "record_type": trip.record_type,
            "sheet": sheet.name,
            "rows": sheet.rows,
            "prepared_by": names[trip.created_by],
            "passes": [_pass(one, names[one.by]) for one in passes],
            "under_way": running.number if running is not None else None,
            "sums": (pass_.report or {}).get("totals") or {},
        }
        return cls(facts)

    @property
    def lines(self) -> list[list[str]]:
        """Two texts a line."""
        facts = self.facts
        lines = [
            ["Receipt", f"made {facts['made']}"],
            ["Trip", f"{facts['trip']}, {facts['title']}"],
            ["Application", f"{facts['label']} ({facts['stage'].upper()})"],
            ["Record type", facts["record_type"]],
            ["Sheet", f"{facts['sheet']}, {facts['rows']:,} rows"],
            ["Prepared by", facts["prepared_by"]],
        ]
        for one in facts["passes"]:
            did = ", ".join(f"{count:,} {name}" for name, count in one["totals"].items() if count) or "nothing"
            ended = f" to {one['ended']}" if one["ended"] else ""
            lines.append([f"Pass {one['number']}", f"plan {one['plan']}, confirmed by {one['confirmed_by']}"])
            lines.append(["", f"{one['started']}{ended}: {did} ({one['state']})"])
            lines += [["", words] for words in one["not_looked_at"]]
            lines += [["", f"read back: {words}"] for words in one["read_back"]]
            if one["approved_by"]:
                word = f": {one['word']}" if one["word"] else ""
                lines.append(["", f"approved by {one['approved_by']}, {one['approved']}{word}"])
            if one["without_approval"]:
                lines.append(["", f"without the approval that it needed: {one['without_approval']}"])
        if facts["under_way"]:
            lines.append([f"Pass {facts['under_way']}", "has not ended, and what it writes is not in this receipt"])
        for name, sums in facts["sums"].items():
            words = f"before {sums['before']}, planned {sums['planned']}, after {sums['after']}"
            lines.append([f"Sum of {name}", words])
        return lines


def _pass(one: Pass, by: str) -> dict[str, Any]:
    approval = one.plan.approvals.filter(state="approved").last()
    return {
        "number": one.number,
        "plan": one.plan.number,
        "confirmed_by": by,
        "started": _at(one.started_at),
        "ended": _at(one.ended_at),
        "state": one.state,
        "totals": one.totals or {},
        "not_looked_at": [ANYONE.text(words) for words in not_read_for(one.plan)],
        "read_back": [ANYONE.text(words) for words in summary_words(report_of_pass(one))],
        "stop_after": one.stop_after,
        "take_back": one.take_back,
        "approved_by": names_of([approval.by])[approval.by] if approval is not None else "",
        "approved": _at(approval.at) if approval is not None else "",
        "word": approval.word if approval is not None else "",
        "without_approval": ANYONE.text(one.lifted),
    }


def _at(moment: datetime | None) -> str:
    return moment.astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S UTC") if moment is not None else ""
