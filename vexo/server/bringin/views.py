"""Sheets that come in, over HTTP: uploads in parts, columns and keys."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.sheets import Choices, SheetProfile

from .. import stages
from ..applications.models import Application
from ..errors import PlainError
from ..jobs.views import JobSerializer
from ..parsing import PlainJSONParser
from ..people.permissions import person_of
from ..people.rights import Action
from ..trips.sheet_serializers import ChoicesSerializer
from ..trips.views import SEEN, find_trip, unchanged
from ..trips.windows import MOST, WindowSerializer, sheet_window
from . import uploads
from .bringing import bring_in_otherwise, read_otherwise, start_bringing_in, start_recognising
from .columns import change
from .offering import offered_tables, offered_treatments
from .previewing import try_lane
from .reading import place_of
from .refilling import start_refilling
from .serializers import (
    BringInSerializer,
    ChangeSerializer,
    LanesSerializer,
    PartsSerializer,
    RefillSerializer,
    TriedLaneSerializer,
    TryLaneSerializer,
    UploadSerializer,
    UploadStateSerializer,
    WaitingDetailSerializer,
    WaitingSerializer,
)


class _Bytes(BaseParser):
    """A part of a file as it is."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return bytes(stream.read())


class UploadsView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=WaitingSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Files that wait at File to be told what they are about."""
        return Response(WaitingSerializer(uploads.waiting()[:MOST], many=True).data)

    @extend_schema(request=UploadSerializer, responses=UploadStateSerializer)
    def post(self, request: Request) -> Response:
        """Announce a file; its parts follow."""
        asked = UploadSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        upload = uploads.begin(**asked.validated_data, by=person_of(request).username)
        return Response({"id": upload.pk, "received": 0}, status=201)


class UploadView(APIView):
    rights = {"PUT": Action.PREPARE, "PATCH": Action.PREPARE, "DELETE": Action.PREPARE}
    parser_classes = (_Bytes, PlainJSONParser)

    @extend_schema(responses=WaitingDetailSerializer)
    def get(self, request: Request, number: int) -> Response:
        """A file that waits: what was found in it, and where it may belong."""
        return Response(WaitingDetailSerializer(uploads.find_waiting(number)).data)

    @extend_schema(request=ChoicesSerializer, responses=JobSerializer)
    def patch(self, request: Request, number: int) -> Response:
        """Have a file that waits read otherwise."""
        upload = uploads.find_waiting(number)
        asked = ChoicesSerializer(data=request.data if isinstance(request.data, dict) else {})
        asked.is_valid(raise_exception=True)
        job = read_otherwise(upload, person_of(request), Choices(**asked.validated_data))
        return Response(JobSerializer(job).data, status=202)

    @extend_schema(responses=UploadStateSerializer)
    def delete(self, request: Request, number: int) -> Response:
        """Leave a file that waits: it is gone, and no trip was touched."""
        uploads.leave(number, person_of(request).username)
        return Response({"id": number, "received": 0})

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses=UploadStateSerializer,
        parameters=[OpenApiParameter("offset", OpenApiTypes.INT)],
    )
    def put(self, request: Request, number: int) -> Response:
        """One part of the file, at its offset."""
        offset = request.query_params.get("offset", "0")
        part = request.data if isinstance(request.data, bytes) else b""
        at = int(offset) if offset.isdecimal() and len(offset) < 18 else 0
        received = uploads.add(number, person_of(request).username, at, part)
        return Response({"id": number, "received": received})


class UploadRowsView(APIView):
    """The cells of a file that waits."""

    @extend_schema(
        responses=WindowSerializer,
        parameters=[OpenApiParameter("offset", OpenApiTypes.INT), OpenApiParameter("limit", OpenApiTypes.INT)],
    )
    def get(self, request: Request, number: int) -> Response:
        upload = uploads.find_waiting(number)
        if upload.profile is not None and not stages.there(place_of(upload, upload.said)):
            uploads.read_again(upload)
            upload.profile = None
        if upload.profile is None:
            raise PlainError(f"{upload.name} is being read.", "being-read")
        profile = SheetProfile.from_json(upload.profile)
        offset, limit = (
            min(int(text), 2**31) if text.isdecimal() and len(text) < 12 else 0
            for text in (request.query_params.get(name, "") for name in ("offset", "limit"))
        )
        names = [column.name for column in profile.columns]
        cells = place_of(upload, upload.said)
        return Response(sheet_window(cells, names, profile.rows, offset, limit or MOST))


class RecogniseView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses=JobSerializer)
    def post(self, request: Request, number: int) -> Response:
        """All parts are there: find out which trip it belongs to."""
        person = person_of(request)
        job = start_recognising(uploads.finish(number, person.username), person)
        return Response(JobSerializer(job).data, status=202)


class PartsView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=PartsSerializer, responses=JobSerializer)
    def post(self, request: Request, number: int) -> Response:
        """All of these files are there: they are one list in parts; find out what it is about."""
        asked = PartsSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        person = person_of(request)
        upload = uploads.join(number, asked.validated_data["parts"], person.username)
        return Response(JobSerializer(start_recognising(upload, person)).data, status=202)


class BringInView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=BringInSerializer, responses=JobSerializer)
    def post(self, request: Request, number: int) -> Response:
        """All parts are there: bring it in as records of a type. Asked twice, it is done once."""
        asked = BringInSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values, person = asked.validated_data, person_of(request)
        upload = uploads.find_waiting(number) if uploads.waits(number) else uploads.finish(number, person.username)
        application = get_object_or_404(Application, name=values.pop("application"))
        record_type = values.pop("record_type")
        choices = replace(upload.said, prefix=values.pop("prefix"), marks=values.pop("marks"))
        return Response(
            JobSerializer(start_bringing_in(application, record_type, upload, person, choices=choices, **values)).data,
            status=202,
        )


class RefillView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=RefillSerializer, responses=JobSerializer)
    def post(self, request: Request, number: int) -> Response:
        """Fill a file whose header names fields and whose key column names records, with what the application holds."""
        asked = RefillSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values, person = asked.validated_data, person_of(request)
        upload = uploads.find_waiting(number) if uploads.waits(number) else uploads.finish(number, person.username)
        application = get_object_or_404(Application, name=values["application"])
        job = start_refilling(application, values["record_type"], upload, person, values["key"])
        return Response(JobSerializer(job).data, status=202)


class SheetChoicesView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=ChoicesSerializer, responses=JobSerializer, parameters=[SEEN])
    def patch(self, request: Request, pk: int) -> Response:
        """Have the trip's newest sheet read otherwise: it comes in as a newer version."""
        trip = find_trip(pk, request)
        unchanged(request, trip)
        asked = ChoicesSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        job = bring_in_otherwise(trip, person_of(request), Choices(**asked.validated_data))
        return Response(JobSerializer(job).data, status=202)


class LanesView(APIView):
    """What lanes are made of, and one tried on a column."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(responses=LanesSerializer)
    def get(self, request: Request, pk: int) -> Response:
        """All treatments, and the tables in which a trip's values can be looked up."""
        trip = find_trip(pk, request)
        return Response(LanesSerializer({"treatments": offered_treatments(), "tables": offered_tables(trip)}).data)

    @extend_schema(request=TryLaneSerializer, responses=TriedLaneSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """What a lane would do. Nothing is changed."""
        asked = TryLaneSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        return Response(TriedLaneSerializer(try_lane(find_trip(pk, request), **asked.validated_data)).data)


class ColumnsView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=ChangeSerializer, responses=JobSerializer, parameters=[SEEN])
    def patch(self, request: Request, pk: int) -> Response:
        """Change where columns go, the key or the operation; the rows are planned anew."""
        trip = find_trip(pk, request)
        unchanged(request, trip)
        asked = ChangeSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        return Response(JobSerializer(change(trip, person_of(request), **asked.validated_data)).data, status=202)
