"""Reading what comes in over HTTP."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import IO, Any

from django.conf import settings
from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser
from rest_framework.utils import json


class PlainJSONParser(JSONParser):
    """JSON, but none that is nested without end, holds what is not text, or says one name twice."""

    def parse(
        self, stream: IO[Any], media_type: str | None = None, parser_context: Mapping[str, Any] | None = None
    ) -> Any:
        encoding = (parser_context or {}).get("encoding", settings.DEFAULT_CHARSET)
        try:
            text = stream.read().decode(encoding)
            return json.loads(text, parse_constant=json.strict_constant, object_pairs_hook=_each_once)
        except RecursionError:
            raise ParseError("The JSON is nested too deeply.") from None
        except ValueError as error:
            raise ParseError(f"The JSON cannot be read: {error}") from error


def _each_once(pairs: Sequence[tuple[str, Any]]) -> dict[str, Any]:
    """An object, where none of its names is said twice: the last would count, and the others would not. Raises
    ParseError."""
    plain = dict(pairs)
    if len(plain) < len(pairs):
        twice = next(name for name, count in Counter(name for name, _ in pairs).items() if count > 1)
        raise ParseError(f"The JSON says {twice!r} more than once. Say it once.")
    return plain
