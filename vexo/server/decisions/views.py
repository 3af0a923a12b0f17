"""Decisions over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.verdicts import Answer

from ..asked import Asked
from ..people.permissions import person_of
from ..people.rights import Action
from ..planning.inline import plan_inline
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.facts.decisions import DecisionFact, Moved
from ..trips.serializers import TripDetailSerializer
from ..trips.views import detail, find_view
from . import decisions
from .decisions import Scope
from .listed import listed_decisions
from .moved import decide_again, moved

_TEXTS = serializers.CharField


class DecideSerializer(Asked):
    """An answer to what plan ``plan`` asks: of these rows, or of all with fault ``code``; of one field or all. Of rows
    that the application refused, those of ``field`` with exactly this ``message``, or all where none is said."""

    plan = serializers.IntegerField(min_value=1)
    rows = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=2**32 - 1),
        max_length=100_000,
        required=False,
        default=list,
        allow_empty=False,
    )
    code = _TEXTS(required=False, allow_blank=True, default="")
    field = _TEXTS(required=False, allow_blank=True, default="")
    message = _TEXTS(required=False, allow_blank=True, allow_null=True, default=None, trim_whitespace=False)
    answer = serializers.ChoiceField(choices=[(answer.value, answer.name) for answer in Answer])
    argument = _TEXTS(required=False, allow_blank=True, default="", max_length=200)


class DecisionsView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=serializer_for(DecisionFact)(many=True))
    def get(self, request: Request, pk: int) -> Response:
        """What was decided on a trip and is not undone, newest first, and what became of it."""
        view = find_view(pk, request)
        return Response(to_json(listed_decisions(view, person_of(request).username)))

    @extend_schema(request=DecideSerializer, responses=TripDetailSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Answer what a plan asks; the next plan follows."""
        view = find_view(pk, request)
        serializer = DecideSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        v = serializer.validated_data
        scope = Scope(tuple(v["rows"]), v["code"], v["field"], v["message"])
        _, job = decisions.decide(
            view,
            person_of(request),
            v["plan"],
            scope,
            v["answer"],
            v["argument"],
            run_here=True,
        )
        plan_inline(view, job)
        return detail(pk, request)


class DecisionView(APIView):
    rights = {"DELETE": Action.PREPARE}

    @extend_schema(responses={200: TripDetailSerializer})
    def delete(self, request: Request, pk: int, number: int) -> Response:
        """Take one decision back."""
        view = find_view(pk, request)
        plan_inline(view, decisions.undo(view, person_of(request), number, run_here=True))
        return detail(pk, request)


class DecideAgainSerializer(Asked):
    """The plan that was seen."""

    plan = serializers.IntegerField(min_value=1)


class MovedTripSerializer(serializers.Serializer[Any]):
    """How a trip that was moved compares with the one that it comes from; null where it was not moved."""

    moved = serializer_for(Moved)(allow_null=True)


class MovedView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=MovedTripSerializer)
    def get(self, request: Request, pk: int) -> Response:
        """What of a moved trip's plan differs from the trip that it comes from, and which decisions can be made
        again."""
        return Response({"moved": to_json(moved(find_view(pk, request)))})

    @extend_schema(request=DecideAgainSerializer, responses=TripDetailSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Make the decisions of the other trip here where what was seen is the same; the next plan follows."""
        view = find_view(pk, request)
        again = DecideAgainSerializer(data=request.data)
        again.is_valid(raise_exception=True)
        plan_inline(view, decide_again(view, person_of(request), again.validated_data["plan"], run_here=True))
        return detail(pk, request)
