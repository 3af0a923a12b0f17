"""What will become, or became, of every row of a plan."""

from __future__ import annotations

from functools import lru_cache

import polars as pl

from vexo.core.writing.ledger import STATES_OF_PAGE, STATES_OF_PLAN, states_of

from .. import artifacts
from ..trips.part_view import PartView
from ..trips.status import TripStatus
from .models import Plan


@lru_cache(maxsize=16)
def states(plan: str, page: str) -> pl.DataFrame:
    """The rows of a plan's file with their states, after the pass of a ledger's page, if there is one. Files never
    change under their name, so this is made once."""
    told = artifacts.read(page, STATES_OF_PAGE) if page else None
    return states_of(artifacts.read(plan, STATES_OF_PLAN), told)


def states_now(view: PartView, plan: Plan) -> pl.DataFrame:
    """The rows of the newest plan, after the pass that sent it, where one did."""
    sent = TripStatus(view).sent_by
    page = ""
    if sent is not None:
        page = next((p.path for p in view.trip.ledger.all() if p.number == sent.number), "")
    return states(plan.path, page)
