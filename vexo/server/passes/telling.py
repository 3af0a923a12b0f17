"""A pass as a trip's standing tells it."""

from __future__ import annotations

from typing import Any

from .models import Pass


def pass_facts(one: Pass) -> dict[str, Any]:
    """What the trip's page and the lists show of a pass."""
    return {
        "number": one.number,
        "plan": one.plan.number,
        "sheet": one.plan.sheet_id,
        "part": one.plan.sheet.part.number if one.plan.sheet.part else 1,
        "state": one.state,
        "rows": one.rows,
        "atomic": one.atomic,
        "totals": one.totals,
        "sum": one.sums,
        "reasons": one.reasons,
        "report": one.report,
        "reason": one.reason,
        "by": one.by,
        "started_at": one.started_at.isoformat(),
        "ended_at": one.ended_at.isoformat() if one.ended_at else None,
    }
