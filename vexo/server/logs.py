"""Logs as JSON lines, to the standard error and to a file that is turned over when it is full.

A line never holds a value of a record or a secret: of a request its route (not what was in it), of a mistake its kind
and the places in the code (neither its message nor any variable).
"""

from __future__ import annotations

import os
import sys
import time
import traceback
from collections.abc import Callable, MutableMapping
from pathlib import Path
from typing import Any

import structlog
from django.http import HttpRequest, HttpResponse

_LARGEST, _KEPT = 10 * 1024 * 1024, 5
SLOW_MS = 1000
"""Milliseconds from which a request is worth a line of its own."""


def _places(_: Any, __: str, event: MutableMapping[str, Any]) -> MutableMapping[str, Any]:
    """A mistake as its kind and where it was made."""
    said = event.pop("exc_info", None)
    if not said:
        return event
    if said is True:
        said = sys.exc_info()
    error = said[1] if isinstance(said, tuple) else said if isinstance(said, BaseException) else None
    if error is not None:
        frames = traceback.extract_tb(error.__traceback__)
        event["mistake"] = type(error).__name__
        event["places"] = [f"{Path(f.filename).name}:{f.lineno} {f.name}" for f in frames[-12:]]
    return event


def _no_arguments(_: Any, __: str, event: MutableMapping[str, Any]) -> MutableMapping[str, Any]:
    """Django puts the request itself into what it logs."""
    event.pop("request", None)
    return event


_PROCESSORS: list[Any] = [
    structlog.stdlib.add_log_level,
    structlog.stdlib.add_logger_name,
    structlog.processors.TimeStamper(fmt="iso"),
    structlog.stdlib.ExtraAdder(allow=["status_code"]),
]


def logging_settings(folder: Path) -> dict[str, Any]:
    """What Django needs to set logging up. ``VEXO_LOGS=file`` leaves the standard error out."""
    lines = {
        "()": structlog.stdlib.ProcessorFormatter,
        "foreign_pre_chain": _PROCESSORS,
        "processors": [
            structlog.stdlib.ProcessorFormatter.remove_processors_meta,
            _no_arguments,
            _places,
            structlog.processors.JSONRenderer(),
        ],
    }
    handlers: dict[str, Any] = {
        "file": {
            "class": "concurrent_log_handler.ConcurrentRotatingFileHandler",
            "filename": str(folder / "vexo.jsonl"),
            "maxBytes": _LARGEST,
            "backupCount": _KEPT,
            "encoding": "utf-8",
            "chmod": 0o600,
            "formatter": "lines",
        },
        "stderr": {"class": "logging.StreamHandler", "formatter": "lines"},
    }
    chosen = ["file"] if os.environ.get("VEXO_LOGS") == "file" else ["file", "stderr"]
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {"lines": lines},
        "handlers": {name: handlers[name] for name in chosen},
        "root": {"handlers": chosen, "level": "WARNING"},
        "loggers": {
            "vexo": {"level": "INFO"},
            # Each request has a line of its own already, and Django's would name records.
            "django.request": {"level": "ERROR"},
            "django.security": {"level": "CRITICAL"},
        },
    }


def set_up_structlog() -> None:
    """Our own lines go the way of all others."""
    structlog.configure(
        processors=[*_PROCESSORS[:3], _places, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
        cache_logger_on_first_use=False,
    )


class RequestLog:
    """One line for every request that changes something, fails or is slow."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        began = time.monotonic()
        response = self.get_response(request)
        took = round((time.monotonic() - began) * 1000)
        changes = request.method not in ("GET", "HEAD", "OPTIONS")
        if changes or response.status_code >= 400 or took > SLOW_MS:
            person = getattr(getattr(request, "user", None), "username", "")
            route = request.resolver_match.route if request.resolver_match else "elsewhere"
            told = {"method": request.method, "route": route, "status": response.status_code, "ms": took}
            structlog.get_logger("vexo.requests").info("request", **told, who=person)
        return response
