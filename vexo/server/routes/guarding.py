"""What guards do on the trips of a route, where that is otherwise than on its application's."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import F
from drf_spectacular.utils import extend_schema
from rest_framework.generics import get_object_or_404
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.guards import GuardSettings

from ..applications.guard_views import GuardsSerializer, SetGuardsSerializer, guards_json, said_in
from ..applications.guarding import keep_guards
from ..people.models import Person
from ..people.permissions import person_of
from ..people.rights import Action
from .models import Route


def set_route_guards(person: Person, route: Route, data: Any) -> Route:
    """Set what guards do on a route. Whoever may set those of its application may.

    Raises:
        NotAllowed, GuardError
    """
    kept = Route.objects.filter(pk=route.pk)
    with transaction.atomic():
        keep_guards(person, kept, route.application, f"Guards of the route {route.name}", data)
        kept.update(version=F("version") + 1)
    route.refresh_from_db()
    return route


class RouteGuardsView(APIView):
    rights = {"PUT": Action.CONNECT}

    @extend_schema(responses=GuardsSerializer)
    def get(self, request: Request, pk: int) -> Response:
        """What guards do on the trips of a route."""
        return Response(_of(get_object_or_404(Route.objects.select_related("application"), pk=pk)))

    @extend_schema(request=SetGuardsSerializer, responses=GuardsSerializer)
    def put(self, request: Request, pk: int) -> Response:
        """Set what guards do on the trips of a route; what is not said is as its application has it."""
        route = get_object_or_404(Route.objects.select_related("application"), pk=pk)
        return Response(_of(set_route_guards(person_of(request), route, said_in(request))))


def _of(route: Route) -> Any:
    beneath = GuardSettings.from_json(route.application.guards)
    return GuardsSerializer(guards_json(GuardSettings.from_json(route.guards), beneath)).data
