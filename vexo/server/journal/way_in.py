"""By which way it came in what the journal tells of: the browser, a script's token, the command line of a machine."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

BROWSER = "browser"
_LONGEST = 120
"""Characters of a way that an entry holds."""
_now: ContextVar[str] = ContextVar("way_in", default="")


def way_in() -> str:
    """The way of what is done now; empty for what Vexo does by itself."""
    return _now.get()


def set_way_in(way: str) -> None:
    """All that this thread does from now on came in so."""
    _now.set(way[:_LONGEST])


@contextmanager
def coming_in_by(way: str) -> Iterator[None]:
    """What is done within came in so."""
    token = _now.set(way[:_LONGEST])
    try:
        yield
    finally:
        _now.reset(token)


class WayInMiddleware:
    """A request comes from a browser, unless it shows another way when it says who it is."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        with coming_in_by(BROWSER):
            return self.get_response(request)
