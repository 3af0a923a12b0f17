"""What is refused while a pass is under way, or has not ended."""

from __future__ import annotations

from ..errors import PlainError
from .facts.passes import OPEN_PASS, PassState
from .models import Trip


def refuse_while_sending(trip: Trip) -> None:
    """Raises PlainError while a pass is being sent, whose rows are not known yet."""
    passes = trip.status.get("passes", []) if isinstance(trip.status, dict) else []
    if any(stored["state"] == PassState.RUNNING for stored in passes):
        raise PlainError("A pass is under way; do that again when it is done.", "pass-under-way")


def refuse_while_open(trip: Trip) -> None:
    """Raises PlainError while a pass has not ended: what its rows are for, and where columns go, stays as it was."""
    passes = trip.status.get("passes", []) if isinstance(trip.status, dict) else []
    unfinished = next((stored for stored in passes if stored["state"] in OPEN_PASS), None)
    if unfinished is not None:
        number = unfinished["number"]
        words = {PassState.RUNNING: "is under way", PassState.PAUSED: "is paused"}.get(
            unfinished["state"], "was interrupted"
        )
        raise PlainError(
            f"Pass {number} {words}. Columns, keys and what the rows are for can be changed once it has ended, or was "
            "given up.",
            "pass-open",
            number=number,
        )
