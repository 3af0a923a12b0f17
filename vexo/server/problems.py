"""Errors as RFC 9457 problem details."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404
from rest_framework import exceptions
from rest_framework.response import Response

from vexo.core.errors import MendableError

from .errors import NotAllowed, Stale, machine_trouble
from .people.throttle import TooMany


def _problem(status: int, title: str, detail: str, **more: Any) -> Response:
    body = {"type": "about:blank", "status": status, "title": title, "detail": detail, **more}
    return Response(body, status=status, content_type="application/problem+json")


def _first_error(data: Any) -> tuple[str, str | None]:
    """The first sentence of a validation error, and the field it is about."""
    if isinstance(data, dict):
        for field, inner in data.items():
            return _first_error(inner)[0], None if field == "non_field_errors" else str(field)
    if isinstance(data, list) and data:
        return _first_error(data[0])
    return str(data), None


def problem_handler(error: Exception, context: dict[str, Any]) -> Response | None:
    """Every error that has a remedy, as a problem; anything else is left to fail loudly."""
    if isinstance(error, TooMany):
        problem = _problem(429, "Too many tries", str(error), code="wait")
        problem["Retry-After"] = str(error.seconds)
        return problem
    if isinstance(error, NotAllowed):
        return _problem(403, "Your role does not allow that", str(error), code="rights")
    if isinstance(error, Stale):
        return _problem(412, "Changed elsewhere", str(error), code="stale", newer=error.more["newer"])
    if isinstance(error, MendableError):
        return _problem(422, "That cannot be done as it stands", str(error), code=error.code)
    trouble = machine_trouble(error)
    if trouble is not None:
        return _problem(503, "Vexo's own machine cannot do that now", trouble, code="machine")
    if isinstance(error, exceptions.ValidationError):
        detail, field = _first_error(error.detail)
        return _problem(400, "Something is missing or not right", detail, **({"field": field} if field else {}))
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return _problem(401, "Sign in first", "You are not signed in, or no longer.")
    if isinstance(error, exceptions.PermissionDenied | PermissionDenied):
        return _problem(403, "Your role does not allow that", str(getattr(error, "detail", "")) or "Not allowed.")
    if isinstance(error, OverflowError):
        return _problem(404, "Not there", "There is nothing with a number that large.")
    if isinstance(error, Http404 | exceptions.NotFound):
        return _problem(404, "Not there", "There is nothing at that address any more.")
    if isinstance(error, exceptions.APIException):
        return _problem(error.status_code, "That did not work", str(error.detail))
    return None
