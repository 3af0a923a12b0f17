"""How long things are kept: what is over its time, and taking it away."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import asdict, dataclass, fields
from datetime import datetime, timedelta

from django.db import connection, transaction
from django.db.models import Q
from django.utils import timezone

from vexo.core.errors import MendableError

from ..applications.models import Application
from ..applications.use_rules import rules_of
from ..artifacts import THINNED
from ..data_folder import absolute
from ..errors import PlainError
from ..installation.models import InstallationSettings
from ..installation.services import installation_settings
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..journal.models import Entry
from ..journal.seals import THINNED as JOURNAL_THINNED
from ..journal.services import note
from ..people.models import Misses, Person, Session
from ..people.rights import Action, require
from ..trips.models import KeptCopy, Trip
from ..trips.part_view import PartView
from ..trips.status import UNREADABLE, TripStatus
from ..uploads.models import Upload
from ..uploads.upload_cells import forget
from .deleting import delete_trip, refuse_deleting, room_of
from .disk import size_of
from .models import KeptReceipt

BY_ITSELF = "Vexo"
"""Who the journal says did what nobody asked for at that moment."""
UNFINISHED_HOURS = 24
"""Hours for which a file waits for the rest of itself."""
_MASKED_STAYS = timedelta(days=1)
"""For how long a trip with masked fields can still be looked at, and taken back, once it is over."""
_LONGEST_DAYS = 36_500
_LEAST_JOURNAL_DAYS = 30
"""Days of the journal that stay at the least: who did something should not be able to have it forgotten tomorrow."""
log = logging.getLogger("vexo.upkeep")


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


def _before(days: int, now: datetime) -> datetime | None:
    return now - timedelta(days=days) if days else None


def old_trips(keep: KeepFor, now: datetime) -> list[Trip]:
    """Trips that nobody has touched for so long, and of which nothing is under way."""
    before = _before(keep.trips, now)
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
    before = _before(keep.copies, now)
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
    before = _before(keep.uploads, now)
    if before is not None:
        late |= Q(complete=True, began_at__lt=before)
    busy = Job.objects.filter(state__in=Job.OPEN, kind__in=("recognise", "bring in", "refill"))
    working = {job.arguments.get("upload") for job in busy}
    waiting = Upload.objects.filter(late, trip=None, continues=None, discarded=False)
    return [upload for upload in waiting if upload.pk not in working]


def old_receipts(keep: KeepFor, now: datetime) -> list[KeptReceipt]:
    """Receipts of deleted trips that were kept for so long."""
    before = _before(keep.receipts, now)
    return list(KeptReceipt.objects.filter(kept_at__lt=before)) if before is not None else []


def old_entries(keep: KeepFor, now: datetime) -> int:
    """How many of the journal's first entries are over their time."""
    before = _before(keep.journal, now)
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
    said = {name: value for name, value in days.items() if value is not None}
    for name, value in said.items():
        if name not in KeepFor.__dataclass_fields__:
            raise PlainError(f"Unknown kind {name!r}. Use {', '.join(KeepFor.__dataclass_fields__)}.")
        if not 0 <= value <= _LONGEST_DAYS:
            raise PlainError(f"Say a number of days from 1 to {_LONGEST_DAYS:,}, or 0 for as long as Vexo is there.")
    if 0 < said.get("journal", 0) < _LEAST_JOURNAL_DAYS:
        raise PlainError(f"The journal is kept for {_LEAST_JOURNAL_DAYS} days at least.")
    if idle_minutes is not None and not 0 <= idle_minutes <= 14 * 24 * 60:
        raise PlainError("Say a number of minutes up to two weeks, or 0: a session ends after two weeks anyway.")
    with transaction.atomic():
        settings = installation_settings()
        before = asdict(KeepFor.of(settings)) | {"idle": settings.idle_minutes}
        for name, value in said.items():
            setattr(settings, f"keep_{name}_days", value)
        if idle_minutes is not None:
            settings.idle_minutes = idle_minutes
        settings.save()
        after = asdict(KeepFor.of(settings)) | {"idle": settings.idle_minutes}
        changed = [f"{name} {before[name]} → {after[name]}" for name in after if after[name] != before[name]]
        if changed:
            note(person.username, "settings", f"Changed how long things are kept: {', '.join(changed)}")
    return settings


def thin(lease: Lease) -> dict[str, int]:
    """The job that takes away what is over its time: what went, by kind."""
    keep, now = KeepFor.of(installation_settings()), timezone.now()
    steps: dict[str, Callable[[], int]] = {
        "masked": lambda: _thin_masked(lease, now),
        "trips": lambda: _thin_trips(lease, keep, now),
        "copies": lambda: _thin_copies(lease, keep, now),
        "uploads": lambda: _thin_uploads(_who(lease), keep, now),
        "receipts": lambda: _thin_receipts(_who(lease), keep, now),
        "journal": lambda: _thin_journal(_who(lease), keep, now),
        "sessions": lambda: _forget_sessions(now),
    }
    gone = {}
    for kind, step in steps.items():
        lease.still_mine()
        lease.hand_back_if_ending()
        gone[kind] = step()
    return gone


def _who(lease: Lease) -> str:
    return lease.job.by or BY_ITSELF


