"""Reading the journal."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..who import WhoSerializer
from .models import Entry

PAGE = 100
"""Entries that a screen shows at once."""


class EntrySerializer(serializers.ModelSerializer[Entry]):
    who = WhoSerializer()

    class Meta:
        model = Entry
        fields = ("id", "at", "who", "what", "message", "application", "stage", "trip", "rows", "file")


class JournalSerializer(serializers.Serializer[Any]):
    entries = EntrySerializer(many=True)
    people = WhoSerializer(many=True)
    kinds = serializers.ListField(child=serializers.CharField())
    more = serializers.BooleanField()


class JournalView(APIView):
    @extend_schema(
        responses=JournalSerializer,
        parameters=[OpenApiParameter(name) for name in ("who", "what", "application", "text", "before")],
    )
    def get(self, request: Request) -> Response:
        entries = Entry.objects.all()
        asked = request.query_params
        for name in ("who", "what", "application"):
            if asked.get(name):
                entries = entries.filter(**{name: asked[name]})
        if asked.get("text"):
            entries = entries.filter(message__icontains=asked["text"])
        before = asked.get("before", "")
        if before.isascii() and before.isdecimal() and len(before) < 19:
            entries = entries.filter(id__lt=int(before))
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
