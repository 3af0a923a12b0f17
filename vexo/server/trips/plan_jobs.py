"""Plans are asked for in one way, whoever wants one."""

from __future__ import annotations

from typing import Any

from ..jobs.models import Job
from ..jobs.queues import LARGE_SHEET
from ..jobs.worker import enqueue
from .part_view import PartView
from .sheets import newest_in


def enqueue_plan(by: str, view: PartView, *, run_here: bool = False, fresh: bool, **more: Any) -> Job:
    """Ask for a plan of the newest sheet.

    Args:
        fresh: the application is asked for its records now.
    """
    sheet = newest_in(view)
    large = sheet is not None and sheet.rows > LARGE_SHEET
    return enqueue("plan", by, view, run_here=run_here, large=large, fresh=fresh, **more)
