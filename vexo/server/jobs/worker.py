"""Doing jobs: one by one in a worker, or one at once in the process that asked for it."""

from __future__ import annotations

import logging
import os
import signal
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from importlib import import_module
from typing import Any, Protocol

import msgspec
from django.db import OperationalError, close_old_connections, connection, transaction
from django.utils import timezone

from vexo.core.errors import MendableError
from vexo.core.wording import shortened

from ..errors import machine_trouble
from ..journal.way_in import coming_in_by, way_in
from .heartbeat import heartbeat
from .leases import ENDING, SECONDS, HandedBack, Lease, LeaseLost, claim, end_leases_of_the_dead
from .models import Job
from .processes import owner_name
from .queues import LARGE, QUEUES

_KINDS: Mapping[str, str] = {
    "send out": "vexo.server.sendout.send_out:send_out",
    "compare": "vexo.server.sendout.compare:compare_now",
    "refill": "vexo.server.ingest.refill:refill",
    "recognise": "vexo.server.recognition.recognise:recognise",
    "bring in": "vexo.server.ingest.bring_in:bring_in",
    "plan": "vexo.server.planning.plan_trip:plan",
    "measure keys": "vexo.server.planning.measured_keys:measure_keys",
    "apply": "vexo.server.passes.running:apply",
    "apply later": "vexo.server.passes.scheduling:begin",
    "take back": "vexo.server.passes.take_back:take_back",
    "thin": "vexo.server.upkeep.thinning:thin",
    "watch": "vexo.server.upkeep.watching:watch",
    "mail": "vexo.server.notices.mail:send_mail",
    "look": "vexo.server.unattended.arrivals:look",
}
_EACH = {"thin": 6 * 3600.0, "watch": 600.0, "look": 50.0}
"""Work that nobody asks for: how many seconds lie between two times."""
_WHERE = {"look": "vexo.server.unattended.arrivals:anything_to_do"}
"""Of such work, what says whether there is any."""
_LOOKED_EACH = 60.0
"""Seconds between two looks whether such work is due."""
TROUBLE_PAUSE = 2.0
"""Seconds before a machine in trouble is tried again: it is not pressed, and its log is not filled."""
log = logging.getLogger("vexo.jobs")


class Stopped(Exception):
    """The work ended early because someone asked for it."""


def work_of(kind: str) -> Callable[[Lease], Any]:
    """The function that does a kind of job. It takes the lease and gives a result that JSON can hold: as a dataclass,
    in which what is ``UNSET`` is not told."""
    work: Callable[[Lease], Any] = _named(_KINDS[kind])
    return work


def _named(place: str) -> Any:
    module, _, name = place.partition(":")
    return getattr(import_module(module), name)


class TripPart(Protocol):
    """What a job may be about: a trip, and the number of one of its parts."""

    @property
    def trip(self) -> Any:
        """The trip, as Django keeps it."""

    @property
    def part(self) -> int:
        """The part's number."""


def enqueue(
    kind: str,
    by: str,
    view: TripPart | None = None,
    *,
    run_here: bool = False,
    large: bool = False,
    start_at: float = 0,
    **arguments: Any,
) -> Job:
    """Ask for work in the background.

    Args:
        view: the trip and the part that it is about.
        run_here: this process does it itself, so no worker may take it while this process lives.
        large: it takes long, and waits where it holds up nobody.
        start_at: when it is begun, in seconds since 1970; 0 for at once.
    """
    trip = view.trip if view is not None else None
    if view is not None:
        arguments.setdefault("part", view.part)
    queue = LARGE if large else QUEUES[kind]
    values = {"kind": kind, "by": by, "way": way_in(), "trip": trip, "queue": queue, "arguments": arguments}
    if start_at:
        values |= {"state": Job.WAITING, "start_at": start_at}
    if run_here:
        values |= {
            "state": Job.RUNNING,
            "owner": owner_name(),
            "fencing_token": 1,
            "lease_until": time.time() + SECONDS,
        }
    return Job.objects.create(**values)


def _end(lease: Lease, state: str, **values: Any) -> None:
    lease.write(state=state, ended_at=timezone.now(), **values)
    lease.job.refresh_from_db()


