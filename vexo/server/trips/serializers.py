"""What trips look like over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from ..applications.models import Application
from ..jobs.views import JobSerializer
from ..naming import WhoSerializer
from ..people.permissions import person_of
from ..people.rights import applying, may
from .models import Trip
from .sheet_serializers import (
    ColumnSerializer,
    DamageSerializer,
    ExpectedSerializer,
    OnlySomeSerializer,
    SheetSerializer,
)

_TEXTS = serializers.CharField


class ApplicationNameSerializer(serializers.ModelSerializer[Application]):
    may_apply = serializers.SerializerMethodField()

    class Meta:
        model = Application
        fields = ("name", "label", "stage", "may_apply")

    def get_may_apply(self, application: Application) -> bool:
        return may(person_of(self.context["request"]), applying(application.stage))


class TripSerializer(serializers.ModelSerializer[Trip]):
    application = ApplicationNameSerializer()
    key = serializers.ListField(child=_TEXTS())
    created_by = WhoSerializer()

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


_STANDING = (
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
    "trouble",
)


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
    trouble = _TEXTS(allow_blank=True)

    class Meta(TripSerializer.Meta):
        fields = (*TripSerializer.Meta.fields, *_STANDING)  # type: ignore[assignment]


class ReasonSerializer(serializers.Serializer[Any]):
    state = _TEXTS()
    code = _TEXTS()
    field_name = _TEXTS(allow_blank=True)  # type: ignore[assignment]
    reason = _TEXTS()
    count = serializers.IntegerField()
    first = serializers.IntegerField()


class TotalsSerializer(serializers.Serializer[Any]):
    """The sum of one field over a trip's rows, as texts with all their digits."""

    sheet = _TEXTS()
    planned = _TEXTS()
    before = _TEXTS()
    after = _TEXTS(allow_null=True)


class PlannedTotalsSerializer(serializers.Serializer[Any]):
    """The sum of one field before writing: all rows of the sheet, as the rows that land will be, the same records as
    they are."""

    sheet = _TEXTS()
    planned = _TEXTS()
    before = _TEXTS()


class RecordsSerializer(serializers.Serializer[Any]):
    """Records before a pass, and what became of them. ``moved`` left the selection by an update (negative), ``others``
    are changes that were not ours."""

    before = serializers.IntegerField()
    created = serializers.IntegerField(required=False)
    deleted = serializers.IntegerField(required=False)
    moved = serializers.IntegerField(required=False)
    after = serializers.IntegerField()
    others = serializers.IntegerField(required=False)


class ReportSerializer(serializers.Serializer[Any]):
    """What reading back found: of ``records`` that were written, ``as_sent`` are as they were sent; ``lost`` are rows
    whose record is not there, ``differences`` values that are others, ``by_itself`` those that the application set;
    of ``deleted`` records ``gone`` are gone."""

    records = serializers.IntegerField()
    as_sent = serializers.IntegerField()
    lost = serializers.ListField(child=serializers.IntegerField(), required=False)
    differences = serializers.ListField(child=serializers.DictField(), required=False)
    by_itself = serializers.ListField(child=serializers.DictField(), required=False)
    set = serializers.DictField(child=serializers.IntegerField(), required=False)
    deleted = serializers.IntegerField(required=False)
    gone = serializers.IntegerField(required=False)
    warnings = serializers.IntegerField(required=False)
    totals = serializers.DictField(child=TotalsSerializer(), required=False)
    type = RecordsSerializer(required=False)
    selection = RecordsSerializer(required=False)


class PassSerializer(serializers.Serializer[Any]):
    number = serializers.IntegerField()
    plan = serializers.IntegerField()
    state = serializers.ChoiceField(choices=["running", "interrupted", "ended", "stopped", "given up"])
    rows = serializers.IntegerField()
    totals = serializers.DictField(child=serializers.IntegerField(), allow_null=True)
    report = serializers.SerializerMethodField()
    reason = _TEXTS(allow_blank=True)
    atomic = serializers.BooleanField()
    by = WhoSerializer()
    started_at = serializers.DateTimeField()
    ended_at = serializers.DateTimeField(allow_null=True)

    @extend_schema_field(ReportSerializer(allow_null=True))
    def get_report(self, one: dict[str, Any]) -> Any:
        return one["report"]


class PlanSerializer(serializers.Serializer[Any]):
    """The newest plan: its number in the trip, and whether it still counts."""

    number = serializers.IntegerField()
    current = serializers.BooleanField()
    made_at = serializers.DateTimeField()


class SummarySerializer(serializers.Serializer[Any]):
    """The newest plan in figures: rows by verdict, and the key that found their records. ``keys_not_read``: how many
    records the type has, where that is too many to read all their keys."""

    keys_not_read = serializers.IntegerField(required=False)
    verdicts = serializers.DictField(child=serializers.IntegerField())
    key = serializers.ListField(child=_TEXTS())


