"""Figures for whoever watches over the server, in the text format of Prometheus."""

from __future__ import annotations

import time
from collections.abc import Iterator
from functools import lru_cache

from django.db.models import Count
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from prometheus_client import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector
from rest_framework.request import Request
from rest_framework.views import APIView

from vexo import __version__

from .health import wrong
from .jobs.heartbeat import living_workers
from .jobs.models import Job
from .passes.models import Pass
from .request_counts import REGISTRY
from .trips.models import Trip
from .upkeep.disk import Room, room_free, room_taken

_LOOKED_EACH = 300
"""Seconds between two looks at what takes room."""


class _Kept(Collector):
    """What the database and the disk say when they are asked."""

    def collect(self) -> Iterator[Metric]:
        yield _gauge("vexo_up", "1, with the version.", "version", {__version__: 1})
        yield _gauge("vexo_trouble", "1 for each thing that is wrong.", "code", {one["code"]: 1 for one in wrong()})
        jobs = GaugeMetricFamily("vexo_jobs", "Jobs that have not ended.", labels=["queue", "state"])
        states = (Job.QUEUED, Job.RUNNING, Job.WAITING)
        for one in Job.objects.filter(state__in=states).order_by().values("queue", "state").annotate(n=Count("id")):
            jobs.add_metric([one["queue"], one["state"]], one["n"])
        yield jobs
        yield GaugeMetricFamily("vexo_workers", "Workers that are alive.", value=living_workers())
        counted = Pass.objects.filter(state__in=Pass.OPEN).order_by().values_list("state").annotate(Count("id"))
        yield _gauge("vexo_open_passes", "Passes that have not ended.", "state", dict(counted))
        yield GaugeMetricFamily("vexo_trips", "Trips that are kept.", value=Trip.objects.count())
        room = {one.kind: one.bytes for one in _room_of(int(time.monotonic() // _LOOKED_EACH))}
        yield _gauge("vexo_disk_bytes", "Bytes that the data folder takes.", "kind", room)
        yield GaugeMetricFamily("vexo_disk_free_bytes", "Bytes free on its disk.", value=room_free())


@lru_cache(maxsize=1)
def _room_of(moment: int) -> list[Room]:
    """What takes room, looked at anew once a moment has passed: to look goes through all files."""
    return room_taken()


def _gauge(name: str, says: str, label: str, values: dict[str, int]) -> Metric:
    family = GaugeMetricFamily(name, says, labels=[label])
    for value, count in values.items():
        family.add_metric([value], count)
    return family


REGISTRY.register(_Kept())


class MetricsView(APIView):
    """Figures of this installation. Whoever asks shows a token, or is signed in."""

    @extend_schema(responses={(200, "text/plain"): OpenApiTypes.STR})
    def get(self, request: Request) -> HttpResponse:
        return HttpResponse(generate_latest(REGISTRY), content_type=CONTENT_TYPE_LATEST)
