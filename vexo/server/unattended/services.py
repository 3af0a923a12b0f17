"""Saying that a route runs by itself, and how far it may go."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from django.db import transaction
from django.utils import timezone

from vexo.core.wording import clock, thousands

from ..errors import PlainError, Stale
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, applying, require
from ..routes.models import Route
from .folders import folder_of
from .models import Unattended

MOST = 100_000
"""Records that a route may write by itself at most: more are looked at by somebody."""


@dataclass(frozen=True)
class Wished:
    """How a route is to run by itself, as ``Unattended`` keeps it."""

    folder: str
    at: time | None = None
    days: tuple[int, ...] = ()
    zone: str = "UTC"
    applies: bool = False
    most: int = 0
    most_deletes: int = 0


def digest_of(route: Route) -> str:
    """A digest of what a route does with a sheet: what it brings in and how, its guards and its rule for refusals."""
    does = [route.application_id, route.record_type, route.import_document, route.guards, route.on_refusals]
    return hashlib.sha256(json.dumps(does, sort_keys=True).encode()).hexdigest()


def changed_since(unattended: Unattended) -> bool:
    """Whether the route does something else than when its owner said that it may apply by itself."""
    return unattended.applies and unattended.agreed != digest_of(unattended.route)


def set_unattended(person: Person, route: Route, wished: Wished, seen: int = 0) -> Unattended:
    """Have a route run by itself, under this person's rights. Applying by itself needs the right to apply there.

    Args:
        seen: the route's version that the person saw; 0 for whichever it is.

    Raises:
        NotAllowed, PlainError, Stale
    """
    require(person, Action.PREPARE)
    if route.bringing is None:
        raise PlainError(f"The route {route.name} does not say how a sheet comes in, so none can come by itself.")
    if wished.applies:
        require(person, applying(route.application.stage))
        if not 1 <= wished.most <= MOST:
            raise PlainError(f"Say how many records it may write by itself: from 1 to {thousands(MOST)}.")
        if wished.most_deletes > wished.most:
            raise PlainError("It may delete no more by itself than it may write at all.")
    folder_of(wished.folder)
    taken = Unattended.objects.filter(folder=wished.folder).exclude(route=route).select_related("route").first()
    if taken is not None:
        raise PlainError(
            f"The folder {wished.folder} is that of the route {taken.route.name}. Choose another.", "taken"
        )
    try:
        ZoneInfo(wished.zone)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise PlainError(f"{wished.zone!r} is not a time zone; one is Europe/London.") from error
    if not set(wished.days) <= set(range(7)):
        raise PlainError("Days are said from 0, Monday, to 6, Sunday.")
    values = {
        "owner": person,
        "folder": wished.folder,
        "at": wished.at,
        "days": sorted(set(wished.days)),
        "zone": wished.zone,
        "applies": wished.applies,
        "most": wished.most if wished.applies else 0,
        "most_deletes": wished.most_deletes if wished.applies else 0,
        "looked_at": timezone.now(),
        "trouble": "",
    }
    with transaction.atomic():
        route = Route.objects.select_related("application").get(pk=route.pk)
        if seen not in (0, route.version):
            raise Stale("The route was changed elsewhere since you opened it. Look at what it does now.", route.version)
        values["agreed"] = digest_of(route) if wished.applies else ""
        unattended, _ = Unattended.objects.update_or_create(route=route, defaults=values)
        note(
            person.username, "kept", f"The route {route.name} runs by itself: {words_of(unattended)}", route.application
        )
    return unattended


def stop_unattended(person: Person, route: Route) -> None:
    """The route runs by itself no more; trips that it made stay. Raises NotAllowed, PlainError."""
    require(person, Action.PREPARE)
    with transaction.atomic():
        count, _ = Unattended.objects.filter(route=route).delete()
        if not count:
            raise PlainError(f"The route {route.name} does not run by itself.", "gone")
        note(person.username, "kept", f"The route {route.name} runs by itself no more", route.application)


DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
"""Days of the week, by their places."""


def words_of(unattended: Unattended) -> str:
    """How it runs, as a sentence."""
    if unattended.at is None:
        looks = f"sheets come in from the folder {unattended.folder} as they are put there"
    else:
        days = ", ".join(DAYS[day] for day in unattended.days) or "each day"
        looks = (
            f"sheets come in from the folder {unattended.folder} at {clock(unattended.at)} ({unattended.zone}), {days}"
        )
    if not unattended.applies:
        return f"{looks}, and wait at Review"
    if changed_since(unattended):
        return (
            f"{looks}, and wait at Review, since the route was changed after it was said that it may apply by itself. "
            "Say so again where it still may"
        )
    deletes = f", {thousands(unattended.most_deletes)} of them deleted" if unattended.most_deletes else ", none deleted"
    return (
        f"{looks}, and are applied where nothing is open and at most {thousands(unattended.most)} records are "
        f"written{deletes}"
    )


def is_due(unattended: Unattended, now: datetime) -> bool:
    """Whether it is to look into its folder now: every time, or once after its time of a day."""
    if unattended.at is None:
        return True
    last, looked = _last_time(unattended, now), unattended.looked_at
    # A clock that was set back leaves a look in the future, which says nothing.
    return last is not None and (looked is None or looked < last or looked > now)


def _last_time(unattended: Unattended, now: datetime) -> datetime | None:
    """The last moment at which it was to look, of this day and the one before; None where there was none."""
    assert unattended.at is not None
    local = now.astimezone(ZoneInfo(unattended.zone))
    for back in (0, 1):
        day = local.date() - timedelta(days=back)
        moment = datetime.combine(day, unattended.at, ZoneInfo(unattended.zone))
        if moment <= local and (not unattended.days or day.weekday() in unattended.days):
            return moment
    return None
