"""What files that wait look like over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from ..asked import Asked
from ..jobs.models import Job
from ..serializing import serializer_for
from ..trips.facts.columns import ColumnTotals
from ..trips.facts.parts import RouteFit
from ..trips.sheet_serializers import ChoicesSerializer, FoundSerializer, found_json
from ..who import WhoSerializer
from .models import Upload

_TEXTS = serializers.CharField


class UploadSerializer(Asked):
    name = _TEXTS(max_length=300)
    size = serializers.IntegerField(min_value=0, max_value=2**53)


class UploadStateSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    received = serializers.IntegerField()


class PartsSerializer(Asked):
    """Files that continue another one."""

    parts = serializers.ListField(child=serializers.IntegerField(min_value=1), min_length=1, max_length=200)


class FitSerializer(serializers.Serializer[Any]):
    """A record type that a sheet could be about, and how many of its columns are known there."""

    application = _TEXTS()
    record_type = _TEXTS()
    plural = _TEXTS()
    columns = serializers.IntegerField()
    account = _TEXTS(allow_blank=True)


class LikelySerializer(serializers.Serializer[Any]):
    """A trip that a sheet may belong to, and what speaks for it."""

    trip = serializers.IntegerField()
    title = _TEXTS()
    application = _TEXTS()
    record_type = _TEXTS()
    account = _TEXTS()


class KnownSerializer(serializers.Serializer[Any]):
    """The trip that a file is known to belong to, and how; or those it may belong to, and the record types that its
    columns fit; ``route`` is the one route that it fits wholly."""

    trip = serializers.IntegerField(allow_null=True)
    how = _TEXTS(required=False)
    account = _TEXTS(allow_blank=True)
    title = _TEXTS(required=False)
    application = _TEXTS(required=False)
    record_type = _TEXTS(required=False)
    rows = serializers.IntegerField(required=False)
    fits = FitSerializer(many=True, required=False)
    likely = LikelySerializer(many=True, required=False)
    route = serializers.IntegerField(allow_null=True, required=False)
    routes = serializer_for(RouteFit)(many=True, required=False)


class SheetColumnSerializer(serializers.Serializer[Any]):
    name = _TEXTS()
    header = _TEXTS(allow_blank=True)
    filled = serializers.IntegerField()
    different = serializers.IntegerField()
    totals = serializer_for(ColumnTotals)(allow_null=True)


class WaitingSerializer(serializers.ModelSerializer[Upload]):
    """A file that waits at File: what was found in it, where it may belong, or why it cannot be read."""

    state = serializers.SerializerMethodField()
    coming_in = serializers.SerializerMethodField()
    rows = serializers.SerializerMethodField()
    by = WhoSerializer()
    known = KnownSerializer(source="belongs_to", allow_null=True)

    class Meta:
        model = Upload
        fields = ("id", "name", "by", "began_at", "state", "coming_in", "trouble", "rows", "known", "trip")

    def get_state(self, upload: Upload) -> str:
        if upload.trouble:
            return "failed"
        return "reading" if upload.profile_json is None else "read"

    def get_coming_in(self, upload: Upload) -> bool:
        return upload.bringing is not None and Job.objects.filter(pk=upload.bringing, state__in=Job.OPEN).exists()

    @extend_schema_field(serializers.IntegerField(allow_null=True))
    def get_rows(self, upload: Upload) -> Any:
        return (upload.profile_json or {}).get("rows")


class WaitingDetailSerializer(WaitingSerializer):
    found = serializers.SerializerMethodField()
    columns = serializers.SerializerMethodField()
    choices = ChoicesSerializer()
    files = serializers.SerializerMethodField()

    class Meta(WaitingSerializer.Meta):
        fields = (*WaitingSerializer.Meta.fields, "found", "columns", "choices", "files")  # type: ignore[assignment]

    @extend_schema_field(serializers.ListField(child=_TEXTS()))
    def get_files(self, upload: Upload) -> list[str]:
        return [one.name for one in upload.whole_list]

    @extend_schema_field(FoundSerializer)
    def get_found(self, upload: Upload) -> dict[str, Any]:
        facts = found_json(upload.profile_json)
        return {**facts, "findings": [*facts.get("findings", []), *(upload.belongs_to or {}).get("noticed", [])]}

    @extend_schema_field(SheetColumnSerializer(many=True))
    def get_columns(self, upload: Upload) -> Any:
        columns = (upload.profile_json or {}).get("columns", [])
        return [{**column, "totals": upload.totals.get(column["name"])} for column in columns]
