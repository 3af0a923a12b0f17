"""A pass as a trip's status tells it."""

from __future__ import annotations

from ..trips.facts import from_json
from ..trips.facts.passes import AbsentOutcome, PassState, StoredPass
from ..trips.facts.plans import Reason
from ..trips.part_view import PartView
from ..trips.status import record_pass
from .models import Pass
from .read_back_words import not_as_sent, report_of_pass


def view_of(pass_: Pass) -> PartView:
    """The part of the trip whose rows a pass sends."""
    part = pass_.plan.sheet.part
    return PartView(pass_.trip, part.number if part else 1)


def tell(pass_: Pass, *, revised: bool = False) -> None:
    """Write down how a pass stands among its trip's facts.

    Args:
        revised: it has written, so the newest plan no longer counts.
    """
    view, report = view_of(pass_), report_of_pass(pass_)
    stored = StoredPass(
        number=pass_.number,
        plan=pass_.plan.number,
        sheet=pass_.plan.sheet_id,
        part=view.part,
        state=PassState(pass_.state),
        rows=pass_.rows,
        atomic=pass_.atomic,
        totals=pass_.totals,
        sum=pass_.sums,
        absent=from_json(pass_.absent, AbsentOutcome) if pass_.absent else None,
        reasons=[from_json(reason, Reason) for reason in pass_.reasons],
        reason=pass_.reason,
        by=pass_.by,
        started_at=pass_.started_at,
        ended_at=pass_.ended_at,
        stop_after=pass_.stop_after,
        take_back=pass_.take_back,
        not_as_sent=not_as_sent(report),
    )
    record_pass(view, stored, report if pass_.report else None, revised=revised)
