"""What a trip is called."""

from __future__ import annotations

from django.db import transaction

from ..errors import PlainError
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from .models import Trip
from .part_view import PartView
from .status import update_status

LONGEST = 160
"""Characters of a title."""


def retitle(view: PartView, person: Person, title: str) -> None:
    """Give a trip another title. Raises NotAllowed, PlainError."""
    require(person, Action.PREPARE)
    trip, title = view.trip, " ".join(title.split())
    if not title or len(title) > LONGEST:
        raise PlainError(f"A trip's title has from 1 to {LONGEST} characters.", "title")
    with transaction.atomic():
        Trip.objects.filter(pk=trip.pk).update(title=title)
        update_status(view)
        note(person.username, "changed", f"Trip {trip.pk} is called {title} now", trip.application, trip.pk)
