"""What files that come in look like over HTTP, and what is said of them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from vexo.core.columns.lanes import Lane, lanes_from_json
from vexo.core.records import Ignored

from ..asked import Asked
from ..trips.lane_serializers import LaneSerializer, TreatmentField

_TEXTS = serializers.CharField


class TryLaneSerializer(Asked):
    """A lane of a field to be tried on a column."""

    name = _TEXTS(max_length=120)
    column = _TEXTS(max_length=12, allow_blank=True, required=False, default="")
    lane = LaneSerializer()

    def validate_lane(self, value: dict[str, Any]) -> Lane:
        return Lane.from_json(value)


class ArgumentSerializer(serializers.Serializer[Any]):
    """A part of a treatment's phrase that can be changed; ``options`` are value → words where it is one of several."""

    name = _TEXTS()
    kind = _TEXTS()
    title = _TEXTS()
    options = serializers.DictField(child=_TEXTS())


class OfferedTreatmentSerializer(serializers.Serializer[Any]):
    """A treatment that there is: ``do`` its name as data, ``says`` its phrase with its parts in braces; ``initial`` is
    how it begins."""

    do = _TEXTS()
    title = _TEXTS()
    says = _TEXTS()
    arguments = ArgumentSerializer(many=True)

    def get_fields(self) -> dict[str, serializers.Field[Any, Any, Any, Any]]:
        # A serializer has an ``initial`` of its own, so the field cannot be an attribute of the class.
        return {**super().get_fields(), "initial": TreatmentField()}


class TableSerializer(serializers.Serializer[Any]):
    """Where values can be looked up: a sheet or a record type, and its columns or fields (name → words)."""

    table = _TEXTS()
    title = _TEXTS()
    names = serializers.DictField(child=_TEXTS())


class LanesSerializer(serializers.Serializer[Any]):
    """What lanes can be made of: all treatments, and the tables of a trip."""

    treatments = OfferedTreatmentSerializer(many=True)
    tables = TableSerializer(many=True)


class ChangeSerializer(Asked):
    key = serializers.ListField(child=_TEXTS(), required=False)
    ignores = serializers.ListField(
        child=serializers.ChoiceField(choices=list(Ignored)),
        required=False,
        help_text="What makes no difference between keys.",
    )
    reach = serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=8000,
        help_text="Which records may be touched: 'all', 'sent' (those that went out), a condition; empty by itself.",
    )
    operation = _TEXTS(required=False, allow_blank=True, default="")
    columns = serializers.DictField(child=_TEXTS(allow_blank=True), required=False)
    lanes = serializers.DictField(child=LaneSerializer(), required=False)
    without = serializers.BooleanField(
        required=False, help_text="Go on without the columns of the route that the sheet lacks."
    )
    marks = serializers.BooleanField(required=False, help_text="Marks such as [clear] count in the newest sheet.")

    def validate_lanes(self, value: dict[str, dict[str, Any]]) -> dict[str, Lane]:
        return lanes_from_json(value)
