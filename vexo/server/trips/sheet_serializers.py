"""What sheets, their columns and what was found in them look like over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vexo.core.columns.lanes import Blank
from vexo.core.values import SEPARATOR

from ..naming import WhoSerializer
from .models import Sheet

_TEXTS = serializers.CharField


class LaneSerializer(serializers.Serializer[Any]):
    """A field's lane: its column (``from``, where its own goes elsewhere) or ``fixed`` value, its treatments, what a
    blank cell means (``updates``: a default counts for records that are there too), whether only fields that are empty
    in the application are filled; for a many-valued field whether cells add, and what stands between its items.
    ``check``: it is compared and never written. ``settled`` are questions that were answered by leaving it as it is.
    """

    blank = serializers.ChoiceField(choices=[(blank.value, blank.name) for blank in Blank], default=Blank.LEAVE.value)
    default = _TEXTS(allow_blank=True, default="", trim_whitespace=False, max_length=2000)
    updates = serializers.BooleanField(default=False)
    only_empty = serializers.BooleanField(default=False)
    fixed = _TEXTS(allow_blank=True, default="", trim_whitespace=False, max_length=5000)
    treatments = serializers.ListField(child=serializers.DictField(), default=list, max_length=40)
    adds = serializers.BooleanField(default=False)
    separator = _TEXTS(default=SEPARATOR, trim_whitespace=False, max_length=20)
    check = serializers.BooleanField(default=False)
    settled = serializers.ListField(child=_TEXTS(max_length=20), default=list, max_length=10)

    def get_fields(self) -> dict[str, serializers.Field[Any, Any, Any, Any]]:
        fields = super().get_fields()
        fields["from"] = _TEXTS(allow_blank=True, default="", max_length=2000, trim_whitespace=False)
        return fields


class ToldLaneSerializer(LaneSerializer):
    """A lane with what it does in words: ``says`` as one sentence, ``short`` for the head of a column."""

    says = _TEXTS()
    short = _TEXTS(allow_blank=True)


class AnswerSerializer(serializers.Serializer[Any]):
    """An answer to a question about columns: what it changes, header → field and field → lane."""

    says = _TEXTS()
    said = serializers.DictField(child=_TEXTS(allow_blank=True))
    lanes = serializers.DictField(child=serializers.DictField())


class QuestionSerializer(serializers.Serializer[Any]):
    """Something asked about a column; ``sure`` where only one answer fits, though nobody has given it."""

    code = _TEXTS()
    says = _TEXTS()
    options = AnswerSerializer(many=True)
    sure = serializers.BooleanField()


class AgreesSerializer(serializers.Serializer[Any]):
    """A check: in how many rows something was compared, and in how many it agrees."""

    compared = serializers.IntegerField()
    agrees = serializers.IntegerField()


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
    lane = ToldLaneSerializer(allow_null=True)
    check = serializers.BooleanField()
    open = serializers.BooleanField()
    conflict = serializers.BooleanField()
    extra = serializers.BooleanField()
    questions = QuestionSerializer(many=True)
    example = _TEXTS(allow_blank=True)
    agrees = AgreesSerializer(allow_null=True)
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
