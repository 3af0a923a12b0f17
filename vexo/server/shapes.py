"""What a fact's type does not say of its serializer, written beside it. Nothing here loads one."""

from __future__ import annotations

from enum import StrEnum
from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from rest_framework import serializers

    from .serializing import SerializerField


class OneOf:
    """Of a text: it is one of the values at this dotted name (an enumeration, choices, or a list of texts)."""

    def __init__(self, values: str) -> None:
        self.values = values

    def choices(self) -> list[tuple[str, str]]:
        """The values."""
        module, _, name = self.values.rpartition(".")
        schema: Any
        try:
            schema = getattr(import_module(module), name)
        except ModuleNotFoundError:
            package, _, owner = module.rpartition(".")
            schema = getattr(getattr(import_module(package), owner), name)
        if isinstance(schema, type) and issubclass(schema, StrEnum):
            return [(member.value, member.name) for member in schema]
        return [value if isinstance(value, tuple) else (str(value), str(value)) for value in schema]


class Serialized:
    """Of a value that a serializer made: the one at this dotted name describes it."""

    def __init__(self, serializer: str, **options: Any) -> None:
        self._serializer, self.options = serializer, options

    @property
    def serializer(self) -> type[serializers.BaseSerializer[Any]]:
        """The serializer."""
        module, _, name = self._serializer.rpartition(".")
        serializer_class: type[serializers.BaseSerializer[Any]] = getattr(import_module(module), name)
        return serializer_class


class Shape:
    """Of a value whose field is made by the function at this dotted name."""

    def __init__(self, maker: str) -> None:
        self.maker = maker

    def field(self) -> SerializerField:
        """The serializer's field."""
        module, _, name = self.maker.rpartition(".")
        field_made: SerializerField = getattr(import_module(module), name)()
        return field_made
