"""When a plan is made within the request that asks for it."""

from __future__ import annotations

from ..jobs.models import Job
from ..jobs.queues import LARGE_SHEET
from ..jobs.worker import release_to_workers, run_inline
from ..trips.part_view import PartView
from ..trips.sheets import newest_sheet
from .plan_trip import needs_no_question


def plan_inline(view: PartView, job: Job) -> None:
    """Do a planning job that this process holds, so that the answer shows the plan; where the rows are many or the
    application has to be asked, a worker does it."""
    view.trip.refresh_from_db()
    few = newest_sheet(view).rows <= LARGE_SHEET
    if few and not job.arguments.get("fresh") and needs_no_question(view):
        run_inline(job)
    else:
        release_to_workers(job)