def _thin_trips(lease: Lease, keep: KeepFor, now: datetime) -> int:
    count = 0
    for trip in old_trips(keep, now):
        lease.still_mine()
        lease.hand_back_if_ending()
        try:
            why = f"which nobody had touched for {keep.trips:,} days"
            delete_trip(_who(lease), trip, why, untouched_since=_before(keep.trips, now))
        except MendableError as error:
            # Its receipt cannot be made: rather a trip too many than evidence too little. People see it at Upkeep.
            log.warning("trip not deleted", extra={"trip": trip.pk, "why": type(error).__name__})
            continue
        count += 1
    return count


def masked_trips(now: datetime) -> list[Trip]:
    """Trips of a record type with masked fields that are over: finished, and not touched for a day."""
    over = []
    for application in Application.objects.all():
        rules = rules_of(application).types
        masked = [name for name, of in rules.items() if of.masked]
        for trip in application.trips.filter(record_type__in=masked, touched_at__lt=now - _MASKED_STAYS):
            try:
                refuse_deleting(trip)
                if TripStatus(PartView.of(trip)).finished:
                    over.append(trip)
            except (PlainError, *UNREADABLE):
                continue
    return over


def _thin_masked(lease: Lease, now: datetime) -> int:
    count = 0
    for trip in masked_trips(now):
        lease.still_mine()
        lease.hand_back_if_ending()
        why = "which was over, since nothing is kept of some of its fields"
        try:
            delete_trip(_who(lease), trip, why, untouched_since=now - _MASKED_STAYS)
        except MendableError as error:
            log.warning("masked trip not deleted", extra={"trip": trip.pk, "why": type(error).__name__})
            continue
        count += 1
    if count:
        with connection.cursor() as cursor:
            # What was deleted is overwritten in the database; this takes it out of its log, too.
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return count


def _thin_copies(lease: Lease, keep: KeepFor, now: datetime) -> int:
    trips: dict[int, list[KeptCopy]] = {}
    gone, before = 0, _before(keep.copies, now)
    for copy in old_copies(keep, now):
        trips.setdefault(copy.trip_id, []).append(copy)
    for number, copies in trips.items():
        lease.still_mine()
        with transaction.atomic():
            trip = Trip.objects.select_related("application").filter(pk=number, touched_at__lt=before).first()
            if trip is None:
                # Somebody works on it again.
                continue
            KeptCopy.objects.filter(pk__in=[copy.pk for copy in copies]).update(path=THINNED)
            gone += len(copies)
            words = f"Deleted what is kept of the records that went out on trip {number}, after {keep.copies:,} days"
            note(_who(lease), "deleted", words, trip.application, number)
        for copy in copies:
            absolute(copy.path).unlink(missing_ok=True)
    return gone


def _thin_uploads(who: str, keep: KeepFor, now: datetime) -> int:
    uploads = old_uploads(keep, now)
    for upload in uploads:
        files = [absolute(one.path) for one in upload.whole_list]
        for one in upload.whole_list:
            forget(one)
        with transaction.atomic():
            upload.delete()
            half = "" if upload.complete else ", which never came whole"
            note(who, "deleted", f"Deleted {upload.name}{half}, brought by {upload.by}", file=upload.name)
        for path in files:
            path.unlink(missing_ok=True)
    return len(uploads)


def _thin_receipts(who: str, keep: KeepFor, now: datetime) -> int:
    receipts = old_receipts(keep, now)
    for receipt in receipts:
        with transaction.atomic():
            note(who, "deleted", f"Deleted the receipt of trip {receipt.trip}, {receipt.title}", file="receipt")
            receipt.delete()
        absolute(receipt.path).unlink(missing_ok=True)
    return len(receipts)


def _thin_journal(who: str, keep: KeepFor, now: datetime) -> int:
    """Take off the first entries; the entry that says so carries the seal of the last of them, so that what is left can
    be verified."""
    count = old_entries(keep, now)
    before = _before(keep.journal, now)
    if not count or before is None:
        return 0
    with transaction.atomic():
        last = Entry.objects.filter(at__lt=before).order_by("-id").values("id", "seal", "at")[0]
        words = f"Took off the journal up to {last['at']:%Y-%m-%d}, entries to number {last['id']:,}"
        note(who, JOURNAL_THINNED, words, rows=int(last["id"]), file=last["seal"])
        with connection.cursor() as cursor:
            # In the same transaction: no other writer finds the journal without its guard.
            cursor.execute("SELECT sql FROM sqlite_master WHERE type = 'trigger' AND name = 'journal_no_delete'")
            (guard,) = cursor.fetchone()
            cursor.execute("DROP TRIGGER journal_no_delete")
            cursor.execute("DELETE FROM journal_entry WHERE id <= %s", [last["id"]])
            cursor.execute(guard)
    return count


def _forget_sessions(now: datetime) -> int:
    """Sessions that have ended, and names that signed in from an address long ago."""
    limit = installation_settings().idle_minutes
    over = Q(expire_date__lt=now)
    if limit:
        over |= Q(used_at__lt=now - timedelta(minutes=limit))
    count, _ = Session.objects.filter(over).delete()
    Job.objects.filter(kind="thin", ended_at__lt=now - timedelta(days=30)).delete()
    Misses.objects.filter(last__lt=(now - timedelta(days=90)).timestamp()).delete()
    return count
