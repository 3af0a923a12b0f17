"""What files that come in look like over HTTP, and what is said of them."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vexo.core.columns.lanes import Lane, lanes_from_json

from ..jobs.models import Job
from ..naming import WhoSerializer
from ..trips.sheet_serializers import (
    ChoicesSerializer,
    ColumnTotalsSerializer,
    FoundSerializer,
    LaneSerializer,
    found_json,
)
from .models import Upload

_TEXTS = serializers.CharField


class UploadSerializer(serializers.Serializer[Any]):
    name = _TEXTS(max_length=300)
    size = serializers.IntegerField(min_value=0, max_value=2**53)


class UploadStateSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    received = serializers.IntegerField()


class PartsSerializer(serializers.Serializer[Any]):
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


class RouteFitSerializer(serializers.Serializer[Any]):
    """A route whose columns a sheet has, all or most: those that it lacks (``missing``), and ``new`` ones."""

    id = serializers.IntegerField()
    name = _TEXTS()
    application = _TEXTS()
    record_type = _TEXTS()
    missing = serializers.ListField(child=_TEXTS())
    new = serializers.ListField(child=_TEXTS())


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
    routes = RouteFitSerializer(many=True, required=False)


class SheetColumnSerializer(serializers.Serializer[Any]):
    name = _TEXTS()
    header = _TEXTS(allow_blank=True)
    filled = serializers.IntegerField()
    different = serializers.IntegerField()
    totals = ColumnTotalsSerializer(allow_null=True)


class WaitingSerializer(serializers.ModelSerializer[Upload]):
    """A file that waits at File: what was found in it, where it may belong, or why it cannot be read."""

    state = serializers.SerializerMethodField()
    coming_in = serializers.SerializerMethodField()
    rows = serializers.SerializerMethodField()
    by = WhoSerializer()
    known = KnownSerializer(allow_null=True)

    class Meta:
        model = Upload
        fields = ("id", "name", "by", "began_at", "state", "coming_in", "trouble", "rows", "known", "trip")

    def get_state(self, upload: Upload) -> str:
        if upload.trouble:
            return "failed"
        return "reading" if upload.profile is None else "read"

    def get_coming_in(self, upload: Upload) -> bool:
        return upload.bringing is not None and Job.objects.filter(pk=upload.bringing, state__in=Job.OPEN).exists()

    @extend_schema_field(serializers.IntegerField(allow_null=True))
    def get_rows(self, upload: Upload) -> Any:
        return (upload.profile or {}).get("rows")


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
        found = found_json(upload.profile)
        return {**found, "findings": [*found.get("findings", []), *(upload.known or {}).get("noticed", [])]}

    @extend_schema_field(SheetColumnSerializer(many=True))
    def get_columns(self, upload: Upload) -> Any:
        columns = (upload.profile or {}).get("columns", [])
        return [{**column, "totals": upload.totals.get(column["name"])} for column in columns]


class BringInSerializer(serializers.Serializer[Any]):
    application = _TEXTS()
    record_type = _TEXTS()
    trip = _TEXTS(required=False, allow_blank=True, default="")
    operation = _TEXTS(required=False, allow_blank=True, default="")
    key = serializers.ListField(child=_TEXTS(), required=False, default=list)
    route = serializers.IntegerField(required=False, allow_null=True, default=None)
    prefix = serializers.ChoiceField(required=False, choices=["", "off", "keep"], default="")
    marks = serializers.BooleanField(required=False, default=False)


class RefillSerializer(serializers.Serializer[Any]):
    """A file to be filled from the application; ``key`` finds its records, where that does not tell itself."""

    application = _TEXTS()
    record_type = _TEXTS()
    key = serializers.ListField(child=_TEXTS(), required=False, default=list)


class TryLaneSerializer(serializers.Serializer[Any]):
    """A lane of a field to be tried on a column."""

    name = _TEXTS(max_length=120)
    column = _TEXTS(max_length=12, allow_blank=True, required=False, default="")
    lane = LaneSerializer()

    def validate_lane(self, value: dict[str, Any]) -> Lane:
        return Lane.from_json(value)


class TriedStepSerializer(serializers.Serializer[Any]):
    """What one treatment does: its phrase, how many cells it touches, and how many it cannot read."""

    says = _TEXTS()
    touched = serializers.IntegerField()
    bad = serializers.IntegerField()


class TriedValueSerializer(serializers.Serializer[Any]):
    """A value of the column and what becomes of it: ``says`` where that is no value (leave, clear, or why it is
    ``bad``)."""

    before = _TEXTS(allow_blank=True)
    after = _TEXTS(allow_null=True)
    says = _TEXTS(allow_blank=True)
    bad = serializers.BooleanField()
    count = serializers.IntegerField()


class TriedLaneSerializer(serializers.Serializer[Any]):
    """A lane tried on the whole column."""

    says = _TEXTS()
    steps = TriedStepSerializer(many=True)
    values = TriedValueSerializer(many=True)
    different = serializers.IntegerField()
    touched = serializers.IntegerField()
    unreadable = serializers.IntegerField()


class ArgumentSerializer(serializers.Serializer[Any]):
    """A part of a treatment's phrase that can be changed; ``options`` are value → words where it is one of several."""

    name = _TEXTS()
    kind = _TEXTS()
    title = _TEXTS()
    options = serializers.DictField(child=_TEXTS())
    initial_value = serializers.JSONField()


class TreatmentSerializer(serializers.Serializer[Any]):
    """A treatment that there is: ``do`` its name as data, ``says`` its phrase with its parts in braces."""

    do = _TEXTS()
    title = _TEXTS()
    says = _TEXTS()
    arguments = ArgumentSerializer(many=True)


class TableSerializer(serializers.Serializer[Any]):
    """Where values can be looked up: a sheet or a record type, and its columns or fields (name → words)."""

    table = _TEXTS()
    title = _TEXTS()
    names = serializers.DictField(child=_TEXTS())


class LanesSerializer(serializers.Serializer[Any]):
    """What lanes can be made of: all treatments, and the tables of a trip."""

    treatments = TreatmentSerializer(many=True)
    tables = TableSerializer(many=True)


class ChangeSerializer(serializers.Serializer[Any]):
    key = serializers.ListField(child=_TEXTS(), required=False)
    operation = _TEXTS(required=False, allow_blank=True, default="")
    said = serializers.DictField(child=_TEXTS(allow_blank=True), required=False)
    lanes = serializers.DictField(child=LaneSerializer(), required=False)

    def validate_lanes(self, value: dict[str, dict[str, Any]]) -> dict[str, Lane]:
        return lanes_from_json(value)
