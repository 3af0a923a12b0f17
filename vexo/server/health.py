"""Whether the server is up, and what is wrong where something is."""

from __future__ import annotations

from collections.abc import Collection
from functools import cache
from typing import Any

from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from vexo import __version__
from vexo.core.wording import thousands

from .jobs.heartbeat import without_worker
from .upkeep.disk import room_free

LEAST_FREE = 500 * 1024 * 1024
"""Bytes free on the disk below which people are warned: what a large sheet takes."""
_DOES = {
    "reading": "no sheet is read",
    "exports": "no records go out",
    "planning": "no trip is planned",
    "passes": "nothing is sent",
    "large": "no long sheet is read or planned",
}


class WrongSerializer(serializers.Serializer[Any]):
    code = serializers.ChoiceField(choices=["database", "migrations", "worker", "disk"])
    says = serializers.CharField()


class HealthSerializer(serializers.Serializer[Any]):
    """``up``; ``troubled``: it serves, but something is wrong; ``down``: it cannot serve."""

    status = serializers.ChoiceField(choices=["up", "troubled", "down"])
    version = serializers.CharField()
    wrong = WrongSerializer(many=True)


@cache
def _migrations() -> frozenset[tuple[str, str]]:
    """The migrations that this program knows, by app and name."""
    return frozenset(MigrationLoader(None).disk_migrations)


def _missing_migrations() -> bool:
    if set(MigrationRecorder(connection).applied_migrations()) >= _migrations():
        return False
    # What one that stands for several needs is worked out only here: it takes as long as ten answers.
    executor = MigrationExecutor(connection)
    return bool(executor.migration_plan(executor.loader.graph.leaf_nodes()))


def _unattended(idle: Collection[str]) -> list[str]:
    """What is said of queues that no worker looks after."""
    if set(idle) >= set(_DOES):
        return ["No worker is running: no sheet is read or planned, nothing is sent. Start `vexo worker`."]
    return [f"No worker looks after {queue}: {_DOES[queue]}. Start `vexo worker`." for queue in idle]


def wrong() -> list[dict[str, str]]:
    """What is wrong, worst first, in sentences that name no path: anyone may ask."""
    try:
        if _missing_migrations():
            return [{"code": "migrations", "says": "The database is older than this Vexo. Start `vexo serve` anew."}]
        idle = without_worker()
    except DatabaseError:
        return [{"code": "database", "says": "The database cannot be read. See that its disk is sound."}]
    troubles = [{"code": "worker", "says": says} for says in _unattended(idle)]
    free = room_free()
    if free < LEAST_FREE:
        words = f"Only {thousands(free // 1024**2)} MB are free where Vexo keeps its things. Make room."
        troubles.append({"code": "disk", "says": words})
    return troubles


class HealthView(APIView):
    """Asked by whoever watches over the server, without signing in."""

    permission_classes = (AllowAny,)
    authentication_classes = ()

    @extend_schema(responses={200: HealthSerializer, 503: HealthSerializer})
    def get(self, request: Request) -> Response:
        troubles = wrong()
        down = any(one["code"] in ("database", "migrations") for one in troubles)
        status = "down" if down else "troubled" if troubles else "up"
        body = {"status": status, "version": __version__, "wrong": troubles}
        return Response(body, status=503 if down else 200, headers={"Cache-Control": "no-store"})
