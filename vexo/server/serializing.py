"""Serializers from dataclasses: the shape of an answer is written once, and the schema comes from it."""

from __future__ import annotations

import types
from dataclasses import fields, is_dataclass
from datetime import datetime
from enum import StrEnum
from functools import cache
from importlib import import_module
from inspect import getdoc
from typing import Annotated, Any, Union, get_args, get_origin, get_type_hints

from rest_framework import serializers

SerializerField = serializers.Field[Any, Any, Any, Any]


class OneOf:
    """Of a text: it is one of the values at this dotted name (an enumeration, choices, or a list of texts)."""

    def __init__(self, values: str) -> None:
        self.values = values

    def choices(self) -> list[tuple[str, str]]:
        """The values."""
        module, _, name = self.values.rpartition(".")
        found: Any
        try:
            found = getattr(import_module(module), name)
        except ModuleNotFoundError:
            package, _, owner = module.rpartition(".")
            found = getattr(getattr(import_module(package), owner), name)
        if isinstance(found, type) and issubclass(found, StrEnum):
            return [(member.value, member.name) for member in found]
        return [value if isinstance(value, tuple) else (str(value), str(value)) for value in found]


class Serialized:
    """Of a value that a serializer made: that serializer describes it."""

    def __init__(self, serializer: type[serializers.BaseSerializer[Any]], **options: Any) -> None:
        self.serializer, self.options = serializer, options


class Shape:
    """Of a value whose field is made by the function at this dotted name."""

    def __init__(self, maker: str) -> None:
        self.maker = maker

    def field(self) -> SerializerField:
        """The serializer's field."""
        module, _, name = self.maker.rpartition(".")
        made: SerializerField = getattr(import_module(module), name)()
        return made


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
