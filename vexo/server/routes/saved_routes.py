"""Routes: saved ways of making a trip."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from django.db import IntegrityError, transaction

from vexo.core.documents import BringIn, Lost, SendOut, check, fitted, fitted_bringing, sentence, sentence_of_bringing
from vexo.core.records import UnknownName
from vexo.core.sheets.row_filter import safe_names
from vexo.core.sheets.shape import column_titles

from ..applications.guarding import plans_lapse
from ..applications.models import Application
from ..applications.services import describe
from ..errors import PlainError, Stale
from ..journal.services import note
from ..lengths import at_most
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.facts.parts import RouteFit
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.refusal_rules import rule_of_trip
from ..trips.sheets import newest_in
from ..trips.status import status_facts, update_status
from .models import Route
from .refusal_rules import set_rule_of_route

_USES = {
    "carried": "is no longer a field; its column is not carried.",
    "key": "is no longer a field, by which rows find their records; the key is to be chosen.",
    "column": "is no longer a field; the rest goes out without it.",
    "order": "is no longer a field; the sheet comes in another order.",
    "share": "is no longer a field; the sheet is not shared out.",
    "picked": "is no longer a field, by which records were picked; without it all go out.",
    "reach": "Which records it may touch cannot be read any more, so no sheet comes in by it until that is said again:",
    "condition": "The condition does not fit any more and is left out:",
}


LONGEST_NAME = 120
"""Characters of a route's name."""


@dataclass(frozen=True)
class Fit:
    """How a route fits the application as it is now: the documents that still work, what is lost, in words, and what it
    does, as sentences. Both documents are None where its record type is gone. ``lost_out`` says of which uses something
    is lost that goes out (``Lost.use``)."""

    document: SendOut | None
    bringing: BringIn | None
    lost: tuple[str, ...]
    says: str
    says_in: str
    lost_out: frozenset[str] = frozenset()


def _words(lost: Lost) -> str:
    if lost.use in ("condition", "reach"):
        return f"{_USES[lost.use]} {lost.name}"
    return f"{lost.name} {_USES[lost.use]}"


def fit_of(route: Route) -> Fit:
    """How a route fits now."""
    catalogue = route.application.known
    if catalogue is None:
        return Fit(None, None, (f"{route.application.label} has not said yet what it holds.",), "", "")
    lost: list[Lost] = []
    document, bringing, says, says_in = route.document, route.bringing, "", ""
    uses: frozenset[str] = frozenset()
    try:
        if document is not None:
            document, some = fitted(document, catalogue)
            lost, says, uses = [*lost, *some], sentence(document, catalogue), frozenset(one.use for one in some)
        if bringing is not None:
            bringing, some = fitted_bringing(bringing, catalogue)
            lost, says_in = [*lost, *some], sentence_of_bringing(bringing, catalogue)
        return Fit(document, bringing, tuple(dict.fromkeys(map(_words, lost))), says, says_in, uses)
    except UnknownName as error:
        return Fit(None, None, (str(error),), "", "")


@dataclass(frozen=True)
class Wanted:
    """What a route is to be: what goes out and how it comes in, one of them at least; None leaves what is kept."""

    name: str
    application: Application
    document: SendOut | None = None
    bringing: BringIn | None = None


def keep_route(person: Person, wanted: Wanted, before: Route | None = None, seen: int = 0) -> Route:
    """Keep a way of making a trip as a route, or change one.

    Args:
        before: the route that is changed.
        seen: its version that the person saw; 0 for whichever it is.

    Raises:
        NotAllowed, PlainError, Stale, UnknownName, ConditionError, DocumentError
    """
    require(person, Action.PREPARE)
    name, application = at_most(LONGEST_NAME, wanted.name, "A route's name", "name"), wanted.application
    if not name:
        raise PlainError("A route needs a name.", "name")
    catalogue = application.known or describe(application)
    halves: dict[str, Any] = {}
    if wanted.document is not None:
        halves["send_document"] = check(wanted.document, catalogue).to_json()
        halves["record_type"] = halves["send_document"]["record_type"]
    if wanted.bringing is not None:
        halves["import_document"] = wanted.bringing.to_json()
        halves["record_type"] = wanted.bringing.record_type
    if not halves:
        raise PlainError("A route needs what goes out, or how a sheet comes in.", "empty")
    _same_type(wanted, before)
    try:
        with transaction.atomic():
            if before is None:
                route = Route.objects.create(name=name, application=application, made_by=person.username, **halves)
                note(person.username, "kept", f"Kept the route {name}", application)
                return route
            changes = {"name": name, "application": application, "version": before.version + 1, **halves}
            routes = Route.objects.filter(pk=before.pk, version=seen or before.version)
            if not routes.update(**changes):
                raise Stale("The route was changed elsewhere since you opened it.")
            note(person.username, "kept", f"Changed the route {name}", application)
    except IntegrityError as error:
        raise PlainError(f"A route is called {name} already. Choose another name.", "taken") from error
    before.refresh_from_db()
    return before


