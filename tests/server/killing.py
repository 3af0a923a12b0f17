"""Kills at named points of a pass: the process is gone between one step and the next, as SIGKILL leaves it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any
from unittest.mock import patch

POINTS = ("prepared", "sent", "body", "saved", "answered", "read back")


class Killed(BaseException):
    """The end of the process: nothing that runs afterwards may catch it."""


def _after(original: Callable[..., Any]) -> Callable[..., Any]:
    def step(*arguments: Any, **options: Any) -> Any:
        original(*arguments, **options)
        raise Killed

    return step


def _never(*arguments: Any, **options: Any) -> Any:
    raise Killed


@contextmanager
def killed_at(point: str) -> Iterator[None]:
    """Within this, the work ends at the point for good."""
    import httpx

    from vexo.server.passes import running
    from vexo.server.passes.recording import Recorder

    stream = httpx.Client.stream

    def half(self: Any, *arguments: Any, content: Any = None, **options: Any) -> Any:
        def some() -> Iterator[bytes]:
            for chunk in content:
                yield chunk
                raise Killed

        return stream(self, *arguments, content=None if content is None else some(), **options)

    def saved(self: Any, *arguments: Any, content: Any = None, **options: Any) -> Any:
        answer = stream(self, *arguments, content=content, **options)
        if content is None:
            return answer
        with answer:
            raise Killed

    patches: dict[str, Any] = {
        "prepared": lambda: patch.object(Recorder, "prepare", _after(Recorder.prepare)),
        "sent": lambda: patch.object(Recorder, "sent", _after(Recorder.sent)),
        "body": lambda: patch.object(httpx.Client, "stream", half),
        "saved": lambda: patch.object(httpx.Client, "stream", saved),
        "answered": lambda: patch.object(Recorder, "answered", _never),
        "read back": lambda: patch.object(running, "read_back", _never),
    }
    with patch("vexo.applications.http._CHUNK", 64), patches[point]():
        yield


def die(point: str, job: Any) -> None:
    """Do a job until it is killed at the point."""
    from vexo.server.jobs.models import Job
    from vexo.server.jobs.worker import do

    try:
        with killed_at(point):
            do(job)
    except Killed:
        Job.objects.filter(pk=job.pk).update(lease_until=1.0)
        return
    raise AssertionError(f"the work did not come to the point {point!r}")


def take_over() -> Any:
    """What a worker does that finds the lapsed lease: the job, ended."""
    from vexo.server.jobs.leases import claim
    from vexo.server.jobs.worker import do

    job = claim("another-machine:1:1")
    assert job is not None, "nothing was left to take over"
    do(job)
    job.refresh_from_db()
    return job
