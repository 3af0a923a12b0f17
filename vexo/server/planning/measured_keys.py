"""Keys measured before one is chosen: what each would give."""

from __future__ import annotations

import hashlib
import json
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.utils import timezone
from django.utils.dateparse import parse_datetime

from vexo.core.columns.carried_values import carry
from vexo.core.keys.candidates import (
    Finds,
    KeyFigures,
    candidates,
    measure,
    ranked,
    recommended,
)
from vexo.core.keys.record_keys import check_key
from vexo.core.operations import Operation
from vexo.core.planning.inputs import Settings
from vexo.core.records import Ignored, RecordType
from vexo.core.wording import thousands

from .. import artifacts
from ..applications.services import client_of, describe
from ..errors import PlainError
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..mapping.lookup_tables import tables_of
from ..mapping.mapped_sheet import MappedSheet, known_catalogue
from ..people.models import Person
from ..people.rights import Action, require
from ..trips.facts.keys import KeyCandidate, KeyRows, MeasuredKeys
from ..trips.part_view import PartView
from ..trips.sheets import newest_sheet
from .application_records import MOST_KEYS
from .context import PlanContext, columns_as_kept, newest_plan, reach_text
from .materials import reading_for
from .reach import records_in_reach
from .references import references_of

_KIND = "measure keys"


def start_measuring(
    view: PartView, person: Person, keys: Sequence[Sequence[str]] = (), *, run_here: bool = False
) -> Job:
    """Measure the keys of the newest sheet; asked twice, it is done once.

    Args:
        keys: fields that a person puts together, beside those that suggest themselves.

    Raises:
        NotAllowed, PlainError, UnknownName, RecordKeyError
    """
    require(person, Action.PREPARE)
    context = _context(MappedSheet.of(view, newest_sheet(view), known_catalogue(view.trip.application)))
    for key in keys:
        check_key(key, context.record_type, context.settings.carried)
    wanted_keys = [list(key) for key in keys]
    waiting = view.trip.jobs.filter(
        kind=_KIND, state=Job.QUEUED, arguments__part=view.part, arguments__keys=wanted_keys
    ).first()
    return waiting or enqueue(_KIND, person.username, view, run_here=run_here, keys=wanted_keys)


def measure_keys(lease: Lease) -> dict[str, Any]:
    """The job: every candidate measured on all rows and all records, and kept with what it was measured on."""
    view = PartView.of_lease(lease)
    application = view.trip.application
    with client_of(application, lease.job.by) as client:
        catalogue = describe(application, client)
        context = _context(MappedSheet.of(view, newest_sheet(view), catalogue))
        record_type, names = context.record_type, context.settings.carried
        wanted_keys = [tuple(key) for key in lease.job.arguments["keys"]]
        keys = list(dict.fromkeys([*wanted_keys, *candidates(record_type, names)]))
        if not keys:
            raise PlainError(f"No column goes into a field by which {record_type.plural} could be found.", "columns")
        total = client.count(record_type)
        if total > MOST_KEYS:
            raise PlainError(
                f"{record_type.plural} has {thousands(total)} records: more than {thousands(MOST_KEYS)} are not "
                "measured. Choose a key that the application promises to be unique.",
                "too-many",
            )
        lease.progress(0, len(keys), "reading values")
        reading = reading_for(context, tables_of(context.settings.lanes, catalogue, client))
        lookups = references_of(context, context.cells, reading, client)
        matches = [m for m in context.matches if m.field is not None and m.field.name in names]
        headers = context.headers
        carried = carry(context.cells, matches, record_type, reading, lookups, context.settings.lanes, headers)
        lease.progress(0, len(keys), "asking the application")
        wanted = list(dict.fromkeys(name for key in keys for name in key))
        records = records_in_reach(context, client, wanted)
    read_at = timezone.now()
    figures = []
    for at, key in enumerate(keys):
        lease.progress(at, len(keys), "measuring")
        figures.append(measure(carried, records, key, record_type, context.settings.ignores))
    fresh = uuid.uuid4().hex
    return {
        "trip": view.trip.pk,
        "measured_with": _measured_with(context),
        "read_at": read_at.isoformat(),
        "records": len(records),
        "rows": len(carried),
        "ignores": sorted(context.settings.ignores),
        "asked": [list(key) for key in wanted_keys],
        "figures": [_stored(one) for one in figures],
        "values_path": artifacts.write(carried, artifacts.named(view.trip.pk, "key-values", fresh)),
        "records_path": artifacts.write(records, artifacts.named(view.trip.pk, "key-records", fresh)),
    }


