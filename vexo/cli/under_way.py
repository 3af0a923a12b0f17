"""Commands about a pass that is under way, or waits for its time."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from .common import find_view, ready
from .main import Setting

if TYPE_CHECKING:
    from vexo.server.jobs.models import Job
    from vexo.server.trips.part_view import PartView


def _under_way(setting: Setting, view: PartView) -> Job | None:
    """The work of the pass that is under way: of the part that was named, or of any where none was. Raises PlainError
    where it is another part's, and none of this one waits for its time."""
    from vexo.server.jobs.models import Job
    from vexo.server.passes.starting import find_pass
    from vexo.server.trips.status import status_facts

    job = view.trip.jobs.filter(kind="apply", state__in=Job.OPEN).last()
    if job is None or not setting.part:
        return job
    number = job.arguments["number"]
    if view.trip.passes.filter(number=number, plan__sheet__part__number=view.part).exists():
        return job
    if status_facts(view).scheduled is None:
        find_pass(view, number)
    return None


@click.command()
@click.argument("trip", type=int)
@ready
def pause(setting: Setting, trip: int) -> None:
    """Let a pass wait after the batch that is out. It is gone on with by ``vexo apply TRIP --go-on PASS``."""
    from vexo.server.errors import PlainError
    from vexo.server.jobs.ending import pause as pause_job
    from vexo.server.passes.starting import may_write

    view, person = find_view(trip, whole=not setting.part), setting.person()
    may_write(view.trip, person)
    job = _under_way(setting, view)
    if job is None:
        raise PlainError(f"No pass of trip {trip} is under way.", "pause")
    pause_job(job, person)
    click.echo("It pauses after the batch that is out.", err=True)


@click.command()
@click.argument("trip", type=int)
@ready
def stop(setting: Setting, trip: int) -> None:
    """Stop a pass after the batch that is out; or send nothing at the time that was said."""
    from vexo.server.errors import PlainError
    from vexo.server.jobs.ending import stop as stop_job
    from vexo.server.passes.scheduling import cancel
    from vexo.server.passes.starting import may_write
    from vexo.server.trips.status import status_facts

    view, person = find_view(trip, whole=not setting.part), setting.person()
    may_write(view.trip, person)
    job = _under_way(setting, view)
    if job is not None:
        stop_job(job, person)
        click.echo("It stops after the batch that is out; what is left can be sent later.", err=True)
        return
    view = find_view(trip)
    if status_facts(view).scheduled is not None:
        cancel(view, person)
        click.echo("Nothing is sent at the time that was said.", err=True)
    else:
        raise PlainError(f"No pass of trip {trip} is under way, and none waits for its time.", "stop")
