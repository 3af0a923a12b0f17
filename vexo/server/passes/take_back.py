"""Taking back what a trip wrote: a trip of its own, whose sheet says what was there before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl
from django.db import transaction

from vexo.applications import Client
from vexo.core.planning.verdicts import LANDED, RowState
from vexo.core.records import IDENTIFIER, Catalogue, RecordType
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.sheets.writers.outgoing import OutgoingColumn, read_fields
from vexo.core.sheets.writers.xlsx import write_xlsx
from vexo.core.values import dtype
from vexo.core.wording import shortened, thousands
from vexo.core.writing.batches import WHOLE
from vexo.core.writing.ledger import STATE
from vexo.core.writing.take_back import (
    Did,
    Done,
    Reverse,
    chosen_rows,
    kept_copy,
    lost_fields,
    referred,
    reverse_of,
    rows_of_records,
    sheet_columns,
)

from .. import artifacts
from ..applications.services import client_of, describe
from ..data_folder import absolute, replacing
from ..errors import PlainError
from ..ingest.bring_in import ImportRequest, start_bringing_in
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.facts import from_json, to_json
from ..trips.facts.reversal import Reversal
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheets import keep_copy, part_of, stamp_of
from ..trips.status import update_status
from ..uploads.receive import take_file
from .models import Pass
from .starting import open_pass


@dataclass(frozen=True)
class Wanted:
    """What is to be taken back: of all passes or some, all rows or some (by the numbers that people see in the sheet of
    the last of these passes), of one part of the trip or all (0)."""

    passes: tuple[int, ...] = ()
    rows: tuple[int, ...] = ()
    part: int = 0


def start_taking_back(view: PartView, person: Person, wanted: Wanted = Wanted(), *, run_here: bool = False) -> Job:
    """Ask for a trip that takes back what this one wrote. Nothing is written before that one is reviewed and applied.

    Raises:
        NotAllowed
        PlainError: where a pass has not ended, there is no such pass, or nothing is left to be taken back.
    """
    require(person, Action.PREPARE)
    trip = view.trip
    trip.refresh_from_db()
    left = _reverse(trip, wanted, _record_type(trip, None)).records.height
    with transaction.atomic():
        trip.refresh_from_db()
        unfinished = open_pass(trip)
        if unfinished is not None:
            raise PlainError(
                f"Pass {unfinished.number} of trip {trip.pk} has not ended. Go on with it, or give it up.", "pass-open"
            )
        under_way = trip.jobs.filter(kind="take back", state__in=Job.OPEN).last()
        if under_way is not None:
            if _asks(under_way) == wanted:
                return under_way
            raise PlainError(
                f"Something else of trip {trip.pk} is being taken back just now. Ask again when that is made.", "busy"
            )
        if not left:
            raise PlainError(f"Nothing of trip {trip.pk} is left to be taken back.", "nothing")
        return enqueue(
            "take back",
            person.username,
            view,
            run_here=run_here,
            passes=list(wanted.passes),
            rows=list(wanted.rows),
            of_part=wanted.part,
            here=run_here,
        )


def _asks(job: Job) -> Wanted:
    """What a job is to take back."""
    arguments = job.arguments
    return Wanted(tuple(arguments["passes"]), tuple(arguments["rows"]), int(arguments.get("of_part", 0)))


@dataclass(frozen=True, slots=True)
class TakenBack:
    """The trip that takes another back, and the job that brings its sheet in."""

    trip: int
    next: int


def take_back(lease: Lease) -> TakenBack:
    """The job: make the trip, its sheet and its kept copy, and bring that sheet in."""
    trip, asked = lease.trip, lease.job.arguments
    before = Job.objects.filter(kind="bring in", arguments__reverse_job=lease.job.pk).first()
    if before is not None:
        return TakenBack(int(before.arguments["asked_trip"]), before.pk)
    wanted = _asks(lease.job)
    lease.progress(0, 2, "reading what was written")
    with client_of(trip.application, lease.job.by) as client:
        catalogue = describe(trip.application, client)
        record_type = _record_type(trip, catalogue)
        reverse = _reverse(trip, wanted, record_type)
        if reverse.records.is_empty():
            raise PlainError(f"Nothing of trip {trip.pk} is left to be taken back.", "nothing")
        reverse = replace(reverse, known=_known(reverse, record_type, catalogue, client))
        names = _names(reverse, record_type, catalogue, client)
    lease.progress(1, 2, "writing the sheet")
    columns = sheet_columns(reverse, record_type, catalogue, names)
    person = Person.objects.get(username=lease.job.by)
    with lease.writing():
        reverse_trip = _new_trip(trip, reverse, record_type, wanted, person)
        sheet = _sheet(reverse_trip, columns, person)
        request = ImportRequest(
            key=(record_type.identifier,),
            operation=reverse.operation.value,
            trip=str(reverse_trip.pk),
            reach="sent",
        )
        upload = take_file(absolute(sheet.path), person.username)
        type(upload).objects.filter(pk=upload.pk).update(name=sheet.name)
        upload.refresh_from_db()
        here = bool(asked.get("here"))
        job = start_bringing_in(reverse_trip.application, record_type.name, upload, person, request, run_here=here)
        Job.objects.filter(pk=job.pk).update(arguments={**job.arguments, "reverse_job": lease.job.pk})
        words = f"Trip {reverse_trip.pk} is to take back {thousands(len(reverse.records))} records of trip {trip.pk}"
        note(person.username, "prepared", words, trip.application, trip.pk, len(reverse.records))
        update_status(PartView.of(trip))
    return TakenBack(reverse_trip.pk, job.pk)


def _record_type(trip: Trip, catalogue: Catalogue | None) -> RecordType:
    known = catalogue or trip.application.known
    if known is None:
        raise PlainError("What the application holds cannot be understood. Test its connection.", "no-catalogue")
    return known.type(trip.record_type)


def _reverse(trip: Trip, wanted: Wanted, record_type: RecordType) -> Reverse:
    """What is left to be taken back. Raises PlainError where there is no such pass or row."""
    pages = {page.number: page.path for page in trip.ledger.order_by("number")}
    passes = _passes(trip, wanted)
    unknown = [number for number in wanted.passes if number not in passes]
    if unknown:
        raise PlainError(f"Trip {trip.pk} has no pass {unknown[0]}.", "no-pass")
    chosen = [number for number in sorted(pages) if number in (wanted.passes or passes)]
    back = _back_already(trip)
    rows = _chosen_rows(trip, wanted, [passes[number] for number in chosen])
    of_pass = {number: artifacts.read(pages[number]) for number in chosen}
    done = [_done(passes[number], page, rows, back) for number, page in of_pass.items()]
    if rows is not None:
        written = {row for one in done for row in one.page[ROW_ID].to_list()}
        missing = [row for row, row_id in zip(wanted.rows, rows, strict=True) if row_id not in written]
        if missing:
            raise PlainError(f"Nothing was written of row {missing[0]}, or it was taken back already.", "no-row")
    _refuse_unwritable(trip, done, record_type)
    return reverse_of(done, record_type)


def _passes(trip: Trip, wanted: Wanted) -> dict[int, Pass]:
    """The passes of the trip, or of the part that is meant, by number."""
    passes = trip.passes.select_related("plan__sheet__part").order_by("number")
    if wanted.part:
        passes = passes.filter(plan__sheet__part__number=wanted.part)
    return {pass_.number: pass_ for pass_ in passes}


def _chosen_rows(trip: Trip, wanted: Wanted, passes: Sequence[Pass]) -> list[int] | None:
    """The rows that are meant, as the trip knows them; None for all.

    Args:
        passes: those that are taken back, the oldest first.
    """
    if not wanted.rows:
        return None
    if len({pass_.plan.sheet.part_id for pass_ in passes}) > 1:
        named = ", ".join(part.label or str(part.number) for part in trip.parts.order_by("number"))
        raise PlainError(f"Trip {trip.pk} is shared out. Say which part is meant: {named}.", "part")
    numbers = {}
    if passes:
        cells = artifacts.read(passes[-1].plan.sheet.cells, [ROW, ROW_ID])
        numbers = dict(cells.iter_rows())
    missing = [row for row in wanted.rows if row not in numbers]
    if missing:
        raise PlainError(f"Nothing was written of row {missing[0]}, or it was taken back already.", "no-row")
    return [numbers[row] for row in wanted.rows]


def _refuse_unwritable(trip: Trip, done: Sequence[Done], record_type: RecordType) -> None:
    """Raises PlainError where a field that was written can no longer be: what is taken back would be half of it."""
    read_only, gone = lost_fields(done, record_type)
    if not read_only and not gone:
        return
    labels = ", ".join([*[field.label for field in read_only], *gone])
    why = "can only be read there by now" if read_only else "are no longer there"
    raise PlainError(
        f"Trip {trip.pk} wrote fields that {why}: {labels}. They cannot be taken back. "
        + ("Let them be written (see the application's rules), and take back then." if read_only else "")
    )


def _done(pass_: Pass, page: pl.DataFrame, rows: Sequence[int] | None, back: pl.Series) -> Done:
    """What a pass did, as its page of the ledger and its frozen rows say."""
    page = chosen_rows(page.filter(pl.col("state").is_in(list(LANDED))), rows)
    gone = page.filter(pl.col("state") == RowState.DELETED)[IDENTIFIER]
    parts = []
    whole_columns = [name for name in artifacts.columns_of(pass_.rows_file) if name.startswith(WHOLE)]
    if len(gone) and whole_columns:
        frozen = artifacts.read(pass_.rows_file, [IDENTIFIER, *whole_columns])
        whole = frozen.filter(pl.col(IDENTIFIER).is_in(gone.implode()))
        parts.append(whole.rename({name: name.removeprefix(WHOLE) for name in whole_columns}))
    if pass_.absent_page and rows is None:
        absent = artifacts.read(pass_.absent_page).filter(pl.col(STATE) == RowState.DELETED)
        absent = absent.filter(~pl.col(IDENTIFIER).is_in(back.implode()))
        parts.append(absent.select(pl.exclude("^@.*$"), IDENTIFIER))
    none = pl.DataFrame(schema={IDENTIFIER: pl.String})
    return Done(page, pl.concat([none, *parts], how="diagonal_relaxed"))


def _back_already(trip: Trip) -> pl.Series:
    """The records that other trips have taken back, as they were named on this one."""
    landed = [from_json(other.reversal, Reversal).landed for other in trip.taken_back_by.all()]
    parts = [artifacts.read(path, [IDENTIFIER])[IDENTIFIER] for path in landed if path]
    return pl.concat([pl.Series(IDENTIFIER, [], dtype=pl.String), *parts])


def _known(reverse: Reverse, record_type: RecordType, catalogue: Catalogue, client: Client) -> pl.DataFrame:
    """How people know the records that are there now."""
    identifier = record_type.field(record_type.identifier)
    ids = reverse.of(Did.CREATED, Did.UPDATED)[IDENTIFIER].cast(dtype(identifier), strict=False)
    names = read_fields([record_type.identifier, *record_type.natural_key], record_type, catalogue)
    values = ids.alias(record_type.identifier).to_frame()
    return client.read_by_keys(record_type, names, [record_type.identifier], values).drop(
        record_type.identifier, strict=False
    )


def _names(
    reverse: Reverse, record_type: RecordType, catalogue: Catalogue, client: Client
) -> Mapping[str, Mapping[str, str]]:
    """How people know the records that are referred to: reference → ID → name."""
    names: dict[str, dict[str, str]] = {}
    for name, ids in referred(reverse).items():
        target = catalogue.type(str(record_type.field(name).target))
        shown = target.shown_by
        if not ids or shown == target.identifier:
            continue
        identifier = target.field(target.identifier)
        values = pl.Series(target.identifier, ids, dtype=pl.String).cast(dtype(identifier), strict=False)
        known = client.read_by_keys(target, [shown], [target.identifier], values.to_frame())
        names[name] = dict(zip(known[IDENTIFIER], known[shown].cast(pl.String), strict=True))
    return names


def _new_trip(trip: Trip, reverse: Reverse, record_type: RecordType, wanted: Wanted, person: Person) -> Trip:
    mine = _passes(trip, wanted)
    numbers = list(wanted.passes) or [one for one in trip.ledger.values_list("number", flat=True) if one in mine]
    reverse_trip = Trip.objects.create(
        title=shortened(f"Take back: {trip.title}", 160),
        application=trip.application,
        record_type=record_type.name,
        route=trip.route,
        status={"plural": record_type.plural},
        created_by=person.username,
        takes_back=trip,
    )
    records = artifacts.keep_artifact(rows_of_records(reverse), reverse_trip.pk, "reverse")
    reverse_trip.reversal = to_json(Reversal(passes=sorted(numbers), records=records))
    reverse_trip.save(update_fields=["reversal"])
    keep_copy(reverse_trip, part_of(reverse_trip), kept_copy(reverse, record_type))
    return reverse_trip


def _sheet(trip: Trip, columns: Sequence[OutgoingColumn], person: Person) -> Sheet:
    """The sheet as it goes out, and comes in at once."""
    name = f"take-back-{trip.takes_back_id}.xlsx"
    path = f"files/{trip.pk}/{name}"
    stamp = stamp_of(trip, [column.field for column in columns])
    with replacing(absolute(path)) as aside:
        write_xlsx(columns, aside, "Take back", stamp)
    values = {"name": name, "path": path, "rows": len(columns[0].cells), "format": "xlsx"}
    return Sheet.objects.create(trip=trip, part=part_of(trip), direction=Sheet.OUT, added_by=person.username, **values)
