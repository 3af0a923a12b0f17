"""Serializers from dataclasses: the shape of an answer is written once, and the schema comes from it."""

from __future__ import annotations

import types
from dataclasses import fields, is_dataclass
from datetime import datetime
from enum import StrEnum
from functools import cache
from inspect import getdoc
from typing import Annotated, Any, Union, get_args, get_origin, get_type_hints

from rest_framework import serializers

from .shapes import OneOf, Serialized, Shape

SerializerField = serializers.Field[Any, Any, Any, Any]


_PLAIN: dict[Any, type[SerializerField]] = {
    bool: serializers.BooleanField,
    int: serializers.IntegerField,
    float: serializers.FloatField,
    datetime: serializers.DateTimeField,
}


def _field(hint: Any, **options: Any) -> SerializerField:
    """The serializer's field of a type."""
    if get_origin(hint) is Annotated:
        inner, mark = get_args(hint)
        if isinstance(mark, OneOf):
            return serializers.ChoiceField(choices=mark.choices(), **options)
        if isinstance(mark, Serialized):
            return mark.serializer(**mark.options, **options)
        if isinstance(mark, Shape):
            return mark.field()
        return _field(inner, **options)
    origin = get_origin(hint)
    if origin in (Union, types.UnionType):
        (inner,) = [one for one in get_args(hint) if one is not type(None)]
        return _field(inner, allow_null=True, **options)
    if origin is list:
        (inner,) = get_args(hint)
        if is_dataclass(inner):
            return serializer_for(inner)(many=True, **options)  # type: ignore[arg-type]
        return serializers.ListField(child=_field(inner), **options)
    if origin is dict:
        return serializers.DictField(child=_field(get_args(hint)[1]), **options)
    if is_dataclass(hint):
        return serializer_for(hint)(**options)  # type: ignore[arg-type]
    if isinstance(hint, type) and issubclass(hint, StrEnum):
        return serializers.ChoiceField(choices=[(member.value, member.name) for member in hint], **options)
    if hint is Any:
        return serializers.JSONField(**options)
    if hint in _PLAIN:
        return _PLAIN[hint](**options)
    return serializers.CharField(allow_blank=True, trim_whitespace=False, **options)


@cache
def serializer_for(shape: type, name: str = "", leave: tuple[str, ...] = ()) -> type[serializers.Serializer[Any]]:
    """The serializer that describes a dataclass, its docstring for a description; made once.

    Args:
        name: what the schema calls it, where that is not the dataclass's name.
        leave: fields that are left out.
    """
    hints = get_type_hints(shape, include_extras=True)
    wanted = [one for one in fields(shape) if one.name not in leave]
    # A field with a default is there all the same: facts are always told whole.
    declared: dict[str, SerializerField] = {one.name: _field(hints[one.name]) for one in wanted}

    def get_fields(self: serializers.Serializer[Any]) -> dict[str, SerializerField]:
        return {one.name: _field(hints[one.name]) for one in wanted}

    assert declared
    members = {"__doc__": getdoc(shape), "get_fields": get_fields, "__module__": shape.__module__}
    return type(f"{name or shape.__name__}Serializer", (serializers.Serializer,), members)
