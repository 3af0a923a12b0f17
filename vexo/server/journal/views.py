"""Reading the journal."""

from __future__ import annotations

from typing import Any

from django.http import StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..queries import LARGEST, whole_number
from ..who import WhoSerializer
from .download import FORMATS, entries_asked
from .models import Entry
from .services import note

PAGE = 100
"""Entries that a screen shows at once."""


class EntrySerializer(serializers.ModelSerializer[Entry]):
    who = WhoSerializer()

    class Meta:
        model = Entry
        fields = ("id", "at", "who", "what", "message", "application", "stage", "trip", "rows", "file", "way")


class JournalSerializer(serializers.Serializer[Any]):
    entries = EntrySerializer(many=True)
    people = WhoSerializer(many=True)
    kinds = serializers.ListField(child=serializers.CharField())
    more = serializers.BooleanField()


class JournalView(APIView):
    asks = ("who", "what", "application", "trip", "text", "before")

    @extend_schema(
        responses=JournalSerializer,
        parameters=[OpenApiParameter(name) for name in ("who", "what", "application", "trip", "text", "before")],
    )
    def get(self, request: Request) -> Response:
        query = request.query_params
        entries = entries_asked(query)
        if query.get("before"):
            entries = entries.filter(id__lt=whole_number(query, "before", 0, LARGEST))
        page = list(entries[: PAGE + 1])
        return Response(
            {
                "entries": EntrySerializer(page[:PAGE], many=True).data,
                "people": WhoSerializer(
                    sorted(Entry.objects.order_by().values_list("who", flat=True).distinct()), many=True
                ).data,
                "kinds": sorted(Entry.objects.order_by().values_list("what", flat=True).distinct()),
                "more": len(page) > PAGE,
            }
        )


class JournalFileView(APIView):
    """The journal as a file (``csv``, ``jsonl``), whole or what is asked for."""

    asks = ("who", "what", "application", "trip", "text")

    @extend_schema(
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter(name) for name in ("who", "what", "application", "trip", "text")],
    )
    def get(self, request: Request, ending: str) -> StreamingHttpResponse:
        if ending not in FORMATS:
            raise NotFound
        kind, make = FORMATS[ending]
        lines = make(entries_asked(request.query_params))
        note(
            str(request.user.get_username()),
            "downloaded",
            f"Downloaded the journal as {ending}",
            file=f"journal.{ending}",
        )
        headers = {"Content-Disposition": f'attachment; filename="journal.{ending}"'}
        return StreamingHttpResponse(lines, content_type=kind, headers=headers)
