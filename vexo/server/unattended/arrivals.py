"""A sheet that lies in a folder, on its way up to Review, and to the application where its route may go so far.

Each step is written down before the next, so that what dies in between goes on where it was and brings no sheet in
twice. The journal has all of it under the route's owner.
"""

from __future__ import annotations

import hashlib
import logging
import time
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from django.db import IntegrityError, transaction
from django.utils import timezone

from vexo.core.errors import MendableError
from vexo.core.wording import shortened, thousands

from ..data_folder import absolute
from ..errors import PlainError
from ..ingest.bring_in import ImportRequest, start_bringing_in
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.models import Entry
from ..journal.services import BY_ITSELF, note
from ..journal.way_in import coming_in_by
from ..naming import names_of
from ..notices.kinds import NoticeKind
from ..notices.services import tell_people
from ..passes.models import Pass
from ..passes.read_back_words import words_of_pass
from ..passes.starting import start_pass
from ..people.models import Person
from ..planning.models import Decision
from ..planning.not_read import not_read_for
from ..routes.saved_routes import goes_by
from ..trips.models import Edit, Trip
from ..trips.part_view import PartView
from ..trips.refusal_rules import rule_of_trip
from ..trips.status import UNREADABLE, TripStatus
from ..uploads.models import Upload
from ..uploads.receive import take_file
from .folders import REFUSED, TAKEN, Found, contents_of, folder_of, put_away
from .models import Arrival, Unattended
from .services import changed_since, is_due

_SOON = 2.0
"""Seconds between two looks while a sheet is on its way."""
_WAITING_LOOKED_AT = 50
"""Sheets of a route that wait for somebody, and are looked at whether they still do: the newest."""
_LOOKED = ("downloaded",)
"""What the journal tells of that changes nothing."""
log = logging.getLogger("vexo.unattended")


def anything_to_do() -> bool:
    """Whether some route runs by itself."""
    return Unattended.objects.exists()


def look(lease: Lease) -> dict[str, int]:
    """The job that looks into the folders, and brings what is on its way one step further: how many sheets were
    found, and how many steps were done."""
    found_count = steps = 0
    for unattended in Unattended.objects.select_related("route__application", "owner").order_by("id"):
        lease.still_mine()
        lease.hand_back_if_ending()
        with coming_in_by(f"route {unattended.route.name}"):
            try:
                found_count += _look_into(unattended)
            except (MendableError, OSError) as error:
                Unattended.objects.filter(pk=unattended.pk).update(trouble=shortened(str(error), 300))
            for arrival in unattended.arrivals.filter(state__in=Arrival.OPEN).order_by("id"):
                lease.still_mine()
                try:
                    _go_on(unattended, arrival)
                except OSError as error:
                    # Of this folder alone: the others go on.
                    trouble = f"{arrival.name} cannot be read or moved: {error.strerror or error}"
                    Unattended.objects.filter(pk=unattended.pk).update(trouble=shortened(trouble, 300))
                steps += 1
            for arrival in unattended.arrivals.filter(state=Arrival.WAITS).exclude(trip=None)[:_WAITING_LOOKED_AT]:
                _settle(arrival)
    if Arrival.objects.filter(state__in=Arrival.OPEN).exists():
        _look_soon(lease)
    return {"found": found_count, "steps": steps}


def _look_soon(lease: Lease) -> None:
    """Look again in a moment, while a sheet is on its way: it would wait a minute for each of its steps else."""
    waiting = Job.objects.filter(kind="look", state__in=(Job.QUEUED, Job.WAITING)).exclude(pk=lease.job.pk)
    if not waiting.exists():
        enqueue("look", "", start_at=time.time() + _SOON)


def _settle(arrival: Arrival) -> None:
    """What waited waits no more once somebody has applied it, or deleted its trip."""
    trip = Trip.objects.filter(pk=arrival.trip or 0).first()
    if trip is None:
        Arrival.objects.filter(pk=arrival.pk).update(state=Arrival.DONE, says="its trip was deleted")
        return
    with suppress(*UNREADABLE):
        if TripStatus(PartView.of(trip, arrival.part)).over:
            last = Pass.objects.filter(trip=trip, started_at__gte=arrival.at).order_by("-number").first()
            by = names_of([last.by])[last.by] if last is not None else ""
            says = f"applied by {by}" if by else "nothing was left to write"
            Arrival.objects.filter(pk=arrival.pk).update(state=Arrival.DONE, says=says)


