"""What the passes of a route's trips do where rows are refused."""

from __future__ import annotations

from django.db import transaction
from django.db.models import F

from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.facts import from_json, to_json
from ..trips.facts.passes import TroubleRule
from ..trips.refusal_rules import check_rule, rule_words
from .models import Route


def rule_of_route(route: Route) -> TroubleRule:
    """What the passes of a route's trips do where rows are refused."""
    return from_json(route.on_refusals, TroubleRule)


def set_rule_of_route(person: Person, route: Route, rule: TroubleRule) -> Route:
    """Say what the passes of a route's trips do where rows are refused.

    Raises:
        NotAllowed, PlainError
    """
    require(person, Action.PREPARE)
    check_rule(rule)
    with transaction.atomic():
        kept = to_json(rule) if rule != TroubleRule() else {}
        Route.objects.filter(pk=route.pk).update(on_refusals=kept, version=F("version") + 1)
        note(person.username, "kept", f"Changed the route {route.name}: {rule_words(rule)}", route.application)
    route.refresh_from_db()
    return route
