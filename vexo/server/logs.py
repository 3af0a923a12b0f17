"""Logs as JSON lines, to the standard error and to a file that is turned over when it is full.

A line never holds a value of a record or a secret: of a request its route (not what was in it), of a mistake its kind
and the places in the code (neither its message nor any variable).
"""

from __future__ import annotations

import logging
import os
import time
import traceback
from collections.abc import Callable
from copy import copy
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pythonjsonlogger.core import RESERVED_ATTRS
from pythonjsonlogger.json import JsonFormatter

from .request_counts import count_request

if TYPE_CHECKING:
    from django.http import HttpRequest, HttpResponse

_LARGEST, _KEPT = 10 * 1024 * 1024, 5
SLOW_MS = 1000
"""Milliseconds from which a request is worth a line of its own."""


class Lines(JsonFormatter):
    """A log line as one JSON object. A mistake is told by its kind and by where it was made."""

    def __init__(self) -> None:
        super().__init__(
            ["message", "levelname", "name"],
            rename_fields={"message": "event", "levelname": "level", "name": "logger"},
            timestamp=True,
        )

    def format(self, record: logging.LogRecord) -> str:
        line = copy(record)
        line.exc_info = line.exc_text = line.stack_info = None
        line.levelname = record.levelname.lower()
        if not record.name.startswith("vexo"):
            # What others attach may be anything, a record's values too.
            for name in line.__dict__.keys() - {*RESERVED_ATTRS, "status_code"}:
                del line.__dict__[name]
        error = record.exc_info[1] if record.exc_info else None
        if error is not None:
            frames = traceback.extract_tb(error.__traceback__)
            line.__dict__["mistake"] = type(error).__name__
            line.__dict__["places"] = [f"{Path(f.filename).name}:{f.lineno} {f.name}" for f in frames[-12:]]
        return super().format(line)


def logging_settings(folder: Path) -> dict[str, Any]:
    """What Django needs to set logging up. ``VEXO_LOGS=file`` leaves the standard error out."""
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
        "formatters": {"lines": {"()": Lines}},
        "handlers": {name: handlers[name] for name in chosen},
        "root": {"handlers": chosen, "level": "WARNING"},
        "loggers": {
            "vexo": {"level": "INFO"},
            # Each request has a line of its own already, and Django's would name records.
            "django.request": {"level": "ERROR"},
            "django.security": {"level": "CRITICAL"},
        },
    }


class RequestLog:
    """One line for every request that changes something, fails or is slow."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        began = time.monotonic()
        response = self.get_response(request)
        took = round((time.monotonic() - began) * 1000)
        route = request.resolver_match.route if request.resolver_match else "elsewhere"
        count_request(str(request.method), route, response.status_code, took / 1000)
        changes = request.method not in ("GET", "HEAD", "OPTIONS")
        if changes or response.status_code >= 400 or took > SLOW_MS:
            person = getattr(getattr(request, "user", None), "username", "")
            facts = {"method": request.method, "route": route, "status": response.status_code, "ms": took}
            logging.getLogger("vexo.requests").info("request", extra={**facts, "who": person})
        return response
