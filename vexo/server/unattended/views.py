"""Routes that run by themselves, over HTTP."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..people.permissions import person_of
from ..people.rights import Action
from ..routes.models import Route
from ..who import WhoSerializer
from .models import Arrival, Unattended
from .services import MOST, Wished, set_unattended, stop_unattended, words_of

_LISTED = 5
"""Sheets that are listed of a route: what came last."""


class ArrivalSerializer(serializers.ModelSerializer[Arrival]):
    state = serializers.ChoiceField(
        choices=[Arrival.FOUND, Arrival.COMING, Arrival.APPLYING, Arrival.WAITS, Arrival.DONE, Arrival.FAILED]
    )

    class Meta:
        model = Arrival
        fields = ("id", "name", "trip", "state", "says", "at")


class UnattendedSerializer(serializers.ModelSerializer[Unattended]):
    """How a route runs by itself: ``says`` as a sentence, and what came last."""

    route = serializers.IntegerField(source="route_id")
    owner = WhoSerializer(source="owner.username")
    at = serializers.TimeField(format="%H:%M", allow_null=True)
    days = serializers.ListField(child=serializers.IntegerField())
    says = serializers.SerializerMethodField()
    arrivals = serializers.SerializerMethodField()

    class Meta:
        model = Unattended
        fields = (
            "route",
            "owner",
            "folder",
            "at",
            "days",
            "zone",
            "applies",
            "most",
            "most_deletes",
            "looked_at",
            "trouble",
            "says",
            "arrivals",
        )

    @extend_schema_field(serializers.CharField())
    def get_says(self, unattended: Unattended) -> str:
        return words_of(unattended)

    @extend_schema_field(ArrivalSerializer(many=True))
    def get_arrivals(self, unattended: Unattended) -> Any:
        return ArrivalSerializer(unattended.arrivals.all()[:_LISTED], many=True).data


class RunByItselfSerializer(Asked):
    """How a route is to run by itself; ``at`` null: as sheets are put into the folder. ``version`` is that of the route
    which was seen, without which none applies by itself."""

    only_with = {"days": ("at", ()), "most": ("applies", [True]), "most_deletes": ("applies", [True])}

    folder = serializers.CharField(max_length=120)
    at = serializers.TimeField(required=False, allow_null=True, default=None)
    days = serializers.ListField(child=serializers.IntegerField(min_value=0, max_value=6), required=False, default=list)
    zone = serializers.CharField(max_length=60, required=False, default="UTC")
    applies = serializers.BooleanField(required=False, default=False)
    most = serializers.IntegerField(min_value=0, max_value=MOST, required=False, default=0)
    most_deletes = serializers.IntegerField(min_value=0, max_value=MOST, required=False, default=0)
    version = serializers.IntegerField(min_value=1, required=False)

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["applies"] and "version" not in attrs:
            raise serializers.ValidationError({"version": "Say which version of the route may apply by itself."})
        return attrs


class UnattendedListView(APIView):
    @extend_schema(responses=UnattendedSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The routes that run by themselves."""
        all_ = Unattended.objects.select_related("route__application", "owner").order_by("route__name")
        return Response(UnattendedSerializer(all_, many=True).data)


class UnattendedView(APIView):
    rights = {"PUT": Action.PREPARE, "DELETE": Action.PREPARE}

    @extend_schema(request=RunByItselfSerializer, responses=UnattendedSerializer)
    def put(self, request: Request, pk: int) -> Response:
        """Have a route run by itself, under one's own rights."""
        route = get_object_or_404(Route.objects.select_related("application"), pk=pk)
        serializer = RunByItselfSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        seen = values.pop("version", 0)
        wished = Wished(**{**values, "days": tuple(values["days"])})
        return Response(UnattendedSerializer(set_unattended(person_of(request), route, wished, seen)).data)

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """The route runs by itself no more."""
        stop_unattended(person_of(request), get_object_or_404(Route, pk=pk))
        return Response(status=204)
