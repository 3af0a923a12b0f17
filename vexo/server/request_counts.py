"""Requests that this process has answered, counted for whoever watches."""

from __future__ import annotations

from prometheus_client import CollectorRegistry, Counter, Histogram

REGISTRY = CollectorRegistry()
_METHODS = ("GET", "HEAD", "OPTIONS", "POST", "PUT", "PATCH", "DELETE")
_REQUESTS = Counter(
    "vexo_requests", "Requests answered since this process began.", ["method", "route", "status"], registry=REGISTRY
)
_SECONDS = Histogram(
    "vexo_request_seconds",
    "How long requests took.",
    ["method"],
    buckets=(0.01, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30),
    registry=REGISTRY,
)


def count_request(method: str, route: str, status: int, seconds: float) -> None:
    """Take note of a request that was answered; of its address only the route is kept."""
    method = method if method in _METHODS else "other"
    _REQUESTS.labels(method, route, str(status)).inc()
    _SECONDS.labels(method).observe(seconds)
