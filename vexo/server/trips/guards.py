"""What guards do on a trip."""

from __future__ import annotations

from vexo.core.guards import GuardSettings

from .models import Trip


def guards_of(trip: Trip) -> GuardSettings:
    """As the trip's route says; where that says nothing, as its application does."""
    application = GuardSettings.from_json(trip.application.guards)
    return GuardSettings.from_json(trip.route.guards).over(application) if trip.route else application
