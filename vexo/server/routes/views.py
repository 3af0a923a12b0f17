"""Routes over HTTP."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.documents import lane_sentence

from ..applications.models import Application
from ..asked import Asked
from ..errors import PlainError
from ..people.permissions import person_of
from ..people.rights import Action
from ..serializing import serializer_for
from ..trips.facts.passes import TroubleRule
from ..trips.views import find_view
from ..who import WhoSerializer
from . import documents as s
from .models import Route
from .refusal_rules import rule_of_route, set_rule_of_route
from .saved_routes import LONGEST_NAME, Fit, Wanted, delete_route, fit_of, keep_route, keep_trip


class RouteSerializer(serializers.Serializer[Any]):
    """A route: ``document`` is as much of what goes out as fits the application now, null where nothing does;
    ``comes_in`` tells that it says how a sheet comes in, ``lanes`` in which lanes, as sentences; ``lost`` is what does
    not fit, ``says`` and ``says_in`` what it does."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    application = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    stage = serializers.CharField()
    version = serializers.IntegerField()
    record_type = serializers.CharField()
    says = serializers.CharField(allow_blank=True)
    says_in = serializers.CharField(allow_blank=True)
    comes_in = serializers.BooleanField()
    lanes = serializers.ListField(child=serializers.CharField())
    lost = serializers.ListField(child=serializers.CharField())
    document = s.DocumentSerializer(allow_null=True)
    made_by = WhoSerializer()
    made_at = serializers.DateTimeField()
    on_refusals = serializer_for(TroubleRule)()
    used = serializers.IntegerField()
    used_at = serializers.DateTimeField(allow_null=True)
    rows = serializers.IntegerField(allow_null=True)


class KeepRouteSerializer(s.DocumentSerializer):
    """What goes out, under a name; ``version`` is the one that was seen, where it is changed."""

    application = serializers.CharField()
    name = serializers.CharField(max_length=LONGEST_NAME)
    version = serializers.IntegerField(required=False, default=0)


def _lanes(route: Route, fit: Fit) -> list[str]:
    known = route.application.known
    if fit.bringing is None or known is None:
        return []
    record_type, columns = known.type(route.record_type), {f: h for h, f in fit.bringing.columns.items() if f}
    lanes = fit.bringing.lanes.items()
    fields = {name: record_type.field(name) for name, _ in lanes}
    return [
        f"{fields[name].label}: {lane_sentence(fields[name], lane, lane.source or columns.get(name, ''))}"
        for name, lane in lanes
    ]


def _told(route: Route) -> Any:
    fit = fit_of(route)
    route_json = {
        **{name: getattr(route, name) for name in ("id", "name", "version", "made_by", "made_at")},
        **{name: getattr(route, name) for name in ("used", "used_at", "rows", "record_type")},
        "application": route.application.name,
        "label": route.application.label,
        "stage": route.application.stage,
        "says": fit.says,
        "says_in": fit.says_in,
        "comes_in": fit.bringing is not None,
        "lanes": _lanes(route, fit),
        "lost": list(fit.lost),
        "on_refusals": rule_of_route(route),
        "document": s.document_json(fit.document) if fit.document else None,
    }
    return RouteSerializer(route_json).data


class RoutesView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=RouteSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response([_told(route) for route in Route.objects.select_related("application")])

    @extend_schema(request=KeepRouteSerializer, responses={201: RouteSerializer})
    def post(self, request: Request) -> Response:
        """Keep what goes out as a route."""
        serializer = KeepRouteSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        if values["version"]:
            raise PlainError("A route that is new has no version yet. Leave it out.", "beside")
        application = get_object_or_404(Application, name=values["application"])
        route = keep_route(person_of(request), Wanted(values["name"], application, s.document_of(values)))
        return Response(_told(route), status=201)


class NameSerializer(Asked):
    name = serializers.CharField(max_length=LONGEST_NAME)


class TripRouteView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=NameSerializer, responses={201: RouteSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Keep the whole way of a trip as a route: what went out, and how its newest sheet came in."""
        name_serializer = NameSerializer(data=request.data)
        name_serializer.is_valid(raise_exception=True)
        view = find_view(pk, request)
        return Response(_told(keep_trip(person_of(request), view, name_serializer.validated_data["name"])), status=201)


class OnRefusalsSerializer(Asked):
    """What passes of a route's trips do where rows are refused."""

    stop_after = serializers.IntegerField(min_value=1, max_value=10**9, required=False, allow_null=True, default=None)
    take_back = serializers.BooleanField(required=False, default=False)


class RouteRefusalsView(APIView):
    rights = {"PUT": Action.PREPARE}

    @extend_schema(request=OnRefusalsSerializer, responses=RouteSerializer)
    def put(self, request: Request, pk: int) -> Response:
        """Say what passes of a route's trips do where rows are refused, where nobody says otherwise."""
        serializer = OnRefusalsSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        route = get_object_or_404(Route.objects.select_related("application"), pk=pk)
        return Response(_told(set_rule_of_route(person_of(request), route, TroubleRule(**serializer.validated_data))))


class RouteView(APIView):
    rights = {"PUT": Action.PREPARE, "DELETE": Action.PREPARE}

    @extend_schema(responses=RouteSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(_told(get_object_or_404(Route.objects.select_related("application"), pk=pk)))

    @extend_schema(request=KeepRouteSerializer, responses=RouteSerializer)
    def put(self, request: Request, pk: int) -> Response:
        """Change a route."""
        route = get_object_or_404(Route, pk=pk)
        serializer = KeepRouteSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        application = get_object_or_404(Application, name=values["application"])
        wanted = Wanted(values["name"], application, s.document_of(values))
        changed = keep_route(person_of(request), wanted, route, values["version"])
        return Response(_told(changed))

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Delete a route; trips that were made on it stay."""
        delete_route(person_of(request), get_object_or_404(Route.objects.select_related("application"), pk=pk))
        return Response(status=204)
