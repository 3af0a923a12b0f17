"""The parts of a trip that was shared out: who has which, what is back, where each stands."""

from __future__ import annotations

from vexo.core.planning.verdicts import RowState

from ..errors import PlainError
from ..journal.services import note
from ..lengths import at_most
from ..naming import names_of
from ..people.models import Person
from ..people.rights import Action, require
from .facts.parts import Part as PartFact
from .facts.parts import PartState
from .facts.status import Needs
from .models import Part, Sheet, Trip
from .part_view import PartView
from .status import TripStatus, update_status

LONGEST_HOLDER = 120
"""Characters of the name of who has a part."""


def part_named(trip: Trip, said: str) -> Part:
    """A part by its number or name. Raises PlainError."""
    parts = list(trip.parts.all())
    part = next((p for p in parts if p.label == said), None) or next((p for p in parts if str(p.number) == said), None)
    if part is None:
        words = ", ".join(f"{p.number} {p.label}".strip() for p in parts[:20])
        raise PlainError(f"Trip {trip.pk} has no part {said!r}. It has: {words}.", "part")
    return part


def give(view: PartView, person: Person, number: int, holder: str) -> None:
    """Write down who has a part. Raises NotAllowed, PlainError."""
    trip = view.trip
    require(person, Action.PREPARE)
    part, holder = part_named(trip, str(number)), at_most(LONGEST_HOLDER, holder, "The name of who has a part", "part")
    trip.parts.filter(pk=part.pk).update(holder=holder)
    update_status(view)
    words = f"Trip {trip.pk}: {part.label or number} is with {holder or 'nobody that is known'}"
    note(person.username, "changed", words, trip.application, trip.pk)


def parts_of(view: PartView) -> list[PartFact]:
    """Each part: its sheet that went out, who has it, what came back and where that stands. Empty for a trip that
    was not shared out."""
    trip = view.trip
    parts = list(trip.parts.all())
    if len(parts) < 2:
        return []
    sheets = list(trip.sheets.all())
    return [_part_of(view.at(part.number), part, [s for s in sheets if s.part_id == part.pk]) for part in parts]


def asking_parts(view: PartView, status: TripStatus) -> list[tuple[Part, TripStatus]]:
    """The parts of a shared-out trip at which somebody is needed, the one that came in last first. None while work on
    the trip is under way, or where it was not shared out.

    Args:
        status: of the part that came in last.
    """
    if status.facts.parts.all < 2 or status.job:
        return []
    standing = [
        (part, status if part.number == view.part else TripStatus(view.at(part.number)))
        for part in view.trip.parts.all()
    ]
    if status.open_pass:
        return [(part, its) for part, its in standing if part.number == status.open_pass.part]
    asking = [(part, its) for part, its in standing if its.sheet and its.asks()]
    return sorted(asking, key=lambda one: one[0].number != view.part)


def _part_of(view: PartView, part: Part, sheets: list[Sheet]) -> PartFact:
    out = next((sheet for sheet in sheets if sheet.direction == Sheet.OUT), None)
    back = [sheet for sheet in sheets if sheet.direction == Sheet.IN]
    newest = back[-1] if back else None
    status = TripStatus(view)
    needs = status.needs() if back else Needs(RowState.SAME, "out, not back yet")
    return PartFact(
        number=part.number,
        label=part.label,
        holder=part.holder,
        state=PartState.IN if back and status.sent_by else PartState.BACK if back else PartState.OUT,
        kind=needs.kind,
        says=needs.says,
        sheet=out.pk if out else None,
        name=out.name if out else "",
        rows=out.rows if out else 0,
        came=len(back),
        back_rows=newest.rows if newest else None,
        back_at=newest.added_at if newest else None,
        back_by=names_of([newest.added_by])[newest.added_by] if newest else None,
        sum=status.sum,
    )
