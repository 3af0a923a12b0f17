"""Taking away what is over its time."""

from __future__ import annotations

import logging
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime, timedelta

from django.db import connection, transaction
from django.db.models import Q
from django.utils import timezone

from vexo.core.errors import MendableError
from vexo.core.wording import thousands

from ..artifacts import THINNED
from ..data_folder import absolute
from ..installation.services import installation_settings
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..journal.models import Entry
from ..journal.seals import THINNED as JOURNAL_THINNED
from ..journal.services import BY_ITSELF, note
from ..people.models import Misses, Session
from ..trips.models import KeptCopy, Trip
from ..uploads.upload_cells import forget
from .deleting import delete_trip
from .retention import (
    MASKED_STAYS,
    KeepFor,
    before_days,
    half_written,
    masked_trips,
    old_copies,
    old_entries,
    old_receipts,
    old_trips,
    old_uploads,
)

log = logging.getLogger("vexo.upkeep")


def thin(lease: Lease) -> dict[str, int]:
    """The job that takes away what is over its time: what went, by kind."""
    keep, now = KeepFor.of(installation_settings()), timezone.now()
    steps: dict[str, Callable[[], int]] = {
        "masked": lambda: _thin_masked(lease, now),
        "trips": lambda: _thin_trips(lease, keep, now),
        "copies": lambda: _thin_copies(lease, keep, now),
        "uploads": lambda: _thin_uploads(_who(lease), keep, now),
        "half written": lambda: _thin_half_written(now),
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
            why = f"which nobody had touched for {thousands(keep.trips)} days"
            delete_trip(_who(lease), trip, why, untouched_since=before_days(keep.trips, now))
        except MendableError as error:
            # Its receipt cannot be made: rather a trip too many than evidence too little. People see it at Upkeep.
            log.warning("trip not deleted", extra={"trip": trip.pk, "why": type(error).__name__})
            continue
        count += 1
    return count


def _thin_masked(lease: Lease, now: datetime) -> int:
    count = 0
    for trip in masked_trips(now):
        lease.still_mine()
        lease.hand_back_if_ending()
        why = "which was over, since nothing is kept of some of its fields"
        try:
            delete_trip(_who(lease), trip, why, untouched_since=now - MASKED_STAYS)
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
    gone, before = 0, before_days(keep.copies, now)
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
            words = (
                f"Deleted what is kept of the records that went out on trip {number}, after "
                f"{thousands(keep.copies)} days"
            )
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


def _thin_half_written(now: datetime) -> int:
    """What was being written when its process was killed, and the folders of pieces that are empty then."""
    paths = half_written(now)
    for path in paths:
        path.unlink(missing_ok=True)
        if path.parent.name.startswith("."):
            with suppress(OSError):
                path.parent.rmdir()
    return len(paths)


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
    before = before_days(keep.journal, now)
    if not count or before is None:
        return 0
    with transaction.atomic():
        last = Entry.objects.filter(at__lt=before).order_by("-id").values("id", "seal", "at")[0]
        words = f"Took off the journal up to {last['at']:%Y-%m-%d}, entries to number {thousands(last['id'])}"
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
