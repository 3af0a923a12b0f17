"""A trip's selection read again: what changed since it went out, and the kept copy as a file."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import IO

import polars as pl
from django.db import transaction
from django.utils import timezone

from vexo.core.conditions import read_condition
from vexo.core.documents import FORMATS
from vexo.core.records import IDENTIFIER, Catalogue, Field, RecordType
from vexo.core.sheets.writers.delimited import write_csv
from vexo.core.sheets.writers.ods import write_ods
from vexo.core.sheets.writers.outgoing import outgoing_columns
from vexo.core.sheets.writers.xlsx import write_xlsx
from vexo.core.wording import thousands
from vexo.core.writing.since import Since, compare

from ..applications.services import client_of, describe
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.facts import to_json
from ..trips.facts.parts import ChangeSince, SumThen
from ..trips.facts.parts import Since as SinceFacts
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.sheets import kept_records, ledger_of, ledger_pages
from ..trips.status import update_status

_MOST_NAMED = 500
"""Changed records that are told by name; all are counted."""


def _kept(trip: Trip) -> pl.DataFrame:
    kept = kept_records(trip)
    if kept is None:
        raise PlainError(f"No records went out on trip {trip.pk}, so there is nothing to compare with.", "no-kept")
    return kept


def start_comparing(view: PartView, person: Person, *, run_here: bool = False) -> Job:
    """Ask for a trip's selection to be read again. Raises NotAllowed, PlainError."""
    trip = view.trip
    require(person, Action.PREPARE)
    if not trip.kept_copies.exists():
        _kept(trip)
    with transaction.atomic():
        before = trip.jobs.filter(kind="compare", state__in=Job.OPEN).first()
        return before or enqueue("compare", person.username, view, run_here=run_here)


def _own_fields(trip: Trip, record_type: RecordType, catalogue: Catalogue, kept: pl.DataFrame) -> list[Field]:
    known = [record_type.find(name) for name in trip.fields]
    return [field for field in known if field is not None and field.name in kept.columns]


@dataclass(frozen=True, slots=True)
class Compared:
    """What the job tells of a selection that was read again: see ``facts.parts.Since``."""

    trip: int
    then: int
    now: int
    records: int
    cells: int
    ours: int


def compare_now(lease: Lease) -> Compared:
    """The job: read the records again, and write down what is other than it was."""
    trip = lease.trip
    kept, document = _kept(trip), trip.document
    assert document is not None
    with client_of(trip.application, lease.job.by) as client:
        catalogue = describe(trip.application, client)
        record_type = catalogue.type(trip.record_type)
        fields = _own_fields(trip, record_type, catalogue, kept)
        names = [field.name for field in fields]
        lease.progress(0, len(kept), "reading the selection again")
        chunks: list[pl.DataFrame] = []
        if document.picked is None and not document.headers_only:
            condition = read_condition(document.condition, record_type, catalogue)
            for chunk in client.read(record_type, names, condition):
                chunks.append(chunk)
                lease.progress(sum(map(len, chunks)), len(kept), "reading the selection again")
        selected = pl.concat(chunks) if chunks else None
        inside = selected[IDENTIFIER] if selected is not None else pl.Series([], dtype=pl.String)
        lost = kept[IDENTIFIER].filter(~kept[IDENTIFIER].is_in(inside.implode()))
        wanted = lost.alias(record_type.identifier).to_frame()
        others = client.read_by_keys(record_type, names, [record_type.identifier], wanted)
        table = pl.concat([selected, others]) if selected is not None else others
        inside = inside if selected is not None else others[IDENTIFIER]
    since = compare(
        kept, table.unique(IDENTIFIER, keep="first", maintain_order=True), inside, fields, ledger_of(ledger_pages(trip))
    )
    changes = _told(since, kept, fields, record_type, catalogue)
    with lease.writing():
        trip.refresh_from_db(fields=["selection"])
        selection = {**trip.selection, "since": to_json(changes)}
        Trip.objects.filter(pk=trip.pk).update(selection=selection)
        update_status(PartView.of_lease(lease))
        counts = f"{thousands(changes.cells)} cells of {thousands(changes.records)} records"
        words = f"Compared trip {trip.pk} with the application: {counts}"
        note(lease.job.by, "compared", f"{words} are other than they went out", trip.application, trip.pk, since.now)
    return Compared(trip.pk, changes.then, changes.now, changes.records, changes.cells, changes.ours)


def _told(
    since: Since, kept: pl.DataFrame, fields: list[Field], record_type: RecordType, catalogue: Catalogue
) -> SinceFacts:
    """What changed since, in figures, with the first changes one by one."""
    labels = {field.name: field.label for field in fields}
    naming = [record_type.field(name) for name in record_type.natural_key]
    naming = [field for field in naming if field.name in kept.columns]
    first = since.changes.head(_MOST_NAMED)
    named = kept.filter(pl.col(IDENTIFIER).is_in(first[IDENTIFIER].unique().implode()))
    texts = [column.cells.fill_null("") for column in outgoing_columns(naming, named, record_type, catalogue)]
    called = [" ".join(parts) for parts in zip(*texts, strict=True)] if texts else named[IDENTIFIER].to_list()
    names = dict(zip(named[IDENTIFIER].to_list(), called, strict=True))
    changes = [
        ChangeSince(
            record=names.get(line[IDENTIFIER], line[IDENTIFIER]),
            label=labels[line["field"]],
            then=line["then"],
            is_now=line["now"],
            ours=line["ours"],
        )
        for line in first.iter_rows(named=True)
    ]
    return SinceFacts(
        at=timezone.now(),
        then=since.then,
        now=since.now,
        records=since.changes[IDENTIFIER].n_unique(),
        cells=len(since.changes),
        ours=int(since.changes["ours"].sum()),
        gone=len(since.gone),
        gone_by_us=since.deleted_by_us,
        left=len(since.left),
        come=len(since.come),
        come_by_us=since.made_by_us,
        totals=[SumThen(name, labels[name], then, now) for name, (then, now) in since.totals.items()],
        changes=changes,
    )


def write_kept(trip: Trip, ending: str) -> tuple[IO[bytes], int]:
    """The kept copy of all parts as a sheet, open for reading, and how many records it holds. Raises PlainError."""
    if ending not in FORMATS:
        raise PlainError(f"Unknown format {ending!r}. Use {', '.join(FORMATS)}.")
    kept = _kept(trip)
    catalogue = trip.application.known or describe(trip.application)
    record_type = catalogue.type(trip.record_type)
    fields = [catalogue.field(record_type, name) for name in trip.fields]
    columns = outgoing_columns(fields, kept, record_type, catalogue)
    with TemporaryDirectory() as folder:
        path = Path(folder) / f"kept.{ending}"
        try:
            if ending in ("xlsx", "ods"):
                (write_xlsx if ending == "xlsx" else write_ods)(columns, path, f"{record_type.plural} as they went out")
            else:
                write_csv(columns, path, "\t" if ending == "tsv" else ",")
        except ValueError as error:
            raise PlainError(str(error)) from error
        return path.open("rb"), len(kept)
