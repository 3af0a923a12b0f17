"""Files that come, over HTTP: in parts, waiting, as lists."""

from __future__ import annotations

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.sheets import Choices

from .. import artifacts
from ..errors import PlainError
from ..jobs.views import JobSerializer
from ..parsing import PlainJSONParser
from ..people.permissions import person_of
from ..people.rights import Action
from ..queries import LARGEST, whole_number
from ..trips.facts import to_json
from ..trips.row_windows import MOST_ROWS, WindowSerializer, sheet_window
from ..trips.sheet_serializers import ChoicesSerializer
from . import lists, receive, waiting
from .serializers import (
    PartsSerializer,
    UploadSerializer,
    UploadStateSerializer,
    WaitingDetailSerializer,
    WaitingSerializer,
)
from .upload_cells import place_of
from .waiting import read_otherwise, start_recognising

_MOST_WAITING = 500
"""Files of a page: whoever has more of them waiting brings in some first."""


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
        return Response(WaitingSerializer(waiting.waiting()[:_MOST_WAITING], many=True).data)

    @extend_schema(request=UploadSerializer, responses={201: UploadStateSerializer})
    def post(self, request: Request) -> Response:
        """Announce a file by its name and size. Its bytes follow by PUT at `offset`, in parts of at most 8 MB, in
        order; then `recognise` finds out what is in it. After a broken connection `received` says where to go on."""
        upload_serializer = UploadSerializer(data=request.data)
        upload_serializer.is_valid(raise_exception=True)
        upload = receive.begin(**upload_serializer.validated_data, by=person_of(request).username)
        return Response({"id": upload.pk, "received": 0}, status=201)


class UploadView(APIView):
    asks = ("offset",)
    rights = {"PUT": Action.PREPARE, "PATCH": Action.PREPARE, "DELETE": Action.PREPARE}
    parser_classes = (_Bytes, PlainJSONParser)

    @extend_schema(responses=WaitingDetailSerializer)
    def get(self, request: Request, number: int) -> Response:
        """A file that waits: what was found in it, and where it may belong."""
        return Response(WaitingDetailSerializer(waiting.find_waiting(number)).data)

    @extend_schema(request=ChoicesSerializer, responses={202: JobSerializer})
    def patch(self, request: Request, number: int) -> Response:
        """Have a file that waits read otherwise."""
        upload = waiting.find_waiting(number)
        serializer = ChoicesSerializer(data=request.data if isinstance(request.data, dict) else {})
        serializer.is_valid(raise_exception=True)
        job = read_otherwise(upload, person_of(request), Choices(**serializer.validated_data))
        return Response(JobSerializer(job).data, status=202)

    @extend_schema(responses={200: UploadStateSerializer})
    def delete(self, request: Request, number: int) -> Response:
        """Leave a file that waits: it is gone, and no trip was touched."""
        waiting.leave(number, person_of(request).username)
        return Response({"id": number, "received": 0})

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses=UploadStateSerializer,
        parameters=[OpenApiParameter("offset", OpenApiTypes.INT)],
    )
    def put(self, request: Request, number: int) -> Response:
        """One part of the file, at its offset in bytes. One that came before is not taken again, so a part may be sent
        twice; `received` is how much is here now."""
        at = whole_number(request.query_params, "offset", 0, LARGEST)
        part = request.data if isinstance(request.data, bytes) else b""
        received = receive.add(number, person_of(request).username, at, part)
        return Response({"id": number, "received": received})


class UploadRowsView(APIView):
    """The cells of a file that waits."""

    asks = ("offset", "limit")

    @extend_schema(
        responses=WindowSerializer,
        parameters=[OpenApiParameter("offset", OpenApiTypes.INT), OpenApiParameter("limit", OpenApiTypes.INT)],
    )
    def get(self, request: Request, number: int) -> Response:
        upload = waiting.find_waiting(number)
        cells, profile = place_of(upload, upload.read_options), upload.profile
        if profile is not None and not artifacts.there(cells):
            waiting.read_again(upload)
            profile = None
        if profile is None:
            raise PlainError(f"{upload.name} is being read.", "being-read")
        query = request.query_params
        place = whole_number(query, "offset", 0), whole_number(query, "limit", MOST_ROWS)
        names = [column.name for column in profile.columns]
        return Response(to_json(sheet_window(cells, names, profile.rows, place)))


class RecogniseView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses={202: JobSerializer})
    def post(self, request: Request, number: int) -> Response:
        """All parts are there: find out which trip it belongs to."""
        person = person_of(request)
        job = start_recognising(receive.finish(number, person.username), person)
        return Response(JobSerializer(job).data, status=202)


class PartsView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=PartsSerializer, responses={202: JobSerializer})
    def post(self, request: Request, number: int) -> Response:
        """All of these files are there: they are one list in parts; find out what it is about."""
        parts_serializer = PartsSerializer(data=request.data)
        parts_serializer.is_valid(raise_exception=True)
        person = person_of(request)
        upload = lists.join(number, parts_serializer.validated_data["parts"], person.username)
        return Response(JobSerializer(start_recognising(upload, person)).data, status=202)
