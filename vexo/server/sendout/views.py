"""Sending out over HTTP: a preview of the sheet, and a new trip."""

from __future__ import annotations

from typing import Any

import polars as pl
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo.core.conditions import LONGEST, read_condition
from vexo.core.sheets.outgoing import outgoing_columns

from ..applications.models import Application
from ..applications.services import asking
from ..jobs.views import JobSerializer
from ..jobs.working import enqueue
from ..people.permissions import person_of
from ..people.rights import Action
from .sending import FORMATS, new_trip, read_fields

PREVIEW_ROWS = 20
MOST_FIELDS = 1000


class PreviewRequestSerializer(serializers.Serializer[Any]):
    record_type = serializers.CharField(max_length=120)
    chosen = serializers.ListField(child=serializers.CharField(max_length=200), max_length=MOST_FIELDS)
    condition = serializers.CharField(required=False, allow_blank=True, default="", max_length=LONGEST)


class PreviewSerializer(serializers.Serializer[Any]):
    count = serializers.IntegerField()
    total = serializers.IntegerField()
    headers = serializers.ListField(child=serializers.CharField())
    rows = serializers.ListField(child=serializers.ListField(child=serializers.CharField(allow_null=True)))


class PreviewView(APIView):
    """The first rows of a sheet as it would be, and how many there would be."""

    rights = {"POST": Action.PREPARE}

    @extend_schema(request=PreviewRequestSerializer, responses=PreviewSerializer)
    def post(self, request: Request, name: str) -> Response:
        asked = PreviewRequestSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values = asked.validated_data
        with asking(get_object_or_404(Application, name=name)) as client:
            catalogue = client.describe()
            record_type = catalogue.type(values["record_type"])
            condition = read_condition(values["condition"], record_type, catalogue)
            fields = [catalogue.field(record_type, field) for field in values["chosen"]]
            count = client.count(record_type, condition)
            total = client.count(record_type) if condition else count
            wanted = read_fields(values["chosen"], record_type, catalogue)
            order = record_type.keys[0] if record_type.keys else ()
            records = pl.concat(list(client.read(record_type, wanted, condition, order, top=PREVIEW_ROWS)))
        columns = outgoing_columns(fields, records, record_type, catalogue)
        rows = [list(row) for row in zip(*[c.cells.to_list() for c in columns], strict=True)] if columns else []
        return Response({"count": count, "total": total, "headers": [c.header for c in columns], "rows": rows})


class SendOutSerializer(serializers.Serializer[Any]):
    application = serializers.CharField()
    record_type = serializers.CharField()
    chosen = serializers.ListField(
        child=serializers.CharField(max_length=200), required=False, default=list, max_length=MOST_FIELDS
    )
    condition = serializers.CharField(required=False, allow_blank=True, default="", max_length=LONGEST)
    title = serializers.CharField(required=False, allow_blank=True, default="", max_length=160)
    format = serializers.ChoiceField(choices=list(FORMATS), default="xlsx")


class SendOutView(APIView):
    rights = {"POST": Action.PREPARE}

    @extend_schema(request=SendOutSerializer, responses=JobSerializer)
    def post(self, request: Request) -> Response:
        """Send records out: a new trip, its sheet made in the background."""
        asked = SendOutSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values = asked.validated_data
        application = get_object_or_404(Application, name=values["application"])
        who = person_of(request).username
        trip = new_trip(application, values["record_type"], who, values["chosen"], values["condition"], values["title"])
        return Response(JobSerializer(enqueue("send out", who, trip, format=values["format"])).data, status=202)
