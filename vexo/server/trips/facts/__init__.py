"""Everything that is told of a trip, as typed data.

What is stored with a trip (``Trip.status``, ``Part.facts``) and what the API, the command line and the screens show is
made of these dataclasses: serializers, the OpenAPI schema and the front end's types come from them. Sums and totals are
texts with all their digits.
"""

from __future__ import annotations

from typing import Any, TypeVar

import msgspec

Fact = TypeVar("Fact")


def to_json(fact: Any) -> Any:
    """A fact, or several, as JSON can hold it."""
    return msgspec.to_builtins(fact, str_keys=True)


def from_json(data: Any, shape: type[Fact]) -> Fact:
    """The reverse of ``to_json``. Raises ValueError where the data has another shape."""
    return msgspec.convert(data, shape, strict=False)
