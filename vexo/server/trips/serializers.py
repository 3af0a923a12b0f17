"""What trips look like over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vexo.core.columns.lanes import Blank

from ..applications.models import Application
from ..jobs.views import JobSerializer
from ..naming import WhoSerializer
from ..people.permissions import person_of
from ..people.rights import applying, may
from .models import Sheet, Trip

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


class LaneSerializer(serializers.Serializer[Any]):
    """The rules of a field: what a blank cell means (``updates``: a default counts for records that are there too), and
    whether only fields that are empty in the application are filled."""

    blank = serializers.ChoiceField(choices=[(blank.value, blank.name) for blank in Blank], default=Blank.LEAVE.value)
    default = _TEXTS(allow_blank=True, default="", trim_whitespace=False, max_length=2000)
    updates = serializers.BooleanField(default=False)
    only_empty = serializers.BooleanField(default=False)


class ColumnTotalsSerializer(serializers.Serializer[Any]):
    """A column of the sheet in figures; ``sum``, ``least`` and ``greatest`` are exact texts, empty where it is no
    column of numbers."""

    filled = serializers.IntegerField()
    different = serializers.IntegerField()
    numbers = serializers.IntegerField()
    sum = _TEXTS(allow_blank=True)
    least = _TEXTS(allow_blank=True)
    greatest = _TEXTS(allow_blank=True)


class DamageSerializer(serializers.Serializer[Any]):
    """What a spreadsheet did to cells of one column: how many, of how many it is sure, and how many can be repaired;
    the first rows, and an example of what stands there and what stood there."""

    kind = _TEXTS()
    column = _TEXTS()
    header = _TEXTS(allow_blank=True)
    says = _TEXTS()
    count = serializers.IntegerField()
    sure = serializers.IntegerField()
    repairs = serializers.IntegerField()
    rows = serializers.ListField(child=serializers.IntegerField())
    text = _TEXTS()
    repair = _TEXTS(allow_null=True)


class ExpectedSerializer(serializers.Serializer[Any]):
    """Something that a person expects: of the column ``what``, or of the rows where that is empty; ``off`` is by how
    much it is more or less, empty where it agrees, ? where it cannot be told."""

    what = _TEXTS(allow_blank=True)
    expected = _TEXTS()
    now = _TEXTS(allow_blank=True)
    off = _TEXTS(allow_blank=True)


class OnlySomeSerializer(serializers.Serializer[Any]):
    """Which rows are carried: ``condition`` on the sheet's columns, and how many are left out by hand."""

    condition = _TEXTS(allow_blank=True)
    left_out = serializers.IntegerField()


class ColumnSerializer(serializers.Serializer[Any]):
    column = _TEXTS()
    header = _TEXTS()
    field_name = _TEXTS(allow_null=True)  # type: ignore[assignment]
    field_label = _TEXTS(allow_null=True)
    kind = _TEXTS(allow_null=True)
    how = _TEXTS()
    carried = serializers.BooleanField()
    is_key = serializers.BooleanField()
    tells = serializers.BooleanField()
    filled = serializers.IntegerField()
    different = serializers.IntegerField()
    changed = serializers.IntegerField()
    held = serializers.IntegerField()
    unreadable = serializers.IntegerField()
    emptied = serializers.IntegerField()
    filled_before = serializers.IntegerField()
    lane = LaneSerializer()
    totals = ColumnTotalsSerializer(allow_null=True)
    name_in_conditions = _TEXTS(required=False)
    two_way = serializers.BooleanField()
    before = _TEXTS(allow_null=True)
    after = _TEXTS(allow_null=True)
    difference = _TEXTS(allow_null=True)


class FindingSerializer(serializers.Serializer[Any]):
    """Something noticed in a file, in a sentence, and where it is."""

    kind = _TEXTS()
    row = serializers.IntegerField(allow_null=True)
    column = _TEXTS(allow_null=True)
    text = _TEXTS()


class FirstRowSerializer(serializers.Serializer[Any]):
    """One of the first rows of a file, its cells as one text."""

    row = serializers.IntegerField()
    text = _TEXTS()