def _look_into(unattended: Unattended) -> int:
    now = timezone.now()
    if not is_due(unattended, now):
        return 0
    count = 0
    contents = contents_of(folder_of(unattended.folder))
    for sheet in contents.sheets:
        with suppress(IntegrityError), transaction.atomic():
            Arrival.objects.create(
                unattended=unattended, name=sheet.path.name, digest=sheet.digest, modified=sheet.modified
            )
            count += 1
        _put_away_again(unattended, sheet)
    # A sheet that is being written at the very time would lie there until the next one: it is looked for again.
    looked = {} if contents.growing else {"looked_at": now}
    Unattended.objects.filter(pk=unattended.pk).update(trouble=shortened(contents.trouble, 300), **looked)
    return count


def _put_away_again(unattended: Unattended, sheet: Found) -> None:
    """A sheet that came in, and lies there all the same: what was to move it away died before."""
    arrival = unattended.arrivals.filter(name=sheet.path.name, digest=sheet.digest, modified=sheet.modified).first()
    if arrival is not None and arrival.state != Arrival.FOUND:
        put_away(sheet.path, REFUSED if arrival.state == Arrival.FAILED else TAKEN)


def _go_on(unattended: Unattended, arrival: Arrival) -> None:
    """One step further; what a person could mend ends it, and is told."""
    step = {Arrival.FOUND: _bring_in, Arrival.COMING: _arrive, Arrival.APPLYING: _end}[arrival.state]
    try:
        if not unattended.owner.is_active:
            _fail(unattended, arrival, f"{unattended.owner} may not sign in any more.")
        else:
            step(unattended, arrival)
    except MendableError as error:
        _fail(unattended, arrival, str(error))


def _path(unattended: Unattended, arrival: Arrival) -> Path:
    return folder_of(unattended.folder) / arrival.name


def _bring_in(unattended: Unattended, arrival: Arrival) -> None:
    path, route = _path(unattended, arrival), unattended.route
    upload = Upload.objects.filter(pk=arrival.upload or 0).first()
    if upload is None:
        if not path.is_file():
            _fail(unattended, arrival, f"{arrival.name} was taken out of the folder before it was read.")
            return
        upload = _taken(path, unattended.owner.username, arrival.digest)
        Arrival.objects.filter(pk=arrival.pk).update(upload=upload.pk)
    with transaction.atomic():
        request = ImportRequest(route=route.pk)
        job = start_bringing_in(route.application, route.record_type, upload, unattended.owner, request)
        Arrival.objects.filter(pk=arrival.pk).update(job=job.pk, state=Arrival.COMING)
    put_away(path, TAKEN)


def _taken(path: Path, owner: str, digest: str) -> Upload:
    """A sheet as an upload: the very content that was found, whatever lies under its name by now.

    Raises:
        PlainError: where that is something else.
    """
    upload = take_file(path, owner)
    with absolute(upload.path).open("rb") as file:
        if hashlib.file_digest(file, "sha256").hexdigest() == digest:
            return upload
    absolute(upload.path).unlink(missing_ok=True)
    upload.delete()
    raise PlainError(f"{path.name} was changed while it was read. Put it into the folder again.", "changed")


def _arrive(unattended: Unattended, arrival: Arrival) -> None:
    """The sheet is in and planned: it is applied, or waits for somebody."""
    job = Job.objects.filter(pk=arrival.job or 0).first()
    if job is None:
        _fail(unattended, arrival, "Its work was deleted.")
        return
    if job.state in (*Job.OPEN, Job.WAITING):
        return
    if job.state != Job.DONE:
        _fail(unattended, arrival, job.error or job.message or "It was stopped.")
        return
    result = job.result if isinstance(job.result, dict) else {}
    if result.get("next"):
        Arrival.objects.filter(pk=arrival.pk).update(job=result["next"], trip=job.trip_id, part=result.get("part", 1))
        return
    trip = Trip.objects.select_related("application", "route").filter(pk=job.trip_id or 0).first()
    if trip is None:
        _fail(unattended, arrival, "Its trip was deleted.")
        return
    Arrival.objects.filter(pk=arrival.pk).update(trip=trip.pk)
    arrival.trip = trip.pk
    view = PartView.of(trip, arrival.part)
    why = _why_not(unattended, view, arrival)
    if why:
        _wait(unattended, arrival, trip, why)
        return
    plan = TripStatus(view).plan
    assert plan is not None
    with transaction.atomic():
        if not _as_it_was(unattended):
            # Looked at anew in a moment, as it is by then.
            return
        _, started = start_pass(view, unattended.owner, plan.number, trouble=rule_of_trip(trip))
        values = {"job": started.pk, "plan": plan.number, "state": Arrival.APPLYING}
        Arrival.objects.filter(pk=arrival.pk).update(**values)


def _as_it_was(unattended: Unattended) -> bool:
    """Whether a route still runs by itself, and as far, as when this look began: it may have been stopped since."""
    now = Unattended.objects.select_related("route").filter(pk=unattended.pk).first()
    said = ("owner_id", "applies", "most", "most_deletes", "agreed")
    return now is not None and not changed_since(now) and all(getattr(now, n) == getattr(unattended, n) for n in said)