def do(job: Job) -> None:
    """Do a claimed job and write down how it ended."""
    try:
        with coming_in_by(job.way), Lease(job) as lease:
            try:
                result = work_of(job.kind)(lease)
            except Stopped as stopped:
                _end(lease, Job.STOPPED, message=shortened(str(stopped), 200))
            except MendableError as error:
                _end(lease, Job.FAILED, error=str(error), code=error.code)
            except (LeaseLost, HandedBack):
                raise
            except Exception as error:
                trouble = machine_trouble(error)
                if trouble is None:
                    log.exception("job failed", extra={"job": job.pk, "kind": job.kind})
                    trouble = "Vexo has made a mistake of its own here; nothing was lost. See the log."
                _end(lease, Job.FAILED, error=trouble)
            else:
                _end(lease, Job.DONE, result=msgspec.to_builtins(result, str_keys=True))
    except LeaseLost:
        log.warning("lease lost", extra={"job": job.pk})
    except HandedBack:
        log.info("handed back", extra={"job": job.pk})
        Job.objects.filter(pk=job.pk, fencing_token=job.fencing_token, state=Job.RUNNING).update(lease_until=0)


def release_to_workers(job: Job) -> None:
    """A job that this process was to do itself is for any worker after all."""
    Job.objects.filter(pk=job.pk, owner=owner_name(), state=Job.RUNNING).update(state=Job.QUEUED, lease_until=0)


def run_inline(job: Job) -> Job:
    """Do a job in this process under the same lease, and give it back ended; jobs that it asks for next too."""
    ours = job.state == Job.RUNNING and job.owner == owner_name()
    claimed = job if ours else claim(owner_name(), only=job.pk)
    if claimed is not None:
        do(claimed)
    job.refresh_from_db()
    following = (job.result or {}).get("next") if isinstance(job.result, dict) else None
    if job.state == Job.DONE and following:
        return run_inline(Job.objects.get(pk=following))
    return job


def enqueue_due() -> None:
    """Ask for the work that nobody asks for and whose time has come; of several workers one does."""
    for kind, seconds in _EACH.items():
        if kind in _WHERE and not _named(_WHERE[kind])():
            continue
        with transaction.atomic():
            last = Job.objects.filter(kind=kind).order_by("-id").values_list("created_at", flat=True).first()
            # A clock that was set back leaves one in the future, which says nothing.
            passed = (timezone.now() - last).total_seconds() if last is not None else seconds
            if not 0 <= passed < seconds and not Job.objects.filter(kind=kind, state__in=Job.OPEN).exists():
                enqueue(kind, "")


def work(queues: tuple[str, ...] = (), pause: float = 0.1) -> None:
    """Do jobs until told to end. Jobs whose worker died are found by their lapsed lease."""

    def end(*_: object) -> None:
        ENDING.set()

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    with heartbeat(queues):
        with suppress(OperationalError):
            end_leases_of_the_dead()
        seen: tuple[int, int] | None = None
        look_again, log_file = 0.0, f"{connection.settings_dict['NAME']}-wal"
        due = time.monotonic() + _LOOKED_EACH
        while not ENDING.is_set():
            try:
                if time.monotonic() >= due:
                    due = time.monotonic() + _LOOKED_EACH
                    enqueue_due()
                written = _last_write(log_file)
                if written != seen or time.monotonic() >= look_again:
                    job = claim(owner_name(), queues)
                    if job is not None:
                        do(job)
                        continue
                    # Also where nothing seems to have been written: a lease lapses by itself, and two writes may fall
                    # into one tick of the file system's clock.
                    seen, look_again = written, time.monotonic() + SECONDS / 3
            except (OperationalError, OSError) as error:
                # The job keeps its lapsing lease, so that it goes on once the machine is mended.
                log.warning("waiting for the machine", extra={"why": machine_trouble(error) or type(error).__name__})
                close_old_connections()
                look_again = 0.0
                time.sleep(TROUBLE_PAUSE)
            time.sleep(pause)


def _last_write(log_file: str) -> tuple[int, int] | None:
    """Size and time of the log of the database, into which every change is written: to look costs next to nothing."""
    try:
        now = os.stat(log_file)
    except FileNotFoundError:
        return None
    return now.st_size, now.st_mtime_ns
