"""Asking a job to stop, or to pause."""

from __future__ import annotations

from django.db import transaction

from ..errors import PlainError
from ..journal.services import note
from ..people.models import Person
from .models import Job

PAUSED_BY = "paused_by"
"""The argument of a job that names who asked it to pause."""


def stop(job: Job, person: Person) -> None:
    """Ask a job to stop; it ends at the next point where nothing is half done. Raises PlainError for a pass that waits
    for its time: that is taken back on its trip, which says so then."""
    with transaction.atomic():
        job.refresh_from_db(fields=["state"])
        if job.state == Job.WAITING:
            raise PlainError(
                f"This pass waits for its time. Take the time back on the trip (trips/{job.trip_id}/scheduled).",
                "waits",
            )
        if job.state in Job.OPEN:
            _note(person, job, "stop")
        Job.objects.filter(pk=job.pk, state=Job.QUEUED).update(state=Job.STOPPED, message="stopped before it began")
        Job.objects.filter(pk=job.pk, state=Job.RUNNING).update(wanted="stop")


def pause(job: Job, person: Person) -> None:
    """Ask a pass under way to pause. Raises PlainError for other work, or where it is not under way."""
    if job.kind != "apply":
        raise PlainError("Only a pass can be paused.", "pause")
    with transaction.atomic():
        job.refresh_from_db(fields=["state", "wanted", "arguments"])
        if job.state not in Job.OPEN:
            raise PlainError("This pass is not under way.", "pause")
        if job.wanted != "run":
            return
        _note(person, job, "pause")
        arguments = {**job.arguments, PAUSED_BY: person.username}
        Job.objects.filter(pk=job.pk).update(wanted="pause", arguments=arguments)


def _note(person: Person, job: Job, what: str) -> None:
    words = f"Asked to {what}: {job.kind}" + (f", trip {job.trip_id}" if job.trip_id else "")
    application = job.trip.application if job.trip else None
    note(person.username, "stopping", words, application, job.trip_id)
