"""Trips over HTTP: the list, one trip, its title, its sheets, the page of a record."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta
from typing import Any

from django.http import FileResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.planning.verdicts import LANDED

from .. import artifacts
from ..applications.services import client_of
from ..data_folder import absolute
from ..errors import Stale
from ..people.permissions import person_of
from ..people.rights import Action
from ..queries import whole_number
from ..rendering import reader_of
from . import serializers as s
from .facts import to_json
from .models import Sheet, Trip
from .part_view import PartView
from .sheet_files import parts_of_sheet
from .sheets import downloaded
from .titles import retitle
from .trip_list import Wanted, list_trips
from .trip_pages import trip_detail

SEEN = OpenApiParameter("If-Match", location=OpenApiParameter.HEADER, description="The version that was seen.")


def find_trip(pk: int) -> Trip:
    """A trip with its application. Raises Http404."""
    return get_object_or_404(Trip.objects.select_related("application"), pk=pk)


def find_view(pk: int, request: Request) -> PartView:
    """A trip with its application, looked at the part that the request names. Raises Http404, NotFound."""
    trip = find_trip(pk)
    named = _part_named(request)
    if not named:
        return PartView.of(trip)
    number = whole_number({"part": named}, "part", 0)
    if not trip.parts.filter(number=number).exists():
        raise NotFound
    return PartView(trip, number)


def _part_named(request: Request) -> str:
    return str(request.headers.get("Vexo-Part", "") or request.query_params.get("part", ""))


def names_part(request: Request) -> bool:
    """Whether a request says which part of a trip it means."""
    return bool(_part_named(request))


def unchanged(request: Request, view: PartView) -> None:
    """Raises Stale where the person's ``If-Match`` names an older state of the trip."""
    match = request.headers.get("If-Match", "").strip('W/"')
    if match and match != str(view.trip.version):
        newer = to_json(trip_detail(view, person_of(request)))
        raise Stale("It was changed elsewhere since you opened it. This is the newer state.", newer)


def detail(pk: int, request: Request, status: int = 200) -> Response:
    """The answer of everything that changes a trip: its page as it is now."""
    view = find_view(pk, request)
    headers = {"ETag": f'"{view.trip.version}"'}
    return Response(to_json(trip_detail(view, person_of(request))), status=status, headers=headers)


class TripsView(APIView):
    asks = ("text", "application", "offset", "limit")

    @extend_schema(
        responses=s.TripSummarySerializer(many=True),
        parameters=[
            OpenApiParameter("text", str, description="Words that title, type, application or number have."),
            OpenApiParameter("application", str),
            OpenApiParameter("offset", int, description="A place in their order: those from there on."),
            OpenApiParameter("limit", int, description="How many at once, 100 where nothing is said, at most 2,000."),
            OpenApiParameter(
                "Vexo-Total", int, OpenApiParameter.HEADER, response=True, description="How many are like that in all."
            ),
            OpenApiParameter(
                "Vexo-Waiting",
                int,
                OpenApiParameter.HEADER,
                response=True,
                description="How many older ones wait for a person and are not among these.",
            ),
            OpenApiParameter(
                "Link", str, OpenApiParameter.HEADER, response=True, description="`rel=next` where more follow."
            ),
        ],
    )
    def get(self, request: Request) -> Response:
        """The trips that were touched last, and those that wait for a person, however old they are: these first."""
        query = request.query_params
        offset, limit = (whole_number(query, name, 0) for name in ("offset", "limit"))
        wanted = Wanted(query.get("text", ""), query.get("application", ""), offset, limit)
        listed = list_trips(person_of(request), wanted)
        headers = {"Vexo-Total": str(listed.total), "Vexo-Waiting": str(listed.not_shown)}
        if listed.after is not None:
            following = query.copy()
            following["offset"] = str(listed.after)
            headers["Link"] = f'<{request.path}?{following.urlencode()}>; rel="next"'
        return Response(to_json(listed.trips), headers=headers)


class TripView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(responses=s.TripDetailSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return detail(pk, request)

    @extend_schema(request=s.TripTitleSerializer, responses=s.TripDetailSerializer, parameters=[SEEN])
    def patch(self, request: Request, pk: int) -> Response:
        """Give the trip another title."""
        view = find_view(pk, request)
        unchanged(request, view)
        serializer = s.TripTitleSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        retitle(view, person_of(request), serializer.validated_data["title"])
        return detail(pk, request)


class RecordView(APIView):
    """The page of a record in the application."""

    @extend_schema(responses=s.LinkSerializer)
    def get(self, request: Request, pk: int, identifier: str) -> Response:
        trip = find_trip(pk)
        known = trip.application.known
        if known is None:
            raise NotFound
        with client_of(trip.application, person_of(request).username) as client:
            return Response({"link": client.link(known.type(trip.record_type), identifier)})


class SheetView(APIView):
    """A file of the trip, as it came or went."""

    asks = ("file",)

    @extend_schema(
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("file", OpenApiTypes.INT)],
    )
    def get(self, request: Request, pk: int, sheet: int) -> FileResponse:
        """Of a list in parts ``file`` says which of its files, the first being 0."""
        sheet_asked = get_object_or_404(Sheet.objects.select_related("trip__application"), trip=pk, pk=sheet)
        files = parts_of_sheet(sheet_asked)
        at = whole_number(request.query_params, "file", 0)
        if at >= len(files):
            raise NotFound
        name, path = files[at]
        if not artifacts.there(path):
            raise artifacts.ArtifactLost(path)
        file = absolute(path).open("rb")
        downloaded(sheet_asked.trip, person_of(request), name, sheet_asked.rows)
        return FileResponse(file, as_attachment=True, filename=name)


class CarriedView(APIView):
    """Rows carried in, day by day where the reader lives."""

    @extend_schema(responses=s.CarriedSerializer(many=True))
    def get(self, request: Request) -> Response:
        zone = reader_of(request).zone
        today = timezone.localdate(timezone=zone)
        carried: Counter[Any] = Counter()
        refused: Counter[Any] = Counter()
        recent = Trip.objects.filter(touched_at__gt=timezone.now() - timedelta(days=15))
        for status in recent.values_list("status", flat=True):
            for one in status.get("passes", []) if isinstance(status, dict) else []:
                ended = parse_datetime(one.get("ended_at") or "") if isinstance(one, dict) else None
                totals = one.get("totals") if ended else None
                if ended is None or not isinstance(totals, dict):
                    continue
                day = timezone.localdate(ended, zone)
                carried[day] += sum(totals.get(name, 0) for name in LANDED)
                refused[day] += totals.get("refused", 0)
        days = [today - timedelta(days=back) for back in range(13, -1, -1)]
        return Response([{"day": day.isoformat(), "carried": carried[day], "refused": refused[day]} for day in days])
