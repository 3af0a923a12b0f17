"""Errors as RFC 9457 problem details."""

from __future__ import annotations

import logging
from typing import Any, cast

from django.core.exceptions import DisallowedHost, PermissionDenied, RequestDataTooBig
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from rest_framework import exceptions
from rest_framework.response import Response

from vexo.core.errors import MendableError

from .error_codes import Coded, ErrorCode
from .errors import NotAllowed, Stale, machine_trouble
from .people.throttle import TooMany

KIND = "application/problem+json"
_NO_CSRF = (
    "The request lacks the header X-CSRFToken with the value of the cookie csrftoken, or comes from another page. A "
    "script needs neither: it shows a token (Authorization: Bearer …)."
)
_TOO_LARGE = "A request may hold at most 8 MB. Send less at once; sheets are sent in parts."


def _body(status: int, title: str, detail: str, code: Coded = "", **more: Any) -> dict[str, Any]:
    # What a person typed may be in it, and halves of characters are no text that could be sent.
    detail = detail.encode("utf-8", "replace").decode()
    coded = {"code": code} if code else {}
    return {"type": "about:blank", "status": status, "title": title, "detail": detail, **coded, **more}


def _problem(status: int, title: str, detail: str, code: Coded = "", **more: Any) -> Response:
    return Response(_body(status, title, detail, code, **more), status=status, content_type=KIND)


def _first_error(data: Any) -> tuple[str, str | None]:
    """The first sentence of a validation error, and the field it is about."""
    if isinstance(data, dict):
        for field, inner in data.items():
            return _first_error(inner)[0], None if field == "non_field_errors" else str(field)
    if isinstance(data, list) and data:
        return _first_error(data[0])
    return str(data), None


def _not_known(error: exceptions.NotAuthenticated | exceptions.AuthenticationFailed) -> Response:
    refused = isinstance(error, exceptions.AuthenticationFailed)
    detail = str(error.detail) if refused else "You are not signed in, or no longer."
    problem = _problem(401, "Sign in first", detail, code="token" if refused else "sign-in")
    problem["WWW-Authenticate"] = 'Bearer realm="vexo"'
    return problem


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
        return _problem(422, "That cannot be done as it stands", str(error), cast(Coded, error.code))
    trouble = machine_trouble(error)
    if trouble is not None:
        return _problem(503, "Vexo's own machine cannot do that now", trouble, code="machine")
    if isinstance(error, exceptions.ValidationError):
        detail, field = _first_error(error.detail)
        named = {"field": field} if field else {}
        return _problem(400, "Something is missing or not right", detail, "", **named)
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return _not_known(error)
    if isinstance(error, exceptions.PermissionDenied | PermissionDenied):
        if str(getattr(error, "detail", "")).startswith("CSRF"):
            return _problem(403, "Not from one of Vexo's own pages", _NO_CSRF, code="csrf")
        return _problem(403, "Your role does not allow that", str(getattr(error, "detail", "")) or "Not allowed.")
    if isinstance(error, RequestDataTooBig):
        return _problem(413, "Too large", _TOO_LARGE, code="too-large")
    if isinstance(error, OverflowError):
        return _problem(404, "Not there", "There is nothing with a number that large.")
    if isinstance(error, Http404 | exceptions.NotFound):
        return _problem(404, "Not there", "There is nothing at that address any more.")
    if isinstance(error, exceptions.APIException):
        return _problem(error.status_code, "That did not work", str(error.detail))
    return None


def _outside(request: HttpRequest, status: int, title: str, detail: str, code: ErrorCode) -> HttpResponse:
    """An error that no view of the API has answered: a problem all the same."""
    return JsonResponse(_body(status, title, detail, code=code), status=status, content_type=KIND)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """What Django refuses before any view sees it; why goes to the log."""
    if isinstance(exception, RequestDataTooBig):
        return _outside(request, 413, "Too large", _TOO_LARGE, "too-large")
    if isinstance(exception, DisallowedHost):
        host = str(request.META.get("HTTP_HOST", ""))[:200]
        logging.getLogger("vexo.requests").warning("unknown host name", extra={"host": host})
        detail = "Vexo is not known by that name. Its administrator says the right one in VEXO_ADDRESS."
        return _outside(request, 400, "Unknown host name", detail, "host")
    logging.getLogger("vexo.requests").warning("bad request", extra={"why": type(exception).__name__})
    return _outside(request, 400, "That request cannot be read", "It is not written as HTTP has it.", "bad-request")


def not_there(request: HttpRequest, exception: Exception) -> HttpResponse:
    return _outside(request, 404, "Not there", "There is nothing at that address.", "not-there")


def server_error(request: HttpRequest) -> HttpResponse:
    detail = "Vexo has made a mistake of its own. What was written down before is not lost; the log says where it was."
    return _outside(request, 500, "A mistake of Vexo's own", detail, "mistake")
