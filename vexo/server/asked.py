"""What a request asks for: names that are not known are refused, since one that is misspelt would say nothing."""

from __future__ import annotations

from collections.abc import Mapping
from difflib import get_close_matches
from typing import Any

from rest_framework import serializers

from .errors import PlainError


class Asked(serializers.Serializer[Any]):
    def to_internal_value(self, data: Any) -> Any:
        """The values, where each name is known. Raises PlainError with the nearest that is."""
        if isinstance(data, Mapping):
            known = [name for name, field in self.fields.items() if not field.read_only]
            unknown = next((str(name) for name in data if name not in known), None)
            if unknown is not None:
                raise PlainError(_words(unknown, known), "unknown-name")
        return super().to_internal_value(data)


def _words(unknown: str, known: list[str]) -> str:
    near = get_close_matches(unknown, known, n=1)
    rest = f"Did you mean {near[0]!r}?" if near else f"Known are: {', '.join(known)}."
    return f"Unknown name {unknown!r}. {rest}"
