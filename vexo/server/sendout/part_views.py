"""A shared-out trip's parts, its kept copy, and what changed since, over HTTP."""

from __future__ import annotations

from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..asked import Asked
from ..jobs.views import JobSerializer
from ..people.permissions import person_of
from ..people.rights import Action
from ..trips.part_view import PartView
from ..trips.parts import LONGEST_HOLDER, give
from ..trips.serializers import TripDetailSerializer
from ..trips.sheets import downloaded
from ..trips.views import detail, find_trip, find_view
from .compare import start_comparing, write_kept
from .zipped import zipped


class HolderSerializer(Asked):
    """Who has a part."""

    holder = serializers.CharField(allow_blank=True, max_length=LONGEST_HOLDER)


class PartHolderView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=HolderSerializer, responses=TripDetailSerializer)
    def patch(self, request: Request, pk: int, number: int) -> Response:
        """Write down who has a part."""
        serializer = HolderSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        give(find_view(pk, request), person_of(request), number, serializer.validated_data["holder"])
        return detail(pk, request)


class ZipView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int) -> FileResponse:
        """All sheets that went out, as one ZIP file."""
        trip = find_trip(pk)
        name = f"trip-{pk}-parts.zip"
        file = zipped(trip)
        downloaded(trip, person_of(request), name)
        return FileResponse(file, as_attachment=True, filename=name)


class KeptView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int, ending: str) -> FileResponse:
        """The kept copy of all parts, with all that was read, as a sheet."""
        trip = find_trip(pk)
        file, rows = write_kept(trip, ending)
        name = f"trip-{pk}-kept.{ending}"
        downloaded(trip, person_of(request), name, rows)
        return FileResponse(file, as_attachment=True, filename=name)


class CompareView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request, pk: int) -> Response:
        """Read the trip's selection again, and compare it with what went out."""
        return Response(JobSerializer(start_comparing(PartView.of(find_trip(pk)), person_of(request))).data, status=202)
