"""Workers say that they are alive, so that it is known when none is."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from django.db import OperationalError, close_old_connections, connection
from django.db.models import QuerySet

from .models import Worker
from .processes import GONE, owner_name
from .queues import ALL_QUEUES

EVERY = 5.0
"""Seconds between two signs of life."""
_FORGOTTEN = 24 * 3600.0
"""Seconds after which a worker that gave no more signs is no longer kept."""


def _beat(owner: str, queues: tuple[str, ...]) -> None:
    now = time.time()
    with suppress(OperationalError):
        if not Worker.objects.filter(owner=owner).update(seen_at=now):
            Worker.objects.filter(seen_at__lt=now - _FORGOTTEN).delete()
            Worker.objects.create(owner=owner, queues=list(queues), seen_at=now)


@contextmanager
def heartbeat(queues: tuple[str, ...]) -> Iterator[None]:
    """While this is open, this process counts as a worker of these queues (all where there are none)."""
    owner, over = owner_name(), threading.Event()
    _beat(owner, queues)

    def go_on() -> None:
        while not over.wait(EVERY):
            close_old_connections()
            _beat(owner, queues)
        connection.close()

    thread = threading.Thread(target=go_on, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()
        with suppress(OperationalError):
            Worker.objects.filter(owner=owner).delete()


def forget(process: str) -> None:
    """A worker (``host:pid``) is known to be dead."""
    Worker.objects.filter(owner__startswith=f"{process}:").delete()


def _alive() -> QuerySet[Worker]:
    now = time.time()
    # One in the future is of a clock that was set back since: it tells of nothing.
    return Worker.objects.filter(seen_at__gt=now - GONE, seen_at__lte=now + EVERY)


def living_workers() -> int:
    """How many processes do jobs now."""
    return _alive().count()


def without_worker() -> list[str]:
    """The queues that no living worker looks after."""
    served = {queue for queues in _alive().values_list("queues", flat=True) for queue in (queues or ALL_QUEUES)}
    return sorted(set(ALL_QUEUES) - served)
