"""Doing jobs from the command line, and saying how far they are."""

from __future__ import annotations

import getpass
import json
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import click
from rich.console import Console
from rich.progress import Progress

if TYPE_CHECKING:
    from vexo.server.jobs.models import Job

json_option = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")


def me() -> str:
    """Who is at the command line."""
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "command line"


@contextmanager
def _shown(job: Job) -> Iterator[None]:
    """Progress on the terminal, read from the job as anyone else would."""
    if not sys.stderr.isatty():
        yield
        return
    from django.db import connection

    from vexo.server.jobs.models import Job as Jobs

    over = threading.Event()

    def follow() -> None:
        with Progress(console=Console(stderr=True), transient=True) as progress:
            task = progress.add_task(job.kind, total=None)
            while not over.wait(0.3):
                now = Jobs.objects.filter(pk=job.pk).first()
                if now:
                    progress.update(
                        task, description=now.message or now.kind, completed=now.done, total=now.total or None
                    )
        connection.close()

    thread = threading.Thread(target=follow, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()


def finish(job: Job) -> Any:
    """Do a job here and give its result. Raises PlainError with its reason where it failed."""
    from vexo.server.jobs.models import Job as Jobs
    from vexo.server.jobs.working import PlainError, do_now

    with _shown(job):
        ended = do_now(job)
    if ended.state == Jobs.RUNNING:
        raise PlainError("Another process has taken this work over; look again with `vexo outcome`.")
    if ended.state != Jobs.DONE:
        raise PlainError(ended.error or ended.message or "It was stopped.")
    return ended.result


def print_json(value: Any) -> None:
    """One JSON object on standard output."""
    click.echo(json.dumps(value, ensure_ascii=False))
