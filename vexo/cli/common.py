"""Doing jobs from the command line, and saying how far they are."""

from __future__ import annotations

import json
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import wraps
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from vexo.server.jobs.models import Job
    from vexo.server.trips.part_view import PartView

    from .main import Setting

json_option = click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")


def ready(command: Callable[..., Any]) -> Callable[..., Any]:
    """A command that works on the data folder, which is there; its first argument is the setting."""
    return _started(command, new=False)


def ready_or_new(command: Callable[..., Any]) -> Callable[..., Any]:
    """A command that begins a data folder where there is none; its first argument is the setting."""
    return _started(command, new=True)


def _started(command: Callable[..., Any], *, new: bool) -> Callable[..., Any]:
    @click.pass_obj
    @wraps(command)
    def started(setting: Setting, *arguments: Any, **options: Any) -> Any:
        if setting.part and not _is_about_parts(click.get_current_context().command):
            raise click.UsageError("--part goes with what is done to one part of a trip.")
        setting.ready(new=new)
        return command(setting, *arguments, **options)

    return started


def _is_about_parts(command: click.Command) -> bool:
    """Whether a command is about a trip, so that it may be about one of its parts."""
    return any(isinstance(param, click.Argument) and param.name == "trip" for param in command.params)


def find_view(number: int, *, whole: bool = False) -> PartView:
    """A trip by its number, looked at the part that was named.

    Args:
        whole: what is done is about the trip, not about rows of one of its parts.

    Raises:
        PlainError: where there is no such trip or part, the trip has several and none was named, or one was named for
            what is about the whole trip.
    """
    from vexo.server.errors import PlainError
    from vexo.server.trips.models import Trip
    from vexo.server.trips.part_view import PartView

    trip = Trip.objects.select_related("application").filter(pk=number).first()
    if trip is None:
        raise PlainError(f"There is no trip {number}.")
    context = click.get_current_context(silent=True)
    part = getattr(context.obj, "part", "") if context is not None else ""
    if part and whole:
        raise PlainError(f"This is about the whole of trip {number}, and not about its part {part}. Leave --part away.")
    if not part:
        parts = list(trip.parts.order_by("number").values_list("number", "label"))
        if len(parts) > 1 and not whole:
            named = ", ".join(label or str(part) for part, label in parts)
            raise PlainError(f"Trip {number} is shared out. Say which part is meant: {named}.", "part")
        return PartView.of(trip)
    from vexo.server.trips.parts import part_named

    return PartView.of(trip, part_named(trip, part).number)


def row_ids(view: PartView, rows: Sequence[int]) -> tuple[int, ...]:
    """The numbers that rows of a trip's newest sheet have in the trip, by their numbers in the sheet. Raises PlainError
    where the sheet has none."""
    from vexo.server import artifacts
    from vexo.server.errors import PlainError
    from vexo.server.trips.sheets import newest_sheet

    if not rows:
        return ()
    cells = artifacts.read(newest_sheet(view).cells, ["row_id", "row"])
    cells = cells.filter(cells["row"].is_in(list(rows)))
    missing = set(rows) - set(cells["row"].to_list())
    if missing:
        raise PlainError(f"The sheet has no row {min(missing)} with anything in it.")
    return tuple(cells["row_id"].to_list())


@contextmanager
def _shown(job: Job) -> Iterator[None]:
    """Progress on the terminal, read from the job as anyone else would."""
    if not sys.stderr.isatty():
        yield
        return
    from django.db import connection
    from rich.console import Console
    from rich.progress import Progress

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
    from vexo.server.errors import PlainError
    from vexo.server.jobs.models import Job as Jobs
    from vexo.server.jobs.worker import run_inline

    with _shown(job):
        ended = run_inline(job)
    if ended.state == Jobs.RUNNING:
        raise PlainError("Another process has taken this work over; look again when it is done.")
    if ended.state != Jobs.DONE:
        failed = PlainError(ended.error or ended.message or "It was stopped.")
        failed.code = ended.code
        raise failed
    return ended.result


def print_json(value: Any) -> None:
    """One JSON object on standard output."""
    click.echo(json.dumps(value, ensure_ascii=False))
