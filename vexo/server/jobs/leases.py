"""Claiming a job, keeping its lease, and writing only while it is held."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

from django.db import OperationalError, close_old_connections, connection, transaction
from django.db.models import F, Q

from vexo.core.wording import shortened

from .models import Job
from .processes import is_gone

SECONDS = float(os.environ.get("VEXO_LEASE_SECONDS", "15"))


class Ending:
    """Whether this process is to end. It takes no lock, as an event of ``threading`` does: a second signal that came
    while the first one was being taken down would wait for itself for ever."""

    def __init__(self) -> None:
        self._asked = False

    def set(self) -> None:
        self._asked = True

    def clear(self) -> None:
        self._asked = False

    def is_set(self) -> bool:
        return self._asked


ENDING = Ending()
"""Set once this process is to end: work that others can go on with is handed back to them."""


class HandedBack(Exception):
    """This process is to end: the job goes on in another worker, as soon as there is one."""


class LeaseLost(Exception):
    """Another worker has the job now; this one must stop and write nothing."""


def claim(owner: str, queues: tuple[str, ...] = (), only: int | None = None) -> Job | None:
    """Take the oldest job that nobody works on and whose time has come, in one UPDATE, or the one job ``only``."""
    now = time.time()
    free = Q(state=Job.QUEUED) | Q(state=Job.RUNNING, lease_until__lt=now) | Q(state=Job.WAITING, start_at__lte=now)
    jobs = Job.objects.filter(free)
    if queues:
        jobs = jobs.filter(queue__in=queues)
    if only is not None:
        jobs = jobs.filter(pk=only)
    for pk, fencing_token in jobs.order_by("id").values_list("pk", "fencing_token")[:5]:
        taken = Job.objects.filter(free, pk=pk, fencing_token=fencing_token).update(
            state=Job.RUNNING, owner=owner, fencing_token=F("fencing_token") + 1, lease_until=now + SECONDS
        )
        if taken:
            return Job.objects.get(pk=pk)
    return None


def end_leases_of_process(process: str) -> None:
    """A worker (``host:pid``) is known to be dead: its jobs are free at once."""
    Job.objects.filter(owner__startswith=f"{process}:", state=Job.RUNNING).update(lease_until=0)


def end_leases_of_the_dead(trip: int | None = None) -> None:
    """Free the jobs whose process was on this machine and is there no more."""
    jobs = Job.objects.filter(state=Job.RUNNING, lease_until__gt=0)
    for job in jobs.filter(trip=trip) if trip is not None else jobs:
        if is_gone(job.owner):
            Job.objects.filter(pk=job.pk, owner=job.owner, fencing_token=job.fencing_token).update(lease_until=0)


class Lease:
    """A held job. ``writing`` opens a transaction that only goes through while the lease is held."""

    def __init__(self, job: Job) -> None:
        self.job, self.fencing_token = job, job.fencing_token
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._renew, daemon=True)

    def __enter__(self) -> Lease:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def _mine(self) -> Q:
        return Q(pk=self.job.pk, fencing_token=self.fencing_token, state=Job.RUNNING)

    def _renew(self) -> None:
        while not self._over.wait(SECONDS / 3):
            close_old_connections()
            with suppress(OperationalError):
                Job.objects.filter(self._mine()).update(lease_until=time.time() + SECONDS)
        connection.close()

    @contextmanager
    def writing(self) -> Iterator[None]:
        """A short transaction. Raises LeaseLost where another worker has taken over."""
        with transaction.atomic():
            if not Job.objects.filter(self._mine()).update(lease_until=time.time() + SECONDS):
                raise LeaseLost(f"job {self.job.pk} was taken over")
            yield

    def still_mine(self) -> None:
        """Raises LeaseLost where another worker has taken over."""
        if not Job.objects.filter(self._mine()).exists():
            raise LeaseLost(f"job {self.job.pk} was taken over")

    def hand_back_if_ending(self) -> None:
        """Raises HandedBack where this process is to end."""
        if ENDING.is_set():
            raise HandedBack(f"job {self.job.pk} goes on elsewhere")

    def progress(self, done: int, total: int, message: str = "") -> None:
        """Say how far the work is. Raises LeaseLost."""
        self.job.done, self.job.total, self.job.message = done, total, message
        self.write(done=done, total=total, message=shortened(message, 200))

    def write(self, **values: Any) -> None:
        """Write down something about the job itself, in one statement. Raises LeaseLost."""
        until = time.time() + SECONDS
        if not Job.objects.filter(self._mine()).update(**{"lease_until": until, **values}):
            raise LeaseLost(f"job {self.job.pk} was taken over")

    @property
    def trip(self) -> Any:
        """The trip that the job is about."""
        if self.job.trip is None:
            raise ValueError(f"job {self.job.pk} has no trip")
        return self.job.trip

    @property
    def wanted(self) -> str:
        """What people want of the job now: ``run``, ``pause`` or ``stop``."""
        return str(Job.objects.filter(pk=self.job.pk).values_list("wanted", flat=True).get())