class FoundSerializer(serializers.Serializer[Any]):
    """What was found in a file; what was not is left out."""

    format = _TEXTS(required=False)
    sheet = _TEXTS(required=False)
    encoding = _TEXTS(required=False)
    delimiter = _TEXTS(required=False)
    header_row = serializers.IntegerField(required=False)
    blank_rows = serializers.IntegerField(required=False)
    total_rows = serializers.ListField(child=serializers.IntegerField(), required=False)
    other_sheets = serializers.ListField(child=_TEXTS(), required=False)
    findings = FindingSerializer(many=True, required=False)
    first_rows = FirstRowSerializer(many=True)


def found_json(profile: dict[str, Any] | None) -> dict[str, Any]:
    """What was found in a file, as it goes over HTTP."""
    own = profile or {}
    names: list[str] = list(FoundSerializer().fields)
    told = {name: value for name in names if (value := own.get(name)) not in (None, "", [])}
    return {**told, "first_rows": [{"row": row, "text": text} for row, text in own.get("first_rows", [])]}


class ChoicesSerializer(serializers.Serializer[Any]):
    """How a person wants a file read; what is not said is found. ``header`` is a row, 0 for none."""

    worksheet = _TEXTS(required=False, allow_blank=True)
    header = serializers.IntegerField(required=False, allow_null=True, min_value=0, max_value=2**31)
    encoding = _TEXTS(required=False, allow_blank=True, max_length=40)
    delimiter = serializers.CharField(required=False, allow_blank=True, max_length=1, trim_whitespace=False)
    prefix = serializers.ChoiceField(required=False, choices=["", "off", "keep"])
    marks = serializers.BooleanField(required=False)


class OriginSerializer(serializers.Serializer[Any]):
    """What a sheet was known by: ``stamp``, ``cells``, ``rows``, ``same`` or ``said``, with the account of it; or
    ``elsewhere``, with the application that it comes from; or nothing."""

    how = _TEXTS(allow_blank=True)
    account = _TEXTS(allow_blank=True)
    application = _TEXTS(required=False)
    label = _TEXTS(required=False)  # type: ignore[assignment]
    stage = _TEXTS(required=False)


class ChangedCellSerializer(serializers.Serializer[Any]):
    row = serializers.IntegerField()
    header = _TEXTS(allow_blank=True)
    before = _TEXTS(allow_null=True)
    after = _TEXTS(allow_null=True)


class ChangedColumnSerializer(serializers.Serializer[Any]):
    header = _TEXTS(allow_blank=True)
    cells = serializers.IntegerField()


class DiffersSerializer(serializers.Serializer[Any]):
    """What a version of a sheet has other than the one before; ``laid_over`` rows came back by themselves."""

    cells = serializers.IntegerField()
    rows = serializers.IntegerField()
    new_rows = serializers.IntegerField()
    left_out = serializers.IntegerField()
    laid_over = serializers.IntegerField(required=False)
    columns = ChangedColumnSerializer(many=True)
    new_columns = serializers.ListField(child=_TEXTS(allow_blank=True))
    columns_left_out = serializers.ListField(child=_TEXTS(allow_blank=True))
    first = ChangedCellSerializer(many=True)


class SheetSerializer(serializers.ModelSerializer[Sheet]):
    found = serializers.SerializerMethodField()
    added_by = WhoSerializer()
    choices = ChoicesSerializer()
    origin = OriginSerializer()
    differs = DiffersSerializer(allow_null=True)
    files = serializers.SerializerMethodField()

    class Meta:
        model = Sheet
        fields = (
            "id",
            "direction",
            "name",
            "rows",
            "recognised",
            "known_rows",
            "added_by",
            "added_at",
            "found",
            "choices",
            "origin",
            "differs",
            "files",
        )

    @extend_schema_field(serializers.ListField(child=_TEXTS()))
    def get_files(self, sheet: Sheet) -> list[str]:
        return [sheet.name, *[one["name"] for one in sheet.files]]

    @extend_schema_field(FoundSerializer)
    def get_found(self, sheet: Sheet) -> dict[str, Any]:
        return found_json(sheet.profile)


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
        )


class TripTitleSerializer(serializers.Serializer[Any]):
    title = _TEXTS(max_length=160)


class LinkSerializer(serializers.Serializer[Any]):
    link = _TEXTS(allow_null=True)


class CarriedSerializer(serializers.Serializer[Any]):
    day = serializers.DateField()
    carried = serializers.IntegerField()
    refused = serializers.IntegerField()