class PartSerializer(serializers.Serializer[Any]):
    """A part of a shared-out trip: its sheet that went out, who has it, how often it came back, and where it stands."""

    number = serializers.IntegerField()
    label = _TEXTS()  # type: ignore[assignment]
    holder = _TEXTS(allow_blank=True)
    state = serializers.ChoiceField(choices=["out", "back", "in"])
    kind = _TEXTS()
    says = _TEXTS()
    sheet = serializers.IntegerField(allow_null=True)
    name = _TEXTS()
    rows = serializers.IntegerField()
    came = serializers.IntegerField()
    back_rows = serializers.IntegerField(allow_null=True)
    back_at = serializers.DateTimeField(allow_null=True)
    back_by = _TEXTS(allow_null=True)
    sum = serializers.DictField(child=serializers.IntegerField())


class AlsoOutSerializer(serializers.Serializer[Any]):
    """An open trip that has some of the records out: whose, since when, how many."""

    trip = serializers.IntegerField()
    title = _TEXTS()
    by = _TEXTS()
    since = serializers.DateTimeField()
    count = serializers.IntegerField()


class SumThenSerializer(serializers.Serializer[Any]):
    name = _TEXTS()
    label = _TEXTS()  # type: ignore[assignment]
    then = _TEXTS()
    is_now = _TEXTS()


class ChangeSinceSerializer(serializers.Serializer[Any]):
    record = _TEXTS()
    label = _TEXTS()  # type: ignore[assignment]
    then = _TEXTS(allow_null=True)
    is_now = _TEXTS(allow_null=True)
    ours = serializers.BooleanField()


class SinceSerializer(serializers.Serializer[Any]):
    """The selection read again: records then and now; of the changed cells ``ours`` were written by this trip; of the
    records that went out ``gone`` are deleted and ``left`` meet the condition no more, ``come`` are new in it."""

    at = serializers.DateTimeField()
    then = serializers.IntegerField()
    now = serializers.IntegerField()
    records = serializers.IntegerField()
    cells = serializers.IntegerField()
    ours = serializers.IntegerField()
    gone = serializers.IntegerField()
    gone_by_us = serializers.IntegerField()
    left = serializers.IntegerField()
    come = serializers.IntegerField()
    come_by_us = serializers.IntegerField()
    totals = SumThenSerializer(many=True)
    changes = ChangeSinceSerializer(many=True)


class SumSerializer(serializers.Serializer[Any]):
    label = _TEXTS()  # type: ignore[assignment]
    sum = _TEXTS()


class WentOutSerializer(serializers.Serializer[Any]):
    """What went out on a trip: its condition as a sentence, records and sums as they went, keys that found no record,
    who else has some of the records, and what changed since where that was asked. ``open`` where the sheet is not
    there yet; ``stopped`` where someone stopped it."""

    says = _TEXTS(allow_blank=True)
    records = serializers.IntegerField()
    totals = SumSerializer(many=True)
    missing = serializers.IntegerField()
    not_found = serializers.ListField(child=_TEXTS())
    also_out = AlsoOutSerializer(many=True)
    since = SinceSerializer(allow_null=True)
    parts = serializers.IntegerField()
    pending = serializers.BooleanField()


class OnRouteSerializer(serializers.Serializer[Any]):
    """The route that a sheet came in on, and where its header differs: columns that it lacks, and new ones."""

    id = serializers.IntegerField()
    name = _TEXTS()
    application = _TEXTS()
    record_type = _TEXTS()
    missing = serializers.ListField(child=_TEXTS())
    new = serializers.ListField(child=_TEXTS())


class TripDetailSerializer(TripSummarySerializer):
    plan = PlanSerializer(allow_null=True)
    sent_by = serializers.IntegerField(allow_null=True)
    summary = SummarySerializer(allow_null=True)
    columns = ColumnSerializer(many=True)
    sheets = SheetSerializer(many=True)
    passes = PassSerializer(many=True)
    reasons = ReasonSerializer(many=True)
    outcomes = ReasonSerializer(many=True)
    weak = serializers.BooleanField()
    most_atomic = serializers.IntegerField()
    edits = serializers.IntegerField()
    damage = DamageSerializer(many=True)
    expected = ExpectedSerializer(many=True)
    only = OnlySomeSerializer()
    planned_totals = serializers.DictField(child=PlannedTotalsSerializer())
    part = serializers.IntegerField()
    parts = PartSerializer(many=True)
    went_out = WentOutSerializer(allow_null=True)
    examples = serializers.DictField(child=_TEXTS())
    on_route = OnRouteSerializer(allow_null=True)

    class Meta(TripSummarySerializer.Meta):
        fields = (  # type: ignore[assignment]
            *TripSummarySerializer.Meta.fields,
            "plan",
            "sent_by",
            "summary",
            "columns",
            "sheets",
            "passes",
            "reasons",
            "outcomes",
            "weak",
            "most_atomic",
            "edits",
            "damage",
            "expected",
            "only",
            "planned_totals",
            "part",
            "parts",
            "went_out",
            "examples",
            "on_route",
        )


class TripTitleSerializer(serializers.Serializer[Any]):
    title = _TEXTS(max_length=160)


class LinkSerializer(serializers.Serializer[Any]):
    link = _TEXTS(allow_null=True)


class CarriedSerializer(serializers.Serializer[Any]):
    day = serializers.DateField()
    carried = serializers.IntegerField()
    refused = serializers.IntegerField()
