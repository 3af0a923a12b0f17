"""Sending records out: the job."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl
from django.db import transaction
from django.db.models import F

from vexo.core.conditions import read_condition
from vexo.core.documents import FORMATS, DocumentError, SendOut
from vexo.core.records import RecordType
from vexo.core.wording import thousands
from vexo.core.writing.totals import as_texts

from ..applications.models import Application
from ..applications.services import client_of, describe
from ..data_folder import absolute
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..routes.models import Route
from ..trips.facts.parts import AlsoOut, PartCounts, SentSheet
from ..trips.models import KeptCopy, Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheets import part_of
from ..trips.status import status_facts, update_status
from .overlap import Overlap, also_out
from .part_plans import PartPlan, share_out
from .record_pieces import Pieces, Totals, forget, in_order, one_piece, read_pieces, totals_of
from .selection import all_read, begin, order_of, read_picked
from .sheet_writer import Writer, Written, help_rows

MOST_NAMED = 1000
"""Keys of a list without a record that are told by name; all are counted."""


def new_trip(
    application: Application,
    record_type: str,
    by: str,
    fields: Sequence[str] = (),
    condition: str = "",
    title: str = "",
) -> Trip:
    """A trip that begins with the records that meet a condition. Raises UnknownName and ConditionError."""
    return begin(application, SendOut(record_type, tuple(fields), condition), by, title)


def go_on(view: PartView, person: Person, *, run_here: bool = False) -> Job:
    """Go on with a sending out that was stopped or broke off. Raises NotAllowed, PlainError."""
    trip = view.trip
    require(person, Action.PREPARE)
    with transaction.atomic():
        if not trip.send_document or trip.sheets.exists():
            raise PlainError(f"Nothing is left to send out on trip {trip.pk}.", "is-out")
        if trip.jobs.filter(state__in=Job.OPEN).exists():
            raise PlainError("It is on its way out already.", "under-way")
        last = trip.jobs.filter(kind="send out").last()
        format_ = last.arguments.get("format") if last else None
        return enqueue(
            "send out", person.username, view, run_here=run_here, format=format_ or trip.send_document["format"]
        )


_NAMED = 5
"""Keys that found no record, of which it is told where none did."""


def _read(lease: Lease, document: SendOut, format_: str) -> tuple[Writer, Pieces, list[str]]:
    """The records that the document asks for, what they are to be written with, and the keys that found none."""
    trip = lease.trip
    with client_of(trip.application, lease.job.by) as client:
        catalogue = describe(trip.application, client)
        record_type = catalogue.type(document.record_type)
        writer = Writer(trip, document, format_, catalogue)
        fields = all_read(document, record_type, catalogue)
        if document.headers_only:
            example = pl.concat(list(client.read(record_type, fields, top=1)))
            return writer, one_piece(trip, example), []
        if document.picked is not None:
            lease.progress(0, len(document.picked.values), "reading the records that were picked")
            records, missing = read_picked(client, document.picked, record_type, fields)
            if records.is_empty():
                named = ", ".join(missing[:_NAMED]) + (" …" if len(missing) > _NAMED else "")
                raise PlainError(
                    f"None of the {thousands(len(missing))} keys is that of a {record_type.label.lower()}, so "
                    "nothing goes out: "
                    f"{named}.",
                    "not-found",
                )
            writer.look(records)
            return writer, one_piece(trip, records), missing
        condition = read_condition(document.condition, record_type, catalogue)
        total = client.count(record_type, condition)
        lease.progress(0, total, "reading records")
        return writer, read_pieces(lease, client, record_type, fields, condition, total, writer.look), []


@dataclass(frozen=True, slots=True)
class SentOut:
    """What went out on a trip, as its job tells it: the first sheet, and how many ``parts`` there are; ``missing`` keys
    are no record's, of which the first are named (``not_found``)."""

    trip: int
    rows: int
    sheet: int
    file: str
    name: str
    parts: int
    missing: int
    not_found: list[str]
    also_out: list[AlsoOut]
    also_out_note: str


