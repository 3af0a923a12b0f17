"""What sheets, their columns and what was found in them look like over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from ..asked import Asked
from ..who import WhoSerializer
from .models import Sheet

_TEXTS = serializers.CharField


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
    facts = profile or {}
    names: list[str] = list(FoundSerializer().fields)
    known = {name: value for name in names if (value := facts.get(name)) not in (None, "", [])}
    return {**known, "first_rows": [{"row": row, "text": text} for row, text in facts.get("first_rows", [])]}


class ChoicesSerializer(Asked):
    """How a person wants a file read; what is not said is found. ``header`` is a row, 0 for none."""

    worksheet = _TEXTS(required=False, allow_blank=True)
    header = serializers.IntegerField(required=False, allow_null=True, min_value=0, max_value=2**31)
    encoding = _TEXTS(required=False, allow_blank=True, max_length=40)
    delimiter = serializers.CharField(required=False, allow_blank=True, max_length=1, trim_whitespace=False)
    prefix = serializers.ChoiceField(required=False, choices=["", "off", "keep"])
    marks = serializers.BooleanField(required=False)


class OriginSerializer(serializers.Serializer[Any]):
    """What a sheet was known by: ``stamp``, ``cells``, ``rows``, ``same`` or ``said``, with the account of it; or
    ``elsewhere``, with the application that it comes from; or ``receipt``, about records of another type of the same
    one; or nothing."""

    how = _TEXTS(allow_blank=True)
    account = _TEXTS(allow_blank=True)
    application = _TEXTS(required=False)
    label = _TEXTS(required=False)  # type: ignore[assignment]
    stage = _TEXTS(required=False)
    record_type = _TEXTS(required=False)


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
        return found_json(sheet.profile_json or {"format": sheet.format})
