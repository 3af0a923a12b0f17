"""What a pass does where rows are refused."""

from __future__ import annotations

from vexo.core.wording import thousands

from ..errors import PlainError
from .facts import from_json
from .facts.passes import TroubleRule
from .models import Trip


def check_rule(rule: TroubleRule) -> None:
    """Raises PlainError where a pass cannot do so."""
    if rule.stop_after is not None and rule.stop_after < 1:
        raise PlainError("A pass can stop after one refusal or more.", "trouble")
    if rule.take_back and rule.stop_after is None:
        raise PlainError("Say after how many refusals it stops and takes back.", "trouble")


def rule_of_trip(trip: Trip) -> TroubleRule:
    """What a pass of a trip does where nobody says otherwise: as the trip's last pass did, or as its route says."""
    last = trip.status.get("passes", []) if isinstance(trip.status, dict) else []
    if last:
        return TroubleRule(last[-1].get("stop_after"), bool(last[-1].get("take_back")))
    return from_json(trip.route.on_refusals, TroubleRule) if trip.route is not None else TroubleRule()


def rule_words(rule: TroubleRule) -> str:
    """A rule as a phrase."""
    if rule.stop_after is None:
        return "where rows are refused, it carries on with the others"
    rows = "one row was" if rule.stop_after == 1 else f"{thousands(rule.stop_after)} rows were"
    then = " and prepares to take back what it wrote" if rule.take_back else ""
    return f"it stops once {rows} refused{then}"
