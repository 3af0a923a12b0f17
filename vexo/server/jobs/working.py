"""Doing jobs: one by one in a worker, or one at once in the process that asked for it."""

from __future__ import annotations

import os
import signal
import socket
import time
from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any

import structlog
from django.utils import timezone

from vexo.applications import ApplicationError
from vexo.core.columns.matching import MappingError
from vexo.core.conditions import ConditionError
from vexo.core.keys.finding import KeyError_
from vexo.core.records import UnknownName
from vexo.core.sheets import SheetError

from ..applications.services import UnknownApplication
from .leases import Lease, LeaseLost, claim
from .models import Job

PLAIN_ERRORS: tuple[type[Exception], ...] = (
    ApplicationError,
    ConditionError,
    KeyError_,
    MappingError,
    SheetError,
    UnknownApplication,
    UnknownName,
)
_KINDS: Mapping[str, str] = {
    "send out": "vexo.server.trips.sending:send_out",
    "recognise": "vexo.server.trips.uploads:recognise",
    "bring in": "vexo.server.trips.bringing:bring_in",
    "plan": "vexo.server.trips.planning:replan",
    "apply": "vexo.server.runs.applying:apply",
}
HEAVY = ("send out", "bring in", "apply")
log = structlog.get_logger()


class PlainError(Exception):
    """Something a person can mend; the message is for them."""


MENDABLE: tuple[type[Exception], ...] = (*PLAIN_ERRORS, PlainError)


class Stopped(Exception):
    """The work ended early because someone asked for it."""


def work_of(kind: str) -> Callable[[Lease], Any]:
    """The function that does a kind of job. It takes the lease and gives a result that JSON can hold."""
    module, _, name = _KINDS[kind].partition(":")
    work: Callable[[Lease], Any] = getattr(import_module(module), name)
    return work


def enqueue(kind: str, by: str, trip: Any = None, **arguments: Any) -> Job:
    """Ask for work in the background."""
    queue = "heavy" if kind in HEAVY else "quick"
    return Job.objects.create(kind=kind, by=by, trip=trip, queue=queue, arguments=arguments)


def _end(lease: Lease, state: str, **values: Any) -> None:
    with lease.writing():
        Job.objects.filter(pk=lease.job.pk).update(state=state, ended_at=timezone.now(), **values)
    lease.job.refresh_from_db()


def do(job: Job) -> None:
    """Do a claimed job and write down how it ended."""
    try:
        with Lease(job) as lease:
            try:
                result = work_of(job.kind)(lease)
            except Stopped as stopped:
                _end(lease, Job.STOPPED, message=str(stopped)[:200])
            except MENDABLE as error:
                _end(lease, Job.FAILED, error=str(error))
            except LeaseLost:
                raise
            except Exception:
                log.exception("job failed", job=job.pk, kind=job.kind)
                _end(lease, Job.FAILED, error="Vexo has made a mistake of its own here; nothing was lost. See the log.")
            else:
                _end(lease, Job.DONE, result=result)
    except LeaseLost:
        log.warning("lease lost", job=job.pk)


def owner_name() -> str:
    """This process, as it is named in leases."""
    return f"{socket.gethostname()}:{os.getpid()}"


def do_now(job: Job) -> Job:
    """Do a job in this process under the same lease, and give it back ended."""
    claimed = claim(owner_name(), only=job.pk)
    if claimed is not None:
        do(claimed)
    job.refresh_from_db()
    return job


def work(queues: tuple[str, ...] = (), pause: float = 0.25) -> None:
    """Do jobs until told to end. Jobs whose worker died are found by their lapsed lease."""
    ending = False

    def end(*_: object) -> None:
        nonlocal ending
        ending = True

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    while not ending:
        job = claim(owner_name(), queues)
        if job is None:
            time.sleep(pause)
            continue
        do(job)
