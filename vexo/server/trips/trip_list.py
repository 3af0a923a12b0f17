"""The list of trips: the newest, whatever waits for a person however old it is, and what is looked for."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Case, Max, Q, QuerySet, When

from ..data_folder import data_folder
from ..errors import PlainError
from ..jobs.models import Job
from ..people.models import Person
from ..queries import LARGEST, holds_text
from .facts.pages import TripSummary
from .models import Trip
from .part_view import PartView
from .status import jobs_of
from .trip_pages import trip_summary

LISTED = 100
"""Trips that are listed where nobody says how many, and older ones beside them that wait for a person."""
MOST_LISTED = 2_000
_LONGEST = 200
"""Characters of a text that trips are found by."""
_MANY = 500
"""Trips that are asked about in one statement: SQLite takes so many values."""
_Known = tuple[int, int, int, int]
_known: dict[tuple[str, int], tuple[_Known, bool]] = {}
"""Folder and trip → whether it waits for a person, and what of it and of its work was so when that was found out."""


@dataclass(frozen=True)
class Wanted:
    """Which trips: with all words of a text, of an application; from a place in their order on, and how many."""

    text: str = ""
    application: str = ""
    offset: int = 0
    limit: int = 0

    @property
    def at_once(self) -> int:
        return min(self.limit or LISTED, MOST_LISTED)

    @property
    def unfiltered(self) -> bool:
        """Nothing is looked for: then what waits comes first, wherever it stands."""
        return not self.text.split() and not self.offset


@dataclass(frozen=True)
class Listed:
    """Trips, those that wait for a person first; ``total`` are like that, and ``after`` is the place in their order at
    which more follow, None where none do. ``not_shown`` more wait for a person."""

    trips: list[TripSummary]
    total: int
    after: int | None
    not_shown: int


def list_trips(person: Person, wanted: Wanted) -> Listed:
    """The trips that are asked for, last touched first. Raises PlainError."""
    like = _like(wanted)
    total, end = like.count(), wanted.offset + wanted.at_once
    newest = list(like.values_list("pk", flat=True)[wanted.offset : end])
    older = like.values_list("pk", "version")[end:] if wanted.unfiltered and total > end else ()
    waits = _waiting(dict(older), person)
    waiting = waits[: wanted.at_once]
    trips = {
        trip.pk: trip
        for some in _parts([*newest, *waiting])
        for trip in Trip.objects.select_related("application").defer("reports").filter(pk__in=some)
    }
    # One that was deleted in between is none any more.
    numbers = [number for number in (*newest, *waiting) if number in trips]
    jobs = {number: job for some in _parts(numbers) for number, job in jobs_of(some).items()}
    summaries = [trip_summary(PartView.of(trips[number]), person, jobs[number]) for number in numbers]
    after, not_shown = end if total > end else None, len(waits) - len(waiting)
    return Listed(sorted(summaries, key=lambda one: not one.asks), total, after, not_shown)


def _like(wanted: Wanted) -> QuerySet[Trip]:
    text = " ".join(wanted.text.split())
    if len(text) > _LONGEST:
        raise PlainError(f"Words to find trips by have at most {_LONGEST} characters.", "too-large")
    is_it = Q(title__iregex=rf"\A(?:{holds_text(text)})\Z")
    if _is_number(text):
        is_it |= Q(pk=int(text))
    first = [Case(When(is_it, then=0), default=1)] if text else []
    trips = Trip.objects.order_by(*first, "-touched_at", "-pk")
    if wanted.application:
        trips = trips.filter(application__name=wanted.application)
    for word in text.split():
        names = ("title", "record_type", "application__label", "application__name")
        where = Q(*((f"{name}__iregex", holds_text(word)) for name in names), _connector=Q.OR)
        if _is_number(word):
            where |= Q(pk=int(word))
        trips = trips.filter(where)
    return trips


def _is_number(word: str) -> bool:
    return word.isascii() and word.isdecimal() and len(word) <= len(str(LARGEST))


def _waiting(versions: dict[int, int], person: Person) -> list[int]:
    """Those of these trips that wait for a person, in their order; each is looked at again once it, or its work, was
    changed.

    Args:
        versions: of each trip its version.
    """
    folder = str(data_folder())
    work = _work()
    now: dict[int, _Known] = {number: (version, *work.get(number, (0, 0, 0))) for number, version in versions.items()}
    unknown = [number for number, known in now.items() if _known.get((folder, number), ((), False))[0] != known]
    for some in _parts(unknown):
        jobs = jobs_of(some)
        for trip in Trip.objects.select_related("application").defer("reports").filter(pk__in=some):
            summary = trip_summary(PartView.of(trip), person, jobs[trip.pk])
            _known[folder, trip.pk] = now[trip.pk], summary.asks
    return [number for number in now if _known.get((folder, number), ((), False))[1]]


def _work() -> dict[int, tuple[int, int, int]]:
    """Of trips with work that is open or has failed: the numbers of the open job, of the last that failed, and of the
    last one."""
    told = Job.objects.exclude(trip=None).order_by()
    open_ = dict(told.filter(state__in=Job.OPEN).values_list("trip").annotate(last=Max("pk")))
    failed = dict(told.filter(state=Job.FAILED).values_list("trip").annotate(last=Max("pk")))
    last = {
        trip: number
        for some in _parts(list(failed))
        for trip, number in told.filter(trip__in=some).values_list("trip").annotate(last=Max("pk"))
    }
    return {trip: (open_.get(trip, 0), failed.get(trip, 0), last.get(trip, 0)) for trip in {*open_, *failed}}


def _parts(numbers: list[int]) -> list[list[int]]:
    return [numbers[at : at + _MANY] for at in range(0, len(numbers), _MANY)]
