"""What a request asks for: what would count for nothing is refused, such as a name that is misspelt."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from difflib import get_close_matches
from typing import Any, ClassVar

from rest_framework import serializers
from rest_framework.permissions import BasePermission
from rest_framework.request import Request

from vexo.core.wording import one_of

from .errors import PlainError


class Asked(serializers.Serializer[Any]):
    only_with: ClassVar[Mapping[str, tuple[str, Collection[str | bool]]]] = {}
    """Name → another one, and the values of it with which alone it counts; any value where none are named."""
    not_with: ClassVar[Mapping[str, str]] = {}
    """Name → another one, beside which it does not count."""

    def to_internal_value(self, data: Any) -> Any:
        """The values, where each name is known, and each counts beside the others. Raises PlainError."""
        if isinstance(data, Mapping):
            known = [name for name, field in self.fields.items() if not field.read_only]
            unknown = next((str(name) for name in data if name not in known), None)
            if unknown is not None:
                raise PlainError(_words(unknown, known), "unknown-name")
        values = super().to_internal_value(data)
        self._refuse_in_vain({name for name in data if values.get(name) not in _NOTHING}, values)
        return values

    def _refuse_in_vain(self, said: Collection[str], values: Mapping[str, Any]) -> None:
        """Raises PlainError where something is said beside what it does not go with."""
        for name, (other, wanted) in self.only_with.items():
            if name in said and (values.get(other) not in wanted if wanted else other not in said):
                at = f" {one_of([str(one).lower() if isinstance(one, bool) else repr(one) for one in wanted])}"
                raise PlainError(f"{name!r} goes with {other!r}{at if wanted else ''} only. Leave it out.", "beside")
        for name, other in self.not_with.items():
            if name in said and other in said:
                raise PlainError(f"{name!r} does not go with {other!r}. Say one of them.", "beside")


_NOTHING: tuple[Any, ...] = (None, "", False, [], {})
"""What says no more than leaving it out does."""


class KnownQuery(BasePermission):
    """Refuses names in the query of an address that its view does not know (its ``asks``): a filter that is misspelt
    would show everything. ``part`` is known to all that is about a trip. One that is said twice is refused too."""

    def has_permission(self, request: Request, view: object) -> bool:
        known = [*getattr(view, "asks", ())]
        if "/trips/" in request.path:
            known.append("part")
        unknown = next((name for name in request.query_params if name not in known), None)
        if unknown is not None:
            raise PlainError(_words(unknown, known), "unknown-name")
        twice = next((name for name, said in request.query_params.lists() if len(said) > 1), None)
        if twice is not None:
            raise PlainError(f"{twice!r} is said more than once. Say it once.", "twice")
        return True


def _words(unknown: str, known: list[str]) -> str:
    near = get_close_matches(unknown, known, n=1)
    rest = f"Did you mean {near[0]!r}?" if near else f"Known are: {', '.join(known) or 'none'}."
    return f"Unknown name {unknown!r}. {rest}"
