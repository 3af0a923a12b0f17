"""What will become, or became, of every row of a plan."""

from __future__ import annotations

from functools import lru_cache

import polars as pl

from vexo.core.planning.frame import EARLIER_RESULT, FAULTS, VERDICT
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.writing.ledger import states_of

from .. import artifacts
from ..trips.part_view import PartView
from ..trips.status import TripStatus
from .models import Plan


@lru_cache(maxsize=16)
def states(plan: str, page: str) -> pl.DataFrame:
    """The rows of a plan's file with their states, after the pass of a ledger's page, if there is one. Files never
    change under their name, so this is made once."""
    columns = [ROW_ID, ROW, VERDICT, FAULTS, IDENTIFIER, EARLIER_RESULT]
    return states_of(artifacts.read(plan, columns), artifacts.read(page) if page else None)


def states_now(view: PartView, plan: Plan) -> pl.DataFrame:
    """The rows of the newest plan, after the pass that sent it, where one did."""
    sent = TripStatus(view).sent_by
    page = ""
    if sent is not None:
        page = next((p.path for p in view.trip.ledger.all() if p.number == sent.number), "")
    return states(plan.path, page)
