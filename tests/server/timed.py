"""Passes that begin at a time, on a clock that a test sets, or are paused."""

from __future__ import annotations

from contextlib import contextmanager
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any
from unittest.mock import patch

from django.test import Client

from tests.server.services import view_of
from tests.server.test_approving import ApprovalCase
from tests.support import template

template()

from django.utils import timezone  # noqa: E402

from vexo.server.jobs.ending import pause  # noqa: E402
from vexo.server.jobs.leases import claim  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.processes import owner_name  # noqa: E402
from vexo.server.jobs.worker import do  # noqa: E402
from vexo.server.passes import running  # noqa: E402
from vexo.server.passes.models import Scheduled  # noqa: E402
from vexo.server.passes.scheduling import schedule  # noqa: E402

if TYPE_CHECKING:
    from collections.abc import Iterator

HOUR = timedelta(hours=1)


class TimedCase(ApprovalCase):
    def later(self, trip: Any, after: timedelta = HOUR, person: Any = None, **more: Any) -> Any:
        trip.refresh_from_db()
        at = timezone.now() + after
        schedule(view_of(trip), person or self.person, self.newest(trip).number, at, **more)
        return Scheduled.objects.filter(trip=trip).last()

    @contextmanager
    def clock(self, now: datetime) -> Iterator[None]:
        """Within this it is another time."""
        with patch.object(timezone, "now", lambda: now), patch("time.time", now.timestamp):
            yield

    def when_it_is(self, moment: datetime) -> list[str]:
        """The kinds of the jobs that a worker does at a moment."""
        with self.clock(moment):
            return self.work()

    def work(self) -> list[str]:
        kinds = []
        while (job := claim(owner_name(), ("passes",))) is not None:
            do(job)
            kinds.append(job.kind)
        return kinds

    def said(self, trip: Any) -> str:
        return self.needs(trip)

    def page(self, trip: Any, person: Any = None) -> dict[str, Any]:
        client = Client()
        client.force_login(person or self.person)
        answer: dict[str, Any] = client.get(f"/api/trips/{trip.pk}").json()
        return answer

    def paused(self, trip: Any) -> Any:
        """A pass that was asked to pause once its first batch was sent, in batches of one."""
        job = self.start(trip)
        send = running.Run._send

        def then_asked(run: Any, batch: Any) -> None:
            send(run, batch)
            pause(Job.objects.get(pk=job.pk), self.bram)

        with patch.object(running.Run, "_send", then_asked), self.batches_of(1):
            do(job)
        return self.last_pass(trip)

    @contextmanager
    def batches_of(self, size: int) -> Iterator[None]:
        made = running.Run.__init__

        def small(run: Any, *arguments: Any) -> None:
            made(run, *arguments)
            run.size = size

        with patch.object(running.Run, "__init__", small):
            yield
