"""Answers of the API as JSON, their sentences as whoever asked reads them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rest_framework.renderers import JSONRenderer
from rest_framework.request import Request

from vexo.core.wording import GROUP, MOMENT

from .locales import Reader
from .people.models import Person

ZONE_HEADER = "Vexo-Zone"
"""Header of a request: the time zone of the browser, for who has said none."""


_MARKS = tuple(mark.encode() for mark in (GROUP, MOMENT))


def reader_of(request: Request) -> Reader:
    """Who reads the answer to a request: the person, with their browser's zone where they have said none."""
    person = request.user if isinstance(request.user, Person) else Person()
    return Reader.named(person.locale, person.zone or request.headers.get(ZONE_HEADER, ""))


class SentenceRenderer(JSONRenderer):
    """JSON in which numbers and times within sentences are written for the reader."""

    def render(
        self, data: Any, accepted_media_type: str | None = None, renderer_context: Mapping[str, Any] | None = None
    ) -> Any:
        content = super().render(data, accepted_media_type, renderer_context)
        request = (renderer_context or {}).get("request")
        if not content or request is None or not any(mark in content for mark in _MARKS):
            return content
        return reader_of(request).text(content.decode()).encode()
