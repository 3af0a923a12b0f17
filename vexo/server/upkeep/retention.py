"""How long things are kept, and what is over its time."""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields
from datetime import datetime, timedelta
from pathlib import Path

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from vexo.core.wording import thousands

from ..applications.models import Application
from ..applications.use_rules import rules_of
from ..artifacts import THINNED
from ..backups import ASIDE
from ..data_folder import absolute, data_folder
from ..errors import PlainError
from ..installation.models import InstallationSettings
from ..installation.services import installation_settings
from ..jobs.models import Job
from ..journal.models import Entry
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.models import KeptCopy, Trip
from ..trips.part_view import PartView
from ..trips.status import UNREADABLE, TripStatus
from ..uploads.models import Upload
from .deleting import refuse_deleting, room_of
from .disk import size_of
from .models import KeptReceipt

UNFINISHED_HOURS = 24
"""Hours for which a file waits for the rest of itself."""
MASKED_STAYS = timedelta(days=1)
"""For how long a trip with masked fields can still be looked at, and taken back, once it is over."""
_LONGEST_DAYS = 36_500
_LEAST_JOURNAL_DAYS = 30
"""Days of the journal that stay at the least: who did something should not be able to have it forgotten tomorrow."""


@dataclass(frozen=True)
class KeepFor:
    """For how many days each kind is kept; 0 for as long as the installation is there."""

    trips: int = 0
    receipts: int = 0
    copies: int = 0
    uploads: int = 30
    journal: int = 0

    @classmethod
    def of(cls, settings: InstallationSettings) -> KeepFor:
        """As the installation has it."""
        return cls(**{field.name: getattr(settings, f"keep_{field.name}_days") for field in fields(cls)})


KEPT_KINDS = tuple(KeepFor.__dataclass_fields__)
"""Kinds of what is kept for a time."""


@dataclass(frozen=True)
class Over:
    """How many of a kind are over their time, and the bytes that they take."""

    kind: str
    count: int
    bytes: int


def before_days(days: int, now: datetime) -> datetime | None:
    """The moment before which something is over that is kept for so many days; None where it is kept for ever."""
    return now - timedelta(days=days) if days else None


def old_trips(keep: KeepFor, now: datetime) -> list[Trip]:
    """Trips that nobody has touched for so long, and of which nothing is under way."""
    before = before_days(keep.trips, now)
    if before is None:
        return []
    over = []
    for trip in Trip.objects.filter(touched_at__lt=before).select_related("application").order_by("pk"):
        try:
            refuse_deleting(trip)
        except PlainError:
            continue
        over.append(trip)
    return over


def old_copies(keep: KeepFor, now: datetime) -> list[KeptCopy]:
    """Kept copies of trips that nobody has touched for so long, and of which nothing is under way."""
    before = before_days(keep.copies, now)
    if before is None:
        return []
    over: list[KeptCopy] = []
    for trip in Trip.objects.filter(touched_at__lt=before):
        try:
            refuse_deleting(trip)
        except PlainError:
            continue
        over += trip.kept_copies.exclude(path=THINNED)
    return over


def old_uploads(keep: KeepFor, now: datetime) -> list[Upload]:
    """Files that never came whole within a day, and those that wait for so long that nobody wants them."""
    late = Q(complete=False, began_at__lt=now - timedelta(hours=UNFINISHED_HOURS))
    before = before_days(keep.uploads, now)
    if before is not None:
        late |= Q(complete=True, began_at__lt=before)
    busy = Job.objects.filter(state__in=Job.OPEN, kind__in=("recognise", "bring in", "refill"))
    working = {job.arguments.get("upload") for job in busy}
    waiting = Upload.objects.filter(late, trip=None, continues=None, discarded=False)
    return [upload for upload in waiting if upload.pk not in working]


def half_written(now: datetime) -> list[Path]:
    """Files that whoever began to write them did not end, and nobody has gone on with for a day."""
    before = (now - timedelta(hours=UNFINISHED_HOURS)).timestamp()
    folder = data_folder()
    tops = (folder / "files", folder / "stages", *folder.glob(f"{ASIDE}*"))
    paths = (path for top in tops for path in top.rglob("*"))
    aside = [path for path in paths if any(name.startswith(".") for name in path.relative_to(folder).parts)]
    return [path for path in aside if not path.is_dir() and path.lstat().st_mtime < before]


