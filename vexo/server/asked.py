"""What a request asks for: names that are not known are refused, since one that is misspelt would say nothing."""

from __future__ import annotations

from collections.abc import Mapping
from difflib import get_close_matches
from typing import Any

from rest_framework import serializers
from rest_framework.permissions import BasePermission
from rest_framework.request import Request

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


class KnownQuery(BasePermission):
    """Refuses names in the query of an address that its view does not know (its ``asks``): a filter that is misspelt
    would show everything. ``part`` is known to all that is about a trip."""

    def has_permission(self, request: Request, view: object) -> bool:
        known = [*getattr(view, "asks", ())]
        if "/trips/" in request.path:
            known.append("part")
        unknown = next((name for name in request.query_params if name not in known), None)
        if unknown is not None:
            raise PlainError(_words(unknown, known), "unknown-name")
        return True


def _words(unknown: str, known: list[str]) -> str:
    near = get_close_matches(unknown, known, n=1)
    rest = f"Did you mean {near[0]!r}?" if near else f"Known are: {', '.join(known) or 'none'}."
    return f"Unknown name {unknown!r}. {rest}"