def _same_type(wanted: Wanted, before: Route | None) -> None:
    """What goes out and what comes in are of one record type, what is kept of a route before included."""
    send_document = wanted.document or (before.document if before else None)
    import_document = wanted.bringing or (before.bringing if before else None)
    if send_document and import_document and send_document.record_type != import_document.record_type:
        says = f"A route is of one record type; {wanted.name.strip()} would send out {send_document.record_type}"
        raise PlainError(f"{says} and bring in {import_document.record_type}. Keep it under another name.", "types")


def keep_trip(person: Person, view: PartView, name: str) -> Route:
    """Keep the whole way of a trip as a route: what went out, and how its newest sheet came in; a route of that name on
    the same application becomes this one.

    Raises:
        NotAllowed, PlainError
    """
    trip = view.trip
    require(person, Action.PREPARE)
    sheet = newest_in(view)
    bringing = document_of_sheet(view, sheet) if sheet is not None else None
    before = Route.objects.filter(name=name.strip(), application=trip.application).first()
    route = keep_route(person, Wanted(name, trip.application, trip.document, bringing), before)
    with transaction.atomic():
        if trip.status.get("passes"):
            route = set_rule_of_route(person, route, rule_of_trip(trip))
        Trip.objects.filter(pk=trip.pk).update(route=route)
        update_status(view)
    return route


def document_of_sheet(view: PartView, sheet: Sheet) -> BringIn:
    """How a trip's newest sheet came in, with all that was known by itself said."""
    trip = view.trip
    columns = {m.header: m.field for m in sheet.mappings.all() if m.header and "/" not in m.field}
    key = tuple(trip.key) or tuple(status_facts(view).key.names)
    bringing = trip.bringing
    words = set(re.findall(r"\w+", bringing.row_condition))
    names = safe_names(sheet.profile.columns)
    titles = column_titles(sheet.profile.columns)
    headers = tuple(title for column, title in titles.items() if names.get(column) in words)
    return replace(bringing, columns=columns, key=key, row_headers=headers)


def goes_by(view: PartView, route: Route) -> bool:
    """Whether a trip's sheets come in as its route says, and not as a person said on the trip itself."""
    says, goes = route.bringing, view.trip.bringing
    if view.trip.route_id != route.pk or says is None or not goes.columns.items() <= says.columns.items():
        return False
    # A route without a key takes the one that a sheet tells by itself.
    key = goes.key or (tuple(status_facts(view).key.names) if says.key else ())
    return replace(goes, columns=says.columns, row_headers=says.row_headers, key=key) == says


@dataclass(frozen=True)
class SheetFit:
    """How a sheet's header fits a route: the columns that it lacks, and those that the route does not know."""

    route: Route
    missing: tuple[str, ...]
    new: tuple[str, ...]
    share: float

    @property
    def whole(self) -> bool:
        """Whether nothing has to be asked."""
        return not self.missing and not self.new

    @property
    def fact(self) -> RouteFit:
        """The same as it is told."""
        route = self.route
        missing, new = list(self.missing), list(self.new)
        return RouteFit(route.pk, route.name, route.application.name, route.record_type, missing, new)


_ALIKE = 0.5
"""Share of a route's columns that a sheet has to have for the route to be offered."""


def fit_of_sheet(route: Route, bringing: BringIn, headers: Sequence[str]) -> SheetFit:
    """How a sheet with these headers fits a route."""
    named = [header for header in headers if header]
    known = {*bringing.columns, *bringing.headers}
    missing = tuple(sorted(header for header in bringing.headers if named.count(header) != 1))
    share = 1 - len(missing) / len(bringing.headers) if bringing.headers else 0.0
    return SheetFit(route, missing, tuple(header for header in named if header not in known), share)


def routes_for(headers: Sequence[str]) -> list[SheetFit]:
    """The routes whose columns a sheet has, all or most of them; those that fit best first."""
    sheet_fits = []
    for route in Route.objects.select_related("application").exclude(import_document={}):
        bringing = fit_of(route).bringing
        fit = fit_of_sheet(route, bringing, headers) if bringing is not None else None
        if fit is not None and fit.share >= _ALIKE:
            sheet_fits.append(fit)
    return sorted(sheet_fits, key=lambda one: (-one.share, len(one.new), one.route.name))


def delete_route(person: Person, route: Route) -> None:
    """Delete a route; trips that were made on it stay. Raises NotAllowed."""
    require(person, Action.PREPARE)
    with transaction.atomic():
        note(person.username, "deleted", f"Deleted the route {route.name}", route.application)
        if route.guards:
            plans_lapse(route.trips)
        route.delete()


def find_route(name: str) -> Route:
    """A route by its name or number. Raises PlainError."""
    route = Route.objects.select_related("application").filter(name=name).first()
    if route is None and name.isdecimal() and len(name) < 10:
        route = Route.objects.select_related("application").filter(pk=int(name)).first()
    if route is None:
        words = ", ".join(Route.objects.values_list("name", flat=True)[:20]) or "none yet"
        raise PlainError(f"No route is called {name!r}. Routes: {words}.", "no-route")
    return route
