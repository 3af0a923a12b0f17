"""Switches for tests and demonstrations: what befalls the next requests, and what the register promises at all."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

import simplejson
from django.db import connections
from django.db.models import Model
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse, StreamingHttpResponse
from django.views.decorators.csrf import csrf_exempt

KINDS = ("none", "slow", "busy", "failing", "status", "dropping", "late")
WRITES_ONLY = ("status", "dropping", "late")
_QUIET: dict[str, Any] = {"kind": "none", "left": 0, "seconds": 0.0, "skip": 0, "status": 502, "after": False}
_USUAL: dict[str, Any] = {
    "versions": True,
    "unversioned": [],
    "keys": True,
    "repeatable": "no",
    "warnings": False,
    "continues": True,
    "most": 1000,
    "rows": 0,
}
_lock = threading.Lock()
_state = dict(_QUIET)
_behaviour = dict(_USUAL)


def behaviour(name: str) -> Any:
    """One of: ``versions`` (records carry one), ``unversioned`` (types that do not, or "odd": odd numbers of any type,
    of which nothing is said), ``keys`` (its unique ones are told), ``repeatable`` (no, yes, rejecting), ``warnings``
    (on rows that are taken), ``continues`` (a batch goes on after a failure), ``most`` (requests a batch), ``rows``
    (status with which every second write of a batch fails, 0 for none)."""
    return _behaviour[name]


def promises_versions(model: type[Model]) -> bool:
    """Whether the register says that records of a type carry a version."""
    return bool(behaviour("versions")) and model.__name__ not in behaviour("unversioned")


def carries_version(model: type[Model], key: Any) -> bool:
    """Whether this record carries one."""
    odd = "odd" in behaviour("unversioned") and str(key).isdigit() and int(key) % 2 == 1
    return promises_versions(model) and not odd


def _take() -> dict[str, Any]:
    with _lock:
        if _state["left"] <= 0:
            return _QUIET
        if _state["skip"] > 0:
            _state["skip"] -= 1
            return _QUIET
        _state["left"] -= 1
        return dict(_state)


def _nothing() -> Iterator[bytes]:
    yield b""


def _cut() -> StreamingHttpResponse:
    """Fewer bytes than announced: the server closes the connection in the middle of the answer."""
    return StreamingHttpResponse(_nothing(), headers={"Content-Length": "1000"})


class TroubleMiddleware:
    """Troubles the next requests to the open interface, as the switch says; some kinds spare what only reads."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if "/odata/" not in request.path:
            return self.get_response(request)
        if _state["kind"] in WRITES_ONLY and request.method == "GET":
            return self.get_response(request)
        now = _take()
        kind, seconds = now["kind"], float(now["seconds"])
        if kind == "slow":
            time.sleep(seconds)
        if kind == "busy":
            return HttpResponse(status=429, headers={"Retry-After": str(int(seconds))})
        if kind == "failing":
            return HttpResponse(status=503)
        if kind == "status" and not now["after"]:
            return HttpResponse(status=int(now["status"]))
        if kind == "late":
            return self._save_late(request, seconds)
        response = self.get_response(request)
        if kind == "status":
            return HttpResponse(status=int(now["status"]))
        return _cut() if kind == "dropping" else response

    def _save_late(self, request: HttpRequest, seconds: float) -> HttpResponseBase:
        """The client is let go at once; what it asked for is done later all the same."""
        request.body  # noqa: B018 - read while the connection is there

        def save() -> None:
            time.sleep(seconds)
            self.get_response(request)
            connections.close_all()

        threading.Thread(target=save, daemon=True).start()
        return _cut()


def _change(target: dict[str, Any], request: HttpRequest, usual: dict[str, Any]) -> HttpResponse:
    try:
        changes = simplejson.loads(request.body or b"{}")
        changed = {name: type(usual[name])(value) for name, value in changes.items()}
    except (ValueError, AttributeError, KeyError, TypeError):
        return JsonResponse({"error": f"of {', '.join(usual)} one or more are wanted"}, status=400)
    if changed.get("kind", "none") not in KINDS:
        return JsonResponse({"error": f"kind is one of {', '.join(KINDS)}"}, status=400)
    with _lock:
        target.update(changed)
    return JsonResponse(target)


@csrf_exempt
def switch(request: HttpRequest) -> HttpResponse:
    """GET tells the state; POST ``{"kind", "times", …}`` sets it for the next ``times`` requests."""
    if request.method != "POST":
        return JsonResponse(_state)
    try:
        changes = simplejson.loads(request.body or b"{}")
        left = int(changes.pop("times", 1))
    except (ValueError, AttributeError, TypeError):
        return JsonResponse({"error": "kind and times are wanted"}, status=400)
    request._body = simplejson.dumps({**changes, "left": 0 if changes.get("kind") == "none" else left}).encode()
    with _lock:
        _state.update(_QUIET)
    return _change(_state, request, _QUIET)


@csrf_exempt
def behaving(request: HttpRequest) -> HttpResponse:
    """GET tells what the register promises; POST changes some of it, ``{}`` makes all as usual."""
    if request.method != "POST":
        return JsonResponse(_behaviour)
    with _lock:
        if request.body in (b"", b"{}"):
            _behaviour.update(_USUAL)
    return _change(_behaviour, request, _USUAL)