def _others_on(view: PartView, owner: str, since: datetime) -> str:
    """Who else has worked on a trip since, or has decided or edited what its plan is made of, by name."""
    trip = view.trip
    entries = Entry.objects.filter(trip=trip.pk, at__gte=since).exclude(what__in=_LOOKED)
    names = {*entries.values_list("who", flat=True)}
    names |= {*Decision.objects.filter(trip=trip, undone_at=None).values_list("by", flat=True)}
    names |= {*Edit.objects.filter(trip=trip, undone_at=None).values_list("by", flat=True)}
    others = sorted(names - {owner, BY_ITSELF})
    return ", ".join(names_of(others)[name] for name in others)


def _why_not(unattended: Unattended, view: PartView, arrival: Arrival) -> str:
    """Why a plan waits for a person, in words; empty where it may go by itself."""
    status = TripStatus(view)
    plan = status.plan
    if plan is None or not status.current:
        return "it is not planned yet, since something is asked about its columns or its key."
    if status.open:
        first = status.open[0].says.rstrip(".")
        more = f", and {thousands(len(status.open) - 1)} more" if len(status.open) > 1 else ""
        return f"something is open: {first}{more}."
    if not unattended.applies:
        return "this route brings sheets up to Review."
    if changed_since(unattended):
        return "the route was changed after it was said that it may apply by itself."
    if not goes_by(view, unattended.route):
        return f"it came back on trip {view.trip.pk}, whose way is not that of the route."
    others = _others_on(view, unattended.owner.username, arrival.at)
    if others:
        return f"{others} has worked on it."
    summary = plan.summary
    if not summary.writes:
        return "nothing is to be written."
    if summary.writes > unattended.most:
        return f"it writes {thousands(summary.writes)} records, and by itself at most {thousands(unattended.most)}."
    if summary.deletes > unattended.most_deletes:
        return (
            f"it deletes {thousands(summary.deletes)} records, and by itself at most "
            f"{thousands(unattended.most_deletes)}."
        )
    return ""


def _wait(unattended: Unattended, arrival: Arrival, trip: Trip, why: str) -> None:
    words = (
        f"{arrival.name} is in on trip {trip.pk}, {trip.title}, by the route {unattended.route.name}, and waits: {why}"
    )
    with transaction.atomic():
        Arrival.objects.filter(pk=arrival.pk).update(state=Arrival.WAITS, says=shortened(why, 400))
        note(unattended.owner.username, "waits", words, trip.application, trip.pk, file=arrival.name)
        tell_people(NoticeKind.ROUTE_WAITS, [unattended.owner.username], words, trip.pk)


def _end(unattended: Unattended, arrival: Arrival) -> None:
    """The pass has ended, or was interrupted, of which its owner is told by the pass itself."""
    pass_ = Pass.objects.filter(trip=arrival.trip, plan__number=arrival.plan or 0).order_by("-number").first()
    if pass_ is None:
        _fail(unattended, arrival, "Its trip was deleted.")
    elif pass_.state in (Pass.ENDED, Pass.STOPPED, Pass.GIVEN_UP):
        says = ". ".join([f"pass {pass_.number}: {words_of_pass(pass_)}", *not_read_for(pass_.plan)])
        Arrival.objects.filter(pk=arrival.pk).update(state=Arrival.DONE, says=shortened(says, 400))
    elif pass_.state in (Pass.INTERRUPTED, Pass.PAUSED):
        says = f"Pass {pass_.number} waits for a person: {pass_.reason}"
        Arrival.objects.filter(pk=arrival.pk).update(state=Arrival.WAITS, says=shortened(says, 400))


def _fail(unattended: Unattended, arrival: Arrival, why: str) -> None:
    """The sheet could not come in, or not be applied: it is put aside, and its owner told."""
    words = f"{arrival.name} of the route {unattended.route.name} could not come in: {why}"
    if arrival.trip:
        words = f"{arrival.name} is in on trip {arrival.trip} by the route {unattended.route.name}, and waits: {why}"
    state = Arrival.WAITS if arrival.trip else Arrival.FAILED
    with transaction.atomic():
        Arrival.objects.filter(pk=arrival.pk).update(state=state, says=shortened(why, 400))
        application = unattended.route.application
        note(unattended.owner.username, "waits", words, application, arrival.trip, file=arrival.name)
        usernames = [unattended.owner.username]
        if not unattended.owner.is_active:
            usernames = [
                person.username for person in Person.objects.filter(is_active=True) if person.may("administrator")
            ]
        tell_people(NoticeKind.ROUTE_WAITS, usernames, words, arrival.trip)
    with suppress(MendableError, OSError):
        path = _path(unattended, arrival)
        if path.is_file() and not arrival.trip:
            put_away(path, REFUSED)