def old_receipts(keep: KeepFor, now: datetime) -> list[KeptReceipt]:
    """Receipts of deleted trips that were kept for so long."""
    before = before_days(keep.receipts, now)
    return list(KeptReceipt.objects.filter(kept_at__lt=before)) if before is not None else []


def old_entries(keep: KeepFor, now: datetime) -> int:
    """How many of the journal's first entries are over their time."""
    before = before_days(keep.journal, now)
    # Entries are in the order of time.
    return Entry.objects.filter(at__lt=before).count() if before is not None else 0


def what_is_over(keep: KeepFor, now: datetime | None = None) -> list[Over]:
    """What would be taken away now, by kind, with the room it takes; nothing is."""
    now = now or timezone.now()
    trips, copies = old_trips(keep, now), old_copies(keep, now)
    gone = {trip.pk for trip in trips}
    uploads, receipts = old_uploads(keep, now), old_receipts(keep, now)
    kept = [absolute(copy.path) for copy in copies if copy.trip_id not in gone]
    parts = [absolute(one.path) for upload in uploads for one in upload.whole_list]
    return [
        Over("trips", len(trips), sum(room_of(trip) for trip in trips)),
        Over("receipts", len(receipts), sum(receipt.size for receipt in receipts)),
        Over("copies", len(kept), size_of(kept)),
        Over("uploads", len(uploads), size_of(parts)),
        Over("journal", old_entries(keep, now), 0),
    ]


def set_retention(person: Person, *, idle_minutes: int | None = None, **days: int | None) -> InstallationSettings:
    """Say how long things are kept, and how long a session lasts at which nobody is. What is not said stays.

    Raises:
        NotAllowed, PlainError
    """
    require(person, Action.TIDY)
    days_said = {name: value for name, value in days.items() if value is not None}
    for name, value in days_said.items():
        if name not in KeepFor.__dataclass_fields__:
            raise PlainError(f"Unknown kind {name!r}. Use {', '.join(KeepFor.__dataclass_fields__)}.")
        if not 0 <= value <= _LONGEST_DAYS:
            raise PlainError(
                f"Say a number of days from 1 to {thousands(_LONGEST_DAYS)}, or 0 for as long as Vexo is there."
            )
    if 0 < days_said.get("journal", 0) < _LEAST_JOURNAL_DAYS:
        raise PlainError(f"The journal is kept for {_LEAST_JOURNAL_DAYS} days at least.")
    if idle_minutes is not None and not 0 <= idle_minutes <= 14 * 24 * 60:
        raise PlainError("Say a number of minutes up to two weeks, or 0: a session ends after two weeks anyway.")
    with transaction.atomic():
        settings = installation_settings()
        before = asdict(KeepFor.of(settings)) | {"idle": settings.idle_minutes}
        for name, value in days_said.items():
            setattr(settings, f"keep_{name}_days", value)
        if idle_minutes is not None:
            settings.idle_minutes = idle_minutes
        settings.save()
        after = asdict(KeepFor.of(settings)) | {"idle": settings.idle_minutes}
        changed = [f"{name} {before[name]} → {after[name]}" for name in after if after[name] != before[name]]
        if changed:
            note(person.username, "settings", f"Changed how long things are kept: {', '.join(changed)}")
    return settings


def masked_trips(now: datetime) -> list[Trip]:
    """Trips of a record type with masked fields that are over, and not touched for a day: nothing is to be written or
    asked any more on any of their parts, whether something was written or not."""
    over = []
    for application in Application.objects.all():
        rules = rules_of(application).types
        masked = [name for name, of in rules.items() if of.masked]
        for trip in application.trips.filter(record_type__in=masked, touched_at__lt=now - MASKED_STAYS):
            try:
                refuse_deleting(trip)
                if all(TripStatus(view).over for view in PartView.all_of(trip)):
                    over.append(trip)
            except (PlainError, *UNREADABLE):
                continue
    return over
