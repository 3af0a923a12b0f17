"""The parts of a trip that was shared out: who has which, what is back, where each stands."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.planning.inputs import OTHERS
from vexo.core.records import IDENTIFIER

from .. import stages
from ..errors import PlainError
from ..journal.services import note
from ..naming import names_of
from ..people.models import Person
from ..people.rights import Action, require
from .models import Part, Sheet, Trip
from .standing import Standing, tell


def is_shared(trip: Trip) -> bool:
    """Whether a trip was shared out to several sheets."""
    return trip.parts.count() > 1


def records_elsewhere(trip: Trip) -> pl.DataFrame:
    """The records that went out in other parts than the one that the trip is looked at, and in which."""
    found = [pl.DataFrame(schema=OTHERS)]
    newest = {copy.part_id: copy for copy in trip.kept_copies.exclude(part__number=trip.part).select_related("part")}
    for copy in newest.values():
        if copy.part is not None:
            ids = stages.read(copy.path, [IDENTIFIER])
            found.append(ids.with_columns(pl.lit(copy.part.label).alias("part")))
    return pl.concat(found)


def part_named(trip: Trip, said: str) -> Part:
    """A part by its number or name. Raises PlainError."""
    parts = list(trip.parts.all())
    found = next((p for p in parts if p.label == said), None) or next((p for p in parts if str(p.number) == said), None)
    if found is None:
        told = ", ".join(f"{p.number} {p.label}".strip() for p in parts[:20])
        raise PlainError(f"Trip {trip.pk} has no part {said!r}. It has: {told}.", "part")
    return found


def give(trip: Trip, person: Person, number: int, holder: str) -> None:
    """Write down who has a part. Raises NotAllowed, PlainError."""
    require(person, Action.PREPARE)
    part = part_named(trip, str(number))
    trip.parts.filter(pk=part.pk).update(holder=holder.strip()[:120])
    tell(trip)
    words = f"Trip {trip.pk}: {part.label or number} is with {holder.strip() or 'nobody that is known'}"
    note(person.username, "changed", words, trip.application, trip.pk)


def parts_json(trip: Trip) -> list[dict[str, Any]]:
    """Each part: its sheet that went out, who has it, what came back and where that stands. Empty for a trip that
    was not shared out."""
    parts = list(trip.parts.all())
    if len(parts) < 2:
        return []
    sheets = list(trip.sheets.all())
    looked_at, made = trip.part, []
    for part in parts:
        out = next((s for s in sheets if s.part_id == part.pk and s.direction == Sheet.OUT), None)
        back = [s for s in sheets if s.part_id == part.pk and s.direction == Sheet.IN]
        standing = Standing(trip.at(part.number))
        needs = standing.needs() if back else {"kind": "same", "says": "out, not back yet"}
        state = "in" if back and standing.sent_by else "back" if back else "out"
        made.append(
            {
                "number": part.number,
                "label": part.label,
                "holder": part.holder,
                "state": state,
                "kind": needs["kind"],
                "says": needs["says"],
                "sheet": out.pk if out else None,
                "name": out.name if out else "",
                "rows": out.rows if out else 0,
                "came": len(back),
                "back_rows": back[-1].rows if back else None,
                "back_at": back[-1].added_at.isoformat() if back else None,
                "back_by": names_of([back[-1].added_by])[back[-1].added_by] if back else None,
                "sum": standing.sum,
            }
        )
    trip.at(looked_at)
    return made
