"""The trouble switch: makes the register slow, busy, failing, or dropping answers after it has saved."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator

import simplejson
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse, StreamingHttpResponse
from django.views.decorators.csrf import csrf_exempt

KINDS = ("none", "slow", "busy", "failing", "dropping")
_lock = threading.Lock()
_state: dict[str, float | str] = {"kind": "none", "left": 0, "seconds": 0.0, "skip": 0}


def _take() -> tuple[str, float]:
    with _lock:
        if float(_state["left"]) <= 0:
            return "none", 0.0
        if float(_state["skip"]) > 0:
            _state["skip"] = float(_state["skip"]) - 1
            return "none", 0.0
        _state["left"] = float(_state["left"]) - 1
        return str(_state["kind"]), float(_state["seconds"])


def _nothing() -> Iterator[bytes]:
    yield b""


class TroubleMiddleware:
    """Troubles the next requests to the open interface, as the switch says; reads are spared by ``dropping``."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if "/odata/" not in request.path:
            return self.get_response(request)
        if _state["kind"] == "dropping" and request.method == "GET":
            return self.get_response(request)
        kind, seconds = _take()
        if kind == "slow":
            time.sleep(seconds)
        if kind == "busy":
            return HttpResponse(status=429, headers={"Retry-After": str(int(seconds))})
        if kind == "failing":
            return HttpResponse(status=503)
        response = self.get_response(request)
        if kind == "dropping":
            # Fewer bytes than announced: the server closes the connection in the middle of the answer.
            return StreamingHttpResponse(_nothing(), headers={"Content-Length": "1000"})
        return response


@csrf_exempt
def switch(request: HttpRequest) -> HttpResponse:
    """GET tells the state; POST ``{"kind", "times", "seconds", "skip"}`` sets it for the next ``times`` requests."""
    if request.method == "POST":
        try:
            asked = simplejson.loads(request.body or b"{}")
            kind, times = str(asked.get("kind", "none")), int(asked.get("times", 1))
            seconds, skip = float(asked.get("seconds", 0)), int(asked.get("skip", 0))
        except (ValueError, AttributeError):
            return JsonResponse({"error": "kind, times, seconds and skip are wanted"}, status=400)
        if kind not in KINDS:
            return JsonResponse({"error": f"kind is one of {', '.join(KINDS)}"}, status=400)
        with _lock:
            _state.update(kind=kind, left=0 if kind == "none" else times, seconds=seconds, skip=skip)
    return JsonResponse(dict(_state))
