"""Refill: a sheet whose header names fields and whose key column names records, filled from the application."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from vexo.core.columns.matches import ColumnMatch, match_columns, refuse_conflicts
from vexo.core.documents import Picked, SendOut
from vexo.core.keys.key_lists import PLACE, met, typed_keys
from vexo.core.records import IDENTIFIER, Catalogue, Field, RecordType, UnknownName
from vexo.core.sheets import SheetError, SheetProfile
from vexo.core.sheets.sheet import ROW
from vexo.core.sheets.writers.outgoing import cells_of, read_fields
from vexo.core.sheets.writers.refill import Filled, place_of, refill_text, refill_xlsx
from vexo.core.values import bare
from vexo.core.wording import shortened, thousands

from ..applications.models import Application
from ..applications.services import client_of, describe
from ..data_folder import absolute, replacing
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.facts.parts import SentSheet
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheets import keep_copy, part_of
from ..trips.status import update_status
from ..uploads.models import Upload
from ..uploads.upload_cells import raw_of, read_upload

_MOST_NAMED = 1000
"""Keys without a record that are told by name; all are counted."""


_PLACES = 20
"""Cells that kept their formulas and are told by name; all are counted."""


def start_refilling(
    application: Application,
    record_type: str,
    upload: Upload,
    person: Person,
    key: Sequence[str] = (),
    *,
    formulas: bool = False,
    run_here: bool = False,
) -> Job:
    """Ask for a file to be filled anew.

    Args:
        formulas: cells that hold a formula are filled too; else they stay, and it is said.

    Raises:
        NotAllowed
    """
    require(person, Action.PREPARE)
    return enqueue(
        "refill",
        person.username,
        run_here=run_here,
        application=application.name,
        record_type=record_type,
        upload=upload.pk,
        key=list(key),
        formulas=formulas,
    )


@dataclass(frozen=True)
class FillPlan:
    """Which columns are filled, and by which key, in which columns, rows find their records."""

    key: dict[str, str]
    columns: list[tuple[ColumnMatch, Field]]


def _far(header: str, record_type: RecordType, catalogue: Catalogue) -> Field | None:
    """The field of a referenced record that a header names, as ``Holder › E-mail`` or ``holder/email``."""
    parts = [part.strip() for part in header.split("›")] if "›" in header else header.split("/")
    names, at_type = [], record_type
    for part in parts if len(parts) > 1 else ():
        step = next((f for f in at_type.fields if part.casefold() in (f.name.casefold(), f.label.casefold())), None)
        if step is None:
            return None
        names.append(step.name)
        if step.target is not None and len(names) < len(parts):
            at_type = catalogue.type(step.target)
    try:
        return catalogue.field(record_type, "/".join(names)) if names else None
    except UnknownName:
        return None


def fill_plan(
    cells: pl.DataFrame, profile: SheetProfile, record_type: RecordType, catalogue: Catalogue, key: Sequence[str]
) -> FillPlan:
    """Raises PlainError where no column names a field, or none names records."""
    matches = match_columns(profile, record_type, catalogue, stamp=profile.stamp)
    refuse_conflicts(matches, record_type)
    known = [(m, m.field or _far(m.header, record_type, catalogue)) for m in matches]
    columns = [(m, record_type.find(f.name) or f) for m, f in known if f is not None]
    column_by_field = {f.name: m.column for m, f in columns}
    wanted = [tuple(key)] if key else [*record_type.keys, (record_type.identifier,)]
    complete = {
        key: cells.select(pl.all_horizontal([bare(cells[column_by_field[n]]).is_not_null() for n in key]).sum()).item()
        for key in wanted
        if key and all(name in column_by_field for name in key)
    }
    best = max(complete, key=lambda field_name: complete[field_name], default=None)
    if best is None or not complete[best]:
        words = " or ".join(" + ".join(record_type.field(n).label for n in key) for key in wanted)
        raise PlainError(f"No column names records of {record_type.plural}: it needs {words}.", "key")
    filled = [(m, f) for m, f in columns if f.name not in best]
    if not filled:
        raise PlainError(f"No column but the key names a field of {record_type.plural}, so there is nothing to fill.")
    return FillPlan({name: column_by_field[name] for name in best}, filled)


def _rows(cells: pl.DataFrame, plan: FillPlan) -> tuple[Picked, pl.DataFrame]:
    """The keys of the rows that have one, and those rows."""
    texts = [bare(cells[column]).alias(name) for name, column in plan.key.items()]
    rows = pl.DataFrame([cells[ROW], *texts]).drop_nulls()
    return Picked(tuple(plan.key), tuple(rows.select(*plan.key).iter_rows())), rows


@dataclass(frozen=True, slots=True)
class Refilled:
    """A sheet that was filled anew, as its job tells it: keys that are no record's are ``missing``, and cells that hold
    ``formulas`` stayed as they are; the first of both are named."""

    trip: int
    sheet: int
    rows: int
    name: str
    file: str
    missing: int
    not_found: list[str]
    formulas: int
    formula_cells: list[str]


def refill(lease: Lease) -> Refilled:
    """The job: read the file, ask for the records that it names, and write it with their values."""
    arguments = lease.job.arguments
    application = Application.objects.get(name=arguments["application"])
    upload = Upload.objects.get(pk=arguments["upload"])
    lease.progress(0, 3, "reading the file")
    cells, profile = read_upload(upload)
    if profile.format not in ("xlsx", "csv", "tsv") or upload.parts.exists():
        raise SheetError(f"{upload.name} can be filled as XLSX or delimited text. Save it as one of these.")
    with client_of(application, lease.job.by) as client:
        catalogue = describe(application, client)
        record_type = catalogue.type(arguments["record_type"])
        plan = fill_plan(cells, profile, record_type, catalogue, arguments["key"])
        picked, rows = _rows(cells, plan)
        lease.progress(1, 3, "asking the application")
        fields = [f for _, f in plan.columns]
        wanted = read_fields([*[f.name for f in fields], *plan.key], record_type, catalogue)
        keys = typed_keys(picked, record_type)
        records = client.read_by_keys(record_type, wanted, list(plan.key), keys.drop(PLACE))
    lease.progress(2, 3, "writing the sheet")
    matched = met(keys, list(plan.key), record_type, records).unique(PLACE, keep="first", maintain_order=True)
    numbers = rows[ROW].gather(matched[PLACE])
    texts = cells_of(fields, matched, record_type, catalogue)
    columns = [
        Filled(
            place_of(profile.places[int(m.column[1:])]),
            f,
            pl.DataFrame([numbers, texts[f"c{at}"].alias("text")]),
        )
        for at, (m, f) in enumerate(plan.columns)
    ]
    missing = rows.filter(~pl.col(ROW).is_in(numbers.implode()))
    not_found = [" ".join(map(str, key)) for key in missing.select(*plan.key).head(_MOST_NAMED).iter_rows()]
    refilled = _Refilled(application, upload, profile, record_type, plan, columns, records, not_found, len(missing))
    formulas = bool(arguments.get("formulas"))
    path, calculated = refilled.write(formulas)
    kept = [] if formulas else calculated
    with lease.writing():
        return refilled.begin_trip(lease.job, path, len(numbers), kept)


@dataclass(frozen=True)
class _Refilled:
    """A file that is filled anew: its columns with their values, the records that they are of, and the keys that found
    none, the first of them named."""

    application: Application
    upload: Upload
    profile: SheetProfile
    record_type: RecordType
    plan: FillPlan
    columns: Sequence[Filled]
    records: pl.DataFrame
    not_found: list[str]
    missing: int

    def write(self, formulas: bool) -> tuple[str, list[str]]:
        """Write the file; where it lies in the data folder, and the cells among those filled that hold formulas."""
        calculated: list[str] = []
        path = f"files/refilled/out-{uuid.uuid4().hex[:12]}.{self.profile.format}"
        with replacing(absolute(path)) as aside:
            if self.profile.format == "xlsx":
                source, sheet = absolute(self.upload.path), self.profile.sheet
                calculated = refill_xlsx(source, aside, sheet, self.columns, formulas=formulas)
            else:
                refill_text(raw_of(self.upload), aside, self.profile, self.columns)
        return path, calculated

    def begin_trip(self, job: Job, path: str, rows: int, kept: list[str]) -> Refilled:
        """Write down a trip that has the file out; what the job tells of it.

        Args:
            kept: the cells that were not filled, since they hold formulas.
        """
        record_type, name = self.record_type, self.upload.name
        records = self.records.unique(IDENTIFIER, keep="first", maintain_order=True)
        if record_type.identifier not in records.columns:
            records = records.with_columns(pl.col(IDENTIFIER).alias(record_type.identifier))
        names = [record_type.identifier, *self.plan.key, *[column.field.name for column in self.columns]]
        picked = Picked((record_type.identifier,), tuple((i,) for i in records[IDENTIFIER].to_list()))
        document = SendOut(record_type.name, tuple(dict.fromkeys(names)), picked=picked, format=self.profile.format)
        trip = Trip.objects.create(
            title=shortened(f"{Path(name).stem}, filled anew", 160),
            application=self.application,
            record_type=record_type.name,
            send_document=document.to_json(),
            selection={"records": len(records), "totals": {}},
            status={"plural": record_type.plural},
            created_by=job.by,
        )
        part = part_of(trip)
        keep_copy(trip, part, records)
        values = {"name": name, "path": path, "rows": rows, "format": self.profile.format}
        sheet = Sheet.objects.create(trip=trip, part=part, direction=Sheet.OUT, added_by=job.by, **values)
        sent = SentSheet(
            sheet.pk, rows, name, sheet.added_at, 1, self.missing, self.not_found, len(kept), kept[:_PLACES]
        )
        update_status(PartView.of(trip), plural=record_type.plural, sent=sent, also_out=[])
        Upload.objects.filter(pk=self.upload.pk).update(trip=trip)
        Job.objects.filter(pk=job.pk).update(trip=trip)
        words = f"Filled {name} anew: {thousands(rows)} rows of {record_type.plural.lower()}"
        note(job.by, "sent out", words, self.application, trip.pk, rows, name)
        return Refilled(
            trip=trip.pk,
            sheet=sheet.pk,
            rows=rows,
            name=name,
            file=path,
            missing=self.missing,
            not_found=self.not_found,
            formulas=len(kept),
            formula_cells=kept[:_PLACES],
        )
