"""A data folder that was laid out from a backup, or copied: what was under way where it worked before may have gone on
there. Here nothing writes before a person says so."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction

from .data_folder import DATABASE, data_folder, replacing

_MARK = "place"
_WHY = (
    "This data folder was laid out from a backup or copied, and the work may have gone on where it was before. Look at "
    "the application, then go on with the pass or give it up."
)


def _place() -> str:
    """Which folder and which file on the disk these are, by whatever path they are reached: a copy has others."""
    return " ".join(str(path.stat().st_ino) for path in (data_folder(), data_folder() / DATABASE))


def is_moved() -> bool:
    """Whether the folder is not the one that worked here before."""
    mark = data_folder() / _MARK
    return not mark.exists() or mark.read_text(encoding="utf-8") != _place()


def settle_in(tell: Callable[[str], object]) -> None:
    """Interrupt open passes and stop open jobs, so that a person says what becomes of them; then this is the folder's
    place.

    Args:
        tell: told which they are.
    """
    from .jobs.models import Job
    from .journal.services import note
    from .passes.models import Pass, Scheduled
    from .passes.scheduling import lapse
    from .passes.telling import tell as tell_status

    open_states = [*Job.OPEN, Job.WAITING]
    if not Pass.objects.filter(state=Pass.RUNNING).exists() and not Job.objects.filter(state__in=open_states).exists():
        _mark()
        return
    with transaction.atomic():
        for pass_ in Pass.objects.filter(state=Pass.RUNNING).select_related("trip__application", "plan__sheet__part"):
            pass_.state, pass_.reason = Pass.INTERRUPTED, _WHY
            pass_.save(update_fields=["state", "reason"])
            tell_status(pass_)
            words = f"Pass {pass_.number} of trip {pass_.trip_id} is interrupted: this data folder was moved"
            note("vexo", "applied", words, pass_.trip.application, pass_.trip_id)
            tell(f"{words}. {_WHY}")
        for scheduled in Scheduled.objects.filter(state=Scheduled.WAITING).select_related("trip", "plan__sheet__part"):
            lapse(scheduled, "This data folder was laid out from a backup or copied; say the time again.")
            tell(f"Plan {scheduled.plan.number} of trip {scheduled.trip_id} is not applied at the time that was said.")
        open_jobs = Job.objects.filter(state__in=open_states)
        kinds = sorted(set(open_jobs.values_list("kind", flat=True)))
        stopped = open_jobs.update(state=Job.STOPPED, message="This data folder was moved; ask for it again.")
    if stopped:
        jobs = "job is" if stopped == 1 else "jobs are"
        tell(f"{stopped} {jobs} stopped ({', '.join(kinds)}): this data folder was moved. Ask for them again.")
    _mark()


def _mark() -> None:
    with replacing(data_folder() / _MARK) as aside:
        aside.write_text(_place(), encoding="utf-8")
