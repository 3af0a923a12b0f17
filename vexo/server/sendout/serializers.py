"""What goes out, as it is said and told over HTTP."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from vexo.core.conditions import LONGEST

from ..asked import Asked
from ..routes.documents import names
from ..serializing import serializer_for
from ..trips.facts.parts import AlsoOut

_TEXT = serializers.CharField


class PreviewSerializer(serializers.Serializer[Any]):
    """The sheet as it will be: ``ids`` are the records of its rows; ``for_reading`` says by column why it goes out only
    (empty where it is carried back); ``missing`` keys found no record, the first of them are named; ``files`` tells how
    many sheets that many rows need."""

    count = serializers.IntegerField()
    total = serializers.IntegerField()
    headers = serializers.ListField(child=_TEXT())
    for_reading = serializers.ListField(child=_TEXT(allow_blank=True))
    rows = serializers.ListField(child=serializers.ListField(child=_TEXT(allow_null=True)))
    ids = serializers.ListField(child=_TEXT())
    missing = serializers.IntegerField()
    not_found = serializers.ListField(child=_TEXT())
    files = serializers.IntegerField()


class SelectionSerializer(serializers.Serializer[Any]):
    """A selection in figures: sums of its number fields as texts with all their digits, null where they come only with
    the sheet; and who has some of its records out already, null where there are too many to look."""

    totals = serializers.DictField(child=_TEXT(), allow_null=True)
    also_out = serializer_for(AlsoOut)(many=True, allow_null=True)


@extend_schema_field({"type": "object", "additionalProperties": {}})
class ClauseField(serializers.JSONField):
    """Clauses as plain JSON."""


class AskConditionSerializer(Asked):
    """A condition as its text, or as clauses (null for none): a clause names a field, what it does and its values; a
    group is all, any or none of its parts."""

    record_type = _TEXT(max_length=120)
    text = _TEXT(required=False, allow_blank=True, max_length=LONGEST)
    clauses = ClauseField(required=False, allow_null=True)


class ConditionSerializer(serializers.Serializer[Any]):
    """A condition as text, as clauses and as a sentence."""

    text = _TEXT(allow_blank=True)
    clauses = ClauseField(allow_null=True)
    sentence = _TEXT(allow_blank=True)


class AskKeysSerializer(Asked):
    """A pasted list of keys."""

    record_type = _TEXT(max_length=120)
    text = _TEXT(required=False, allow_blank=True, default="", max_length=5_000_000)
    key = names(8, required=False, default=list)


class ValueSerializer(serializers.Serializer[Any]):
    value = _TEXT()
    label = _TEXT()  # type: ignore[assignment]
    count = serializers.IntegerField(allow_null=True)
