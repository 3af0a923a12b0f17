"""What trips look like over HTTP."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from ..applications.models import Application
from ..jobs.api import JobSerializer
from ..runs.models import Run
from .models import Sheet, Trip

_TEXTS = serializers.CharField


class ApplicationNameSerializer(serializers.ModelSerializer[Application]):
    may_apply = serializers.SerializerMethodField()

    class Meta:
        model = Application
        fields = ("name", "label", "stage", "may_apply")

    def get_may_apply(self, application: Application) -> bool:
        from ..api.rights import may_apply, person_of

        return may_apply(person_of(self.context["request"]), application)


class TripSerializer(serializers.ModelSerializer[Trip]):
    application = ApplicationNameSerializer()

    class Meta:
        model = Trip
        fields = (
            "id",
            "title",
            "application",
            "record_type",
            "condition",
            "operation",
            "key",
            "version",
            "created_by",
            "created_at",
            "touched_at",
        )


class StationSerializer(serializers.Serializer[Any]):
    name = _TEXTS()
    state = serializers.ChoiceField(choices=["done", "here", "ahead"])
    says = _TEXTS()
    asks = serializers.BooleanField()


class NeedsSerializer(serializers.Serializer[Any]):
    kind = _TEXTS()
    says = _TEXTS()


class TripSummarySerializer(TripSerializer):
    plural = _TEXTS()
    stations = StationSerializer(many=True)
    here = _TEXTS()
    needs = NeedsSerializer()
    asks = serializers.BooleanField()
    finished = serializers.BooleanField()
    sum = serializers.DictField(child=serializers.IntegerField())
    rows = serializers.IntegerField(allow_null=True)
    sent_rows = serializers.IntegerField(allow_null=True)
    to_write = serializers.IntegerField()
    job = JobSerializer(allow_null=True)

    class Meta(TripSerializer.Meta):
        fields = (  # type: ignore[assignment]
            *TripSerializer.Meta.fields,
            "plural",
            "stations",
            "here",
            "needs",
            "asks",
            "finished",
            "sum",
            "rows",
            "sent_rows",
            "to_write",
            "job",
        )


class ColumnSerializer(serializers.Serializer[Any]):
    column = _TEXTS()
    header = _TEXTS()
    field_name = _TEXTS(allow_null=True)  # type: ignore[assignment]
    field_label = _TEXTS(allow_null=True)
    kind = _TEXTS(allow_null=True)
    how = _TEXTS()
    carried = serializers.BooleanField()
    is_key = serializers.BooleanField()
    filled = serializers.IntegerField()
    different = serializers.IntegerField()
    changed = serializers.IntegerField()
    held = serializers.IntegerField()
    unreadable = serializers.IntegerField()
    emptied = serializers.IntegerField()
    before = _TEXTS(allow_null=True)
    after = _TEXTS(allow_null=True)
    difference = _TEXTS(allow_null=True)


class SheetSerializer(serializers.ModelSerializer[Sheet]):
    found = serializers.SerializerMethodField()

    class Meta:
        model = Sheet
        fields = ("id", "direction", "name", "rows", "recognised", "added_by", "added_at", "found")

    def get_found(self, sheet: Sheet) -> dict[str, Any]:
        names = ("format", "sheet", "encoding", "delimiter", "header_row", "blank_rows", "total_rows", "other_sheets")
        return {name: value for name in names if (value := (sheet.profile or {}).get(name)) not in (None, "", [])}


class RunSerializer(serializers.ModelSerializer[Run]):
    class Meta:
        model = Run
        fields = ("id", "state", "rows", "totals", "read_back", "by", "started_at", "ended_at")


class ReasonSerializer(serializers.Serializer[Any]):
    state = _TEXTS()
    reason = _TEXTS(allow_null=True)
    count = serializers.IntegerField()
    first = serializers.IntegerField()


class TripDetailSerializer(TripSummarySerializer):
    plan = _TEXTS()
    applied = serializers.BooleanField()
    summary = serializers.JSONField(allow_null=True)
    columns = ColumnSerializer(many=True)
    sheets = SheetSerializer(many=True)
    runs = RunSerializer(many=True)
    reasons = ReasonSerializer(many=True)
    decided = serializers.IntegerField()
    trouble = _TEXTS()

    class Meta(TripSummarySerializer.Meta):
        fields = (  # type: ignore[assignment]
            *TripSummarySerializer.Meta.fields,
            "plan",
            "applied",
            "summary",
            "columns",
            "sheets",
            "runs",
            "reasons",
            "decided",
            "trouble",
        )


class SendOutSerializer(serializers.Serializer[Any]):
    application = _TEXTS()
    record_type = _TEXTS()
    chosen = serializers.ListField(child=_TEXTS(), required=False, default=list)
    condition = _TEXTS(required=False, allow_blank=True, default="")
    title = _TEXTS(required=False, allow_blank=True, default="", max_length=160)
    format = serializers.ChoiceField(choices=["xlsx", "csv", "tsv"], default="xlsx")


class TripEditSerializer(serializers.Serializer[Any]):
    title = _TEXTS(required=False, max_length=160)
    key = serializers.ListField(child=_TEXTS(), required=False)
    operation = _TEXTS(required=False)
    said = serializers.DictField(child=_TEXTS(allow_blank=True), required=False)


class CellSerializer(serializers.Serializer[Any]):
    text = _TEXTS(allow_null=True)
    do = _TEXTS(required=False)
    old = _TEXTS(allow_null=True, required=False)
    new = _TEXTS(allow_null=True, required=False)
    kept = _TEXTS(allow_null=True, required=False)


class RowSerializer(serializers.Serializer[Any]):
    row = serializers.IntegerField()
    state = _TEXTS(required=False)
    verdict = _TEXTS(required=False)
    reason = _TEXTS(allow_null=True, required=False)
    field = _TEXTS(allow_null=True, required=False)
    code = _TEXTS(allow_null=True, required=False)
    identifier = _TEXTS(allow_null=True, required=False)
    cells = CellSerializer(many=True)


class WindowSerializer(serializers.Serializer[Any]):
    total = serializers.IntegerField()
    offset = serializers.IntegerField()
    rows = RowSerializer(many=True)


class DecisionSerializer(serializers.Serializer[Any]):
    rows = serializers.ListField(child=serializers.IntegerField(min_value=1), min_length=1, max_length=100_000)
    field = _TEXTS(required=False, allow_blank=True, default="")
    answer = serializers.ChoiceField(choices=["file", "application", "aside", "leave out", "undo"])


class ApplySerializer(serializers.Serializer[Any]):
    seen = _TEXTS()


class LinkSerializer(serializers.Serializer[Any]):
    link = _TEXTS(allow_null=True)


class UploadSerializer(serializers.Serializer[Any]):
    name = _TEXTS(max_length=300)
    size = serializers.IntegerField(min_value=0)


class UploadStateSerializer(serializers.Serializer[Any]):
    id = _TEXTS()
    received = serializers.IntegerField()


class BringInSerializer(serializers.Serializer[Any]):
    application = _TEXTS(required=False, allow_blank=True, default="")
    record_type = _TEXTS(required=False, allow_blank=True, default="")
    trip = _TEXTS(required=False, allow_blank=True, default="")
    operation = _TEXTS(required=False, allow_blank=True, default="")
    key = serializers.ListField(child=_TEXTS(), required=False, default=list)


class CarriedSerializer(serializers.Serializer[Any]):
    day = serializers.DateField()
    carried = serializers.IntegerField()
    refused = serializers.IntegerField()


def columns_json(trip: Trip, sheet: Sheet | None) -> list[dict[str, Any]]:
    """The newest sheet's columns: their field, and what the plan does to it."""
    known = trip.application.known
    if sheet is None or known is None:
        return []
    record_type = known.type(trip.record_type)
    figures = {column["field"]: column for column in (trip.summary or {}).get("columns", [])}
    key = (trip.summary or {}).get("key") or trip.key
    profile = {column["name"]: column for column in (sheet.profile or {})["columns"]}
    made = []
    for mapping in sheet.mappings.order_by("id"):
        field = known.field(record_type, mapping.field) if mapping.field else None
        own = figures.get(mapping.field, {})
        found = profile[mapping.column]
        made.append(
            {
                "column": mapping.column,
                "header": mapping.header,
                "field_name": field.name if field else None,
                "field_label": field.label if field else None,
                "kind": field.kind.value if field else None,
                "how": mapping.how,
                "carried": mapping.carried,
                "is_key": mapping.field in key,
                "filled": found["filled"],
                "different": found["different"],
                **{name: own.get(name, 0) for name in ("changed", "held", "unreadable", "emptied")},
                **{name: own.get(name) for name in ("before", "after", "difference")},
            }
        )
    return made
