"""A shared-out trip's parts, its kept copy, and what changed since, over HTTP."""

from __future__ import annotations

import zipfile
from tempfile import TemporaryFile
from typing import Any

from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from .. import artifacts
from ..asked import Asked
from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.views import JobSerializer
from ..people.permissions import person_of
from ..people.rights import Action
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.parts import give
from ..trips.serializers import TripDetailSerializer
from ..trips.sheets import downloaded
from ..trips.views import detail, find_trip, find_view
from .compare import start_comparing, write_kept


class HolderSerializer(Asked):
    """Who has a part."""

    holder = serializers.CharField(allow_blank=True, max_length=120)


class PartHolderView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=HolderSerializer, responses=TripDetailSerializer)
    def patch(self, request: Request, pk: int, number: int) -> Response:
        """Write down who has a part."""
        serializer = HolderSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        give(find_view(pk, request), person_of(request), number, serializer.validated_data["holder"])
        return detail(pk, request)


def zipped(trip: Trip) -> Any:
    """All sheets that went out on a trip in one ZIP file, open for reading."""
    file = TemporaryFile()  # noqa: SIM115 - whoever reads it closes it
    taken: set[str] = set()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as out:
        for sheet in trip.sheets.filter(direction=Sheet.OUT):
            if not artifacts.there(sheet.path):
                raise artifacts.ArtifactLost(sheet.path)
            stem, dot, ending = sheet.name.rpartition(".")
            name = sheet.name if sheet.name not in taken else f"{stem}-{sheet.pk}{dot}{ending}"
            taken.add(name)
            kind = zipfile.ZIP_STORED if ending in ("xlsx", "ods") else zipfile.ZIP_DEFLATED
            out.write(absolute(sheet.path), name, kind)
    file.seek(0)
    return file


class ZipView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, pk: int) -> FileResponse:
        """All sheets that went out, as one ZIP file."""
        trip = find_trip(pk)
        if not trip.sheets.filter(direction=Sheet.OUT).exists():
            raise PlainError(f"Nothing has gone out on trip {pk}.", "no-sheet")
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
