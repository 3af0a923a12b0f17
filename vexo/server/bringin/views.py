"""Sheets that come in, over HTTP: uploads in parts, columns and keys."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..applications.models import Application
from ..jobs.views import JobSerializer
from ..people.permissions import person_of
from ..people.rights import Action
from ..trips.views import SEEN, find_trip, unchanged
from . import uploads
from .bringing import start_bringing_in, start_recognising
from .columns import change

_TEXTS = serializers.CharField


class UploadSerializer(serializers.Serializer[Any]):
    name = _TEXTS(max_length=300)
    size = serializers.IntegerField(min_value=0, max_value=2**53)


class UploadStateSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    received = serializers.IntegerField()


class BringInSerializer(serializers.Serializer[Any]):
    application = _TEXTS()
    record_type = _TEXTS()
    trip = _TEXTS(required=False, allow_blank=True, default="")
    operation = _TEXTS(required=False, allow_blank=True, default="")
    key = serializers.ListField(child=_TEXTS(), required=False, default=list)


class ChangeSerializer(serializers.Serializer[Any]):
    key = serializers.ListField(child=_TEXTS(), required=False)
    operation = _TEXTS(required=False, allow_blank=True, default="")
    said = serializers.DictField(child=_TEXTS(allow_blank=True), required=False)


class _Bytes(BaseParser):
    """A part of a file as it is."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return bytes(stream.read())


class UploadsView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=UploadSerializer, responses=UploadStateSerializer)
    def post(self, request: Request) -> Response:
        """Announce a file; its parts follow."""
        asked = UploadSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        upload = uploads.begin(**asked.validated_data, by=person_of(request).username)
        return Response({"id": upload.pk, "received": 0}, status=201)


class UploadView(APIView):
    rights = {"PUT": Action.PREPARE}
    parser_classes = (_Bytes,)

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


class RecogniseView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=None, responses=JobSerializer)
    def post(self, request: Request, number: int) -> Response:
        """All parts are there: find out which trip it belongs to."""
        person = person_of(request)
        job = start_recognising(uploads.finish(number, person.username), person)
        return Response(JobSerializer(job).data, status=202)


class BringInView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=BringInSerializer, responses=JobSerializer)
    def post(self, request: Request, number: int) -> Response:
        """All parts are there: bring it in as records of a type. Asked twice, it is done once."""
        asked = BringInSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values, person = asked.validated_data, person_of(request)
        upload = uploads.finish(number, person.username)
        application = get_object_or_404(Application, name=values.pop("application"))
        record_type = values.pop("record_type")
        return Response(
            JobSerializer(start_bringing_in(application, record_type, upload, person, **values)).data, status=202
        )


class ColumnsView(APIView):
    rights = {"PATCH": Action.PREPARE}

    @extend_schema(request=ChangeSerializer, responses=JobSerializer, parameters=[SEEN])
    def patch(self, request: Request, pk: int) -> Response:
        """Change where columns go, the key or the operation; the rows are planned anew."""
        trip = find_trip(pk)
        unchanged(request, trip)
        asked = ChangeSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        return Response(JobSerializer(change(trip, person_of(request), **asked.validated_data)).data, status=202)
