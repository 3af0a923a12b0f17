"""Lanes over HTTP: a lane as data, its treatments a union told apart by what they do."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from drf_spectacular.utils import PolymorphicProxySerializer, extend_schema_field
from rest_framework import serializers

from vexo.core.columns.lanes import Blank
from vexo.core.columns.treatments import KINDS, Treatment
from vexo.core.values import SEPARATOR

from ..asked import Asked

_TEXTS = serializers.CharField


def _argument(name: str, default: Any) -> serializers.Field[Any, Any, Any, Any]:
    if name == "pairs":
        return serializers.ListField(child=serializers.ListField(child=_TEXTS(allow_blank=True)))
    if isinstance(default, tuple):
        return serializers.ListField(child=_TEXTS(allow_blank=True))
    if isinstance(default, int):
        return serializers.IntegerField()
    return _TEXTS(allow_blank=True)


def _serializer_of(kind: type[Treatment]) -> type[serializers.Serializer[Any]]:
    """The serializer that describes one treatment as data; all of its arguments may be left out."""
    arguments = {one.name: one.default for one in fields(kind)}

    def get_fields(self: serializers.Serializer[Any]) -> dict[str, serializers.Field[Any, Any, Any, Any]]:
        arguments_made = {name: _argument(name, default) for name, default in arguments.items()}
        return {"do": serializers.ChoiceField(choices=[kind.do]), **arguments_made}

    name = "".join(part.capitalize() for part in kind.do.replace("-", " ").split())
    return type(
        f"{name}TreatmentSerializer", (serializers.Serializer,), {"get_fields": get_fields, "__doc__": kind.title}
    )


_BY_DOING: dict[str, Any] = {kind.do: _serializer_of(kind) for kind in KINDS.values()}


def _treatment(*, many: bool) -> PolymorphicProxySerializer:
    return PolymorphicProxySerializer(
        component_name="Treatment", serializers=_BY_DOING, resource_type_field_name="do", many=many
    )


@extend_schema_field(_treatment(many=False))
class TreatmentField(serializers.DictField):
    """One treatment with all of its arguments."""


@extend_schema_field(_treatment(many=True))
class TreatmentsField(serializers.ListField):
    """The treatments of a lane; whether each can be is checked by the core."""

    child = serializers.DictField()


class LaneSerializer(Asked):
    """A field's lane: its column (``source``, where its own goes elsewhere) or ``fixed`` value, its treatments, what a
    blank cell means (``updates``: a default counts for records that are there too), whether only fields that are empty
    in the application are filled; for a many-valued field whether cells add, and what stands between its items.
    ``check``: it is compared and never written. ``settled`` are questions that were answered by leaving it as it is.
    """

    blank = serializers.ChoiceField(choices=[(blank.value, blank.name) for blank in Blank], default=Blank.LEAVE.value)
    default = _TEXTS(allow_blank=True, default="", trim_whitespace=False, max_length=2000)
    updates = serializers.BooleanField(default=False)
    only_empty = serializers.BooleanField(default=False)
    fixed = _TEXTS(allow_blank=True, default="", trim_whitespace=False, max_length=5000)
    treatments = TreatmentsField(default=list, max_length=40)
    adds = serializers.BooleanField(default=False)
    separator = _TEXTS(default=SEPARATOR, trim_whitespace=False, max_length=20)
    check = serializers.BooleanField(default=False)
    settled = serializers.ListField(child=_TEXTS(max_length=20), default=list, max_length=10)

    def get_fields(self) -> dict[str, serializers.Field[Any, Any, Any, Any]]:
        # A serializer has a ``source`` of its own, so the field cannot be an attribute of the class.
        source = _TEXTS(allow_blank=True, default="", max_length=2000, trim_whitespace=False)
        return {**super().get_fields(), "source": source}


def treatments_field() -> serializers.Field[Any, Any, Any, Any]:
    """The treatments of a lane that is told."""
    return TreatmentsField()


def lanes_field() -> serializers.Field[Any, Any, Any, Any]:
    """Field → lane."""
    return serializers.DictField(child=LaneSerializer())