def send_out(lease: Lease) -> SentOut:
    """The job: read the records, keep a copy, write the sheets."""
    trip = lease.trip
    document = trip.document
    if document is None:
        raise DocumentError(f"Nothing is said of what goes out on trip {trip.pk}.")
    format_ = str(lease.job.arguments.get("format") or document.format)
    if format_ not in FORMATS:
        raise PlainError(f"Unknown format {format_!r}. Use {', '.join(FORMATS)}.")
    if trip.sheets.filter(direction=Sheet.OUT).exists():
        return _told(trip)
    _drop_unfinished(trip)
    writer, pieces, missing = _read(lease, document, format_)
    catalogue, record_type = writer.catalogue, writer.type
    lease.progress(0, pieces.rows, "writing the sheet")
    if document.headers_only:
        example = writer.cells(next(iter(pieces)))
        explained = help_rows(writer.fields, example) if document.help else ()
        nothing = pl.Series([], dtype=pl.UInt32)
        written = [writer.write(PartPlan(1, "", nothing), pieces, explained)]
    else:
        places = in_order(pieces, order_of(document, record_type), record_type, catalogue)
        written = []
        for plan in share_out(pieces, places, document.share, record_type, catalogue):
            written.append(writer.write(plan, pieces))
            lease.progress(sum(one.rows for one in written), pieces.rows, "writing the sheet")
    rows = sum(one.rows for one in written)
    sums: Totals = {}
    for piece in pieces if not document.headers_only else ():
        totals_of(piece, [f.name for f in writer.fields if f.is_number and f.path is None], sums)
    others = also_out(trip, [one.kept for one in written]) if rows else Overlap()
    with lease.writing():
        first = _take_in(lease, written, format_, record_type, missing, others)
        selection = {"records": rows, "totals": as_texts(sums), "at": first.added_at.isoformat()}
        Trip.objects.filter(pk=trip.pk).update(selection=selection)
    forget(trip)
    return _told(trip)


def _told(trip: Trip) -> SentOut:
    """What went out on a trip, as the job tells it."""
    trip.refresh_from_db()
    sheets = trip.sheets.filter(direction=Sheet.OUT)
    first, facts = sheets[0], status_facts(PartView.of(trip))
    sent = facts.sent
    assert sent is not None
    return SentOut(
        trip=trip.pk,
        rows=sent.rows,
        sheet=first.pk,
        file=first.path,
        name=first.name,
        parts=sent.parts,
        missing=sent.missing,
        not_found=sent.not_found,
        also_out=facts.also_out,
        also_out_note=facts.also_out_note,
    )


def _drop_unfinished(trip: Trip) -> None:
    """Drop sheets that an earlier attempt wrote and nothing names."""
    for pattern in ("out-*", ".out-*", "kept-*"):
        for path in absolute(f"files/{trip.pk}").glob(pattern):
            path.unlink(missing_ok=True)


def _take_in(
    lease: Lease,
    written: Sequence[Written],
    format_: str,
    record_type: RecordType,
    missing: Sequence[str],
    others: Overlap,
) -> Sheet:
    """Write down what went out, in one transaction; its first sheet."""
    trip, job = lease.trip, lease.job
    sheets = []
    for one in written:
        part = part_of(trip, one.plan.number)
        part.label = one.plan.label[:120]
        part.save(update_fields=["label"])
        KeptCopy.objects.create(trip=trip, part=part, path=one.kept, rows=one.rows)
        values = {"name": one.name, "path": one.path, "rows": one.rows, "format": format_}
        sheets.append(Sheet.objects.create(trip=trip, part=part, direction=Sheet.OUT, added_by=job.by, **values))
    rows, first = sum(one.rows for one in written), sheets[0]
    named = list(missing[:MOST_NAMED])
    sent = SentSheet(first.pk, rows, first.name, first.added_at, len(written), len(missing), named)
    view = PartView.of_lease(lease)
    update_status(view, plural=record_type.plural, sent=sent, also_out=others.trips, also_out_note=others.note)
    if len(written) > 1:
        update_status(view, parts=PartCounts(len(written)))
    Route.objects.filter(pk=trip.route_id).update(used=F("used") + 1, used_at=first.added_at, rows=rows)
    words = f"Sent out {thousands(rows)} {record_type.plural.lower()} as "
    words += (
        first.name if len(sheets) == 1 else f"{len(sheets)} sheets, {', '.join(p.plan.label for p in written[:12])}"
    )
    note(job.by, "sent out", words, trip.application, trip.pk, rows, first.name)
    return first
