"""Routes: saved ways of making a trip."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import IntegrityError, transaction

from vexo.core.documents import Lost, SendOut, check, fitted, sentence
from vexo.core.records import UnknownName

from ..applications.models import Application
from ..applications.services import describe
from ..errors import PlainError, Stale
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import Route

_USES = {
    "column": "is no field any more; the rest goes out without it.",
    "order": "is no field any more; the sheet comes in another order.",
    "share": "is no field any more; the sheet is not shared out.",
    "picked": "is no field any more, by which records were picked; without it all go out.",
    "condition": "The condition does not fit any more and is left out:",
}


@dataclass(frozen=True)
class Fit:
    """How a route fits the application as it is now: the document that still works, what is lost, in words, and what it
    does, as a sentence. ``document`` is None where its record type is gone."""

    document: SendOut | None
    lost: tuple[str, ...]
    says: str


def _words(lost: Lost) -> str:
    if lost.use == "condition":
        return f"{_USES['condition']} {lost.name}"
    return f"{lost.name} {_USES[lost.use]}"


def fit_of(route: Route) -> Fit:
    """How a route fits now."""
    catalogue = route.application.known
    if catalogue is None:
        return Fit(None, (f"{route.application.label} has not said yet what it holds.",), "")
    try:
        document, lost = fitted(route.document, catalogue)
        return Fit(document, tuple(map(_words, lost)), sentence(document, catalogue))
    except UnknownName as error:
        return Fit(None, (str(error),), "")


def keep_route(
    person: Person, application: Application, name: str, document: SendOut, before: Route | None = None, seen: int = 0
) -> Route:
    """Keep what goes out as a route, or change one.

    Args:
        before: the route that is changed.
        seen: its version that the person saw; 0 for whichever it is.

    Raises:
        NotAllowed, PlainError, Stale, UnknownName, ConditionError, DocumentError
    """
    require(person, Action.PREPARE)
    name = name.strip()
    if not name:
        raise PlainError("A route needs a name.", "name")
    sends = check(document, application.known or describe(application)).to_json()
    try:
        with transaction.atomic():
            if before is None:
                made = Route.objects.create(name=name, application=application, sends=sends, made_by=person.username)
                note(person.username, "kept", f"Kept the route {name}", application)
                return made
            changes = {"name": name, "application": application, "sends": sends, "version": before.version + 1}
            found = Route.objects.filter(pk=before.pk, version=seen or before.version)
            if not found.update(**changes):
                raise Stale("The route was changed elsewhere since you opened it.")
            note(person.username, "kept", f"Changed the route {name}", application)
    except IntegrityError as error:
        raise PlainError(f"A route is called {name} already. Choose another name.", "taken") from error
    before.refresh_from_db()
    return before


def drop_route(person: Person, route: Route) -> None:
    """Drop a route; trips that were made on it stay. Raises NotAllowed."""
    require(person, Action.PREPARE)
    with transaction.atomic():
        note(person.username, "dropped", f"Dropped the route {route.name}", route.application)
        route.delete()


def find_route(name: str) -> Route:
    """A route by its name or number. Raises PlainError."""
    found = Route.objects.select_related("application").filter(name=name).first()
    if found is None and name.isdecimal() and len(name) < 10:
        found = Route.objects.select_related("application").filter(pk=int(name)).first()
    if found is None:
        there = ", ".join(Route.objects.values_list("name", flat=True)[:20]) or "none yet"
        raise PlainError(f"No route is called {name!r}. Routes: {there}.", "no-route")
    return found