def _context(mapped: MappedSheet) -> PlanContext:
    """What the sheet's keys are measured with; whether a key is chosen yet makes no difference."""
    identifier = mapped.record_type.identifier
    carried = [m.field.name for m in mapped.matches if m.field and (m.carried or m.check or m.field.name == identifier)]
    names = tuple(name for name in carried if "/" not in name)
    settings = Settings(
        Operation.UPDATE,
        (identifier,),
        names,
        mapped.lanes,
        ignores=frozenset(map(Ignored, mapped.trip.ignores)),
        reach=reach_text(mapped.trip, mapped.sheet),
    )
    view, catalogue = mapped.view, mapped.catalogue
    return PlanContext(view, mapped.sheet, catalogue, mapped.record_type, mapped.matches, settings, mapped.edits)


def _measured_with(context: PlanContext) -> str:
    """All that the numbers rest on but the records, as one short text."""
    inputs = [
        context.sheet.pk,
        list(context.edits),
        columns_as_kept(context),
        context.catalogue.version,
        sorted(context.settings.ignores),
        context.settings.reach,
    ]
    return hashlib.sha256(json.dumps(inputs, default=str).encode()).hexdigest()[:16]


def _stored(figures: KeyFigures) -> dict[str, Any]:
    return {
        "fields": list(figures.fields),
        "declared": figures.declared,
        "different": figures.different,
        "distinct": figures.distinct,
        "rows": {finds.value: count for finds, count in figures.rows.items()},
        "records": figures.records,
    }


def _figures(stored: dict[str, Any]) -> KeyFigures:
    rows = {Finds(name): count for name, count in stored["rows"].items()}
    return KeyFigures(
        tuple(stored["fields"]), stored["declared"], stored["different"], stored["distinct"], rows, stored["records"]
    )


@dataclass(frozen=True)
class LastMeasured:
    """What was measured last, and what it would be measured with now."""

    result: dict[str, Any]
    context: PlanContext

    @property
    def current(self) -> bool:
        """Whether it still counts."""
        return bool(self.result["measured_with"] == _measured_with(self.context))


def last_measured(view: PartView) -> LastMeasured | None:
    """What was measured last, whether or not it still counts; nothing where nothing was."""
    job = view.trip.jobs.filter(kind=_KIND, state=Job.DONE, arguments__part=view.part).order_by("id").last()
    if job is None:
        return None
    return LastMeasured(
        job.result or {}, _context(MappedSheet.of(view, newest_sheet(view), known_catalogue(view.trip.application)))
    )


def measured_keys(view: PartView) -> MeasuredKeys:
    """What was measured last, the best first; nothing where nothing was."""
    last, plan = last_measured(view), newest_plan(view)
    size = plan.counts.get("type") if plan is not None else None
    if last is None:
        return MeasuredKeys([], 0, 0, None, [], current=False, type_size=size)
    result, record_type = last.result, last.context.record_type
    known = [one for one in map(_figures, result["figures"]) if all(record_type.find(name) for name in one.fields)]
    is_recognised = last.context.sheet.recognised
    best = recommended(known, record_type, own=is_recognised)
    wanted_keys = [tuple(key) for key in result["asked"]]
    ordered = sorted(ranked(known, record_type, own=is_recognised), key=lambda one: one.fields not in wanted_keys)
    candidates = [_told(one, record_type, one == best, own=is_recognised) for one in ordered]
    read_at = parse_datetime(result["read_at"])
    return MeasuredKeys(candidates, result["rows"], result["records"], read_at, result["ignores"], last.current, size)


def _told(figures: KeyFigures, record_type: RecordType, is_best: bool, *, own: bool) -> KeyCandidate:
    rows = figures.rows
    keyed = sum(rows[finds] for finds in (Finds.ONE, Finds.NONE, Finds.SEVERAL))
    why = (
        f"{thousands(rows[Finds.ONE])} of {thousands(keyed + rows[Finds.BLANK])} rows find one record, and "
        "none finds several."
    )
    return KeyCandidate(
        list(figures.fields),
        [record_type.field(name).label for name in figures.fields],
        figures.declared,
        is_best,
        why if is_best else "",
        _weaker(figures, record_type, own=own),
        figures.different,
        figures.distinct,
        KeyRows(**{finds.value: count for finds, count in rows.items()}),
    )


def _weaker(figures: KeyFigures, record_type: RecordType, *, own: bool) -> str:
    """What is not sure with a key, where anything is."""
    rows, said = figures.rows, []
    if figures.fields == (record_type.identifier,) and not own:
        said.append("The sheet did not go out from here: its record IDs count only if they are this application's.")
    if rows[Finds.SEVERAL]:
        said.append(
            f"{thousands(rows[Finds.SEVERAL])} rows find several records, and are asked which one they are about."
        )
    if not figures.declared:
        said.append(
            "The application does not promise that it is unique: a new record whose answer gets lost stays unclear."
        )
    return " ".join(said)
