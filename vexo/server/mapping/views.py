"""Columns and lanes over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import PlainError
from ..jobs.views import JobSerializer
from ..people.permissions import person_of
from ..people.rights import Action
from ..serializing import serializer_for
from ..trips.facts import to_json
from ..trips.views import SEEN, find_view, unchanged
from .columns import Changes, change, go_on_without, take_marks
from .lane_choices import offered_tables, offered_treatments
from .lane_preview import TriedLane, try_lane
from .serializers import ChangeSerializer, LanesSerializer, TryLaneSerializer


class LanesView(APIView):
    """What lanes are made of, and one tried on a column."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=LanesSerializer)
    def get(self, request: Request, pk: int) -> Response:
        """All treatments, and the tables in which a trip's values can be looked up."""
        view = find_view(pk, request)
        return Response(LanesSerializer({"treatments": offered_treatments(), "tables": offered_tables(view.trip)}).data)

    @extend_schema(request=TryLaneSerializer, responses=serializer_for(TriedLane))
    def post(self, request: Request, pk: int) -> Response:
        """What a lane would do. Nothing is changed."""
        serializer = TryLaneSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        return Response(to_json(try_lane(find_view(pk, request), **serializer.validated_data)))


class ColumnsView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=ChangeSerializer, responses={202: JobSerializer}, parameters=[SEEN])
    def patch(self, request: Request, pk: int) -> Response:
        """Change where columns go, the key or the operation; the rows are planned anew."""
        view = find_view(pk, request)
        unchanged(request, view)
        change_serializer = ChangeSerializer(data=request.data)
        change_serializer.is_valid(raise_exception=True)
        data = dict(change_serializer.validated_data)
        without, marks = data.pop("without", False), data.pop("marks", False)
        changes = Changes(**data)
        if changes.are_none and not without and not marks:
            # A plan that somebody has seen or approved is not replaced for nothing.
            raise PlainError(
                "Nothing is said that would change. Name columns, a key, lanes or an operation.", "nothing"
            )
        if without:
            go_on_without(view, person_of(request))
        if marks:
            take_marks(view, person_of(request))
        return Response(JobSerializer(change(view, person_of(request), changes)).data, status=202)
