"""From a sheet to its plan: cells → carried values → found records → plan, with all that it is made of."""

from __future__ import annotations

import uuid
from contextlib import ExitStack
from dataclasses import dataclass
from typing import Any

import polars as pl

from vexo.applications import Application as Client
from vexo.core.columns.carrying import Reading, carry
from vexo.core.columns.lanes import LaneError
from vexo.core.columns.matching import MappingError
from vexo.core.conditions import read_condition
from vexo.core.keys.finding import KeyError_, normal_key, row_keys
from vexo.core.planning import Inputs, Operation, make_plan
from vexo.core.planning.pairs import Ledger
from vexo.core.records import IDENTIFIER, Kind
from vexo.core.sheets.choosing import left_out
from vexo.core.sheets.outgoing import column_of
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.writing.totals import as_texts

from .. import stages
from ..applications.services import client_of, describe
from ..bringin.columns import ask_again, reading_of
from ..bringin.edits import edits_of
from ..bringin.tables import tables_of
from ..errors import MENDABLE, PlainError
from ..jobs.leases import Lease
from ..journal.services import note
from ..trips.models import Sheet, Trip
from ..trips.parts import records_elsewhere
from ..trips.sheets import kept_records, ledger_of, newest_in
from ..trips.standing import refuse_while_sending, tell
from . import damage
from .decisions import decisions_of
from .figures import figures
from .models import Plan
from .plans import Reviewed, natures_of, newest_plan, settings_for, shape_of
from .recarrying import Edited, carry_on, edited_since
from .references import references_of

_SMALL_TYPE = 10_000
MOST_KEYS = 2_000_000
_MOST_SUMMED = 50_000
_MOST_POINTED = 2_000
_TRIES = 5


@dataclass(frozen=True)
class Materials:
    """Where the stages that a plan is made of are, and what the application was counted to hold."""

    values: str
    records: str
    reading: dict[str, Any]


def _by_identifier(planned: Reviewed, fields: list[str], wanted: pl.Series, client: Client) -> pl.DataFrame:
    """Records by their IDs; texts that can be none are passed over."""
    identifier = planned.record_type.identifier
    own = wanted.drop_nulls().unique()
    if not planned.record_type.field(identifier).quoted:
        own = own.filter(own.str.contains(r"^\d{1,18}$"))
    return client.read_by_keys(planned.record_type, fields, [identifier], own.alias(identifier).to_frame())


def _records_now(
    planned: Reviewed, carried: pl.DataFrame, known: pl.Series, total: int, client: Client
) -> pl.DataFrame:
    """The application's records that rows are or may be about, with all fields the plan compares.

    Args:
        known: IDs of records that rows were about before, by the kept copy, the ledger or a person's word.
    """
    record_type, key = planned.record_type, planned.settings.key
    fields = list(dict.fromkeys([*planned.settings.carried, *planned.settings.checks, *key]))
    if planned.settings.operation == Operation.DELETE:
        fields = [f.name for f in record_type.fields]
    if total <= _SMALL_TYPE or len(carried) * 3 > total:
        return pl.concat(list(client.read(record_type, fields)))
    keys = row_keys(carried, key, record_type).rename({f"key.{name}": name for name in key})
    parts: list[pl.DataFrame] = []
    if key == (record_type.identifier,):
        known = pl.concat([known, keys[key[0]].cast(pl.String)])
        found = pl.DataFrame(schema={IDENTIFIER: pl.String})
    else:
        makes = planned.settings.operation in (Operation.CREATE, Operation.UPSERT)
        if makes and total <= MOST_KEYS:
            known = pl.concat([known, _by_all_keys(planned, keys, client)])
            found = pl.DataFrame(schema={IDENTIFIER: pl.String})
        else:
            found = client.read_by_keys(record_type, fields, key, keys)
            parts = [found]
    missing = known.filter(~known.is_in(found[IDENTIFIER].implode()))
    parts.append(_by_identifier(planned, fields, missing, client))
    return pl.concat(parts).unique(IDENTIFIER, keep="first", maintain_order=True)


def _by_all_keys(planned: Reviewed, keys: pl.DataFrame, client: Client) -> pl.Series:
    """IDs of the records that rows find, by the keys of all records of the type: the application's own exact search may
    miss a key that is only written otherwise (composed accents, spaces at its ends), and a record be made twice."""
    names = list(planned.settings.key)
    every = pl.concat(list(client.read(planned.record_type, names)))
    theirs = every.select(
        IDENTIFIER, *[normal_key(name, planned.record_type.field(name)).alias(name) for name in names]
    ).drop_nulls(names)
    return theirs.join(keys.select(names), on=names, how="semi")[IDENTIFIER]


def _counted(planned: Reviewed, client: Client, total: int) -> dict[str, Any]:
    """How many records the type and the trip's selection have now, and the selection's sums."""
    trip, record_type = planned.trip, planned.record_type
    told: dict[str, Any] = {"type": total}
    makes = planned.settings.operation in (Operation.CREATE, Operation.UPSERT)
    if makes and total > MOST_KEYS and planned.settings.key != (record_type.identifier,):
        told["keys_not_read"] = total
    if trip.sheets.filter(direction="out").exists():
        condition = read_condition(trip.condition, record_type, planned.catalogue)
        count = client.count(record_type, condition) if condition else total
        told["selection"] = {"records": count}
        numbers = [n for n in planned.settings.carried if record_type.field(n).is_number]
        if numbers and count <= _MOST_SUMMED:
            told["selection"]["totals"] = as_texts(client.totals(record_type, numbers, condition))
    return told


def _reading(planned: Reviewed, client: Client | None = None) -> Reading:
    """How the sheet's cells are read; with the tables that its treatments look up in, where an application can be asked
    for them."""
    tables = tables_of(planned.settings.lanes, planned.catalogue, client) if client is not None else {}
    return reading_of(planned.trip, planned.sheet, tables)


def _materials(
    planned: Reviewed, kept: pl.DataFrame | None, ledger: Ledger, said: pl.Series, client: Client, lease: Lease
) -> Materials:
    """Ask the application, and keep what it said and what the rows say."""
    trip, record_type = planned.trip, planned.record_type
    sheet, reading = planned.sheet, _reading(planned, client)
    cells = planned.cells
    lease.progress(1, 4, "reading values")
    counted = [m for m in planned.matches if m.field is None or m.field.name != record_type.identifier]
    if sheet.recognised or record_type.identifier in planned.settings.key:
        counted = planned.matches
    lookups = references_of(planned, cells, reading, client)
    carried = carry(cells, counted, record_type, reading, lookups, planned.settings.lanes, planned.headers)
    lease.progress(2, 4, "asking the application")
    total = client.count(record_type)
    bound = [ledger.rows[IDENTIFIER], said]
    if kept is not None:
        bound.append(kept[IDENTIFIER])
    records = _records_now(planned, carried, pl.concat(bound), total, client)
    fresh = uuid.uuid4().hex
    return Materials(
        stages.write(carried, stages.named(trip.pk, "values", fresh)),
        stages.write(records, stages.named(trip.pk, "records", fresh)),
        _counted(planned, client, total),
    )


def _pages(trip: Trip) -> list[str]:
    """The ledger's pages, each named anew whenever it is written."""
    return list(trip.ledger.order_by("number").values_list("path", flat=True))


def _carried_on(trip: Trip, planned: Reviewed) -> tuple[Plan, Edited] | None:
    """The last plan and what was edited since, where another is made of the same but for that, and no pass has written
    since."""
    last = newest_plan(trip)
    same = (
        last is not None
        and last.sheet_id == planned.sheet.pk
        and last.catalogue == planned.catalogue.version
        and last.lanes == _lanes(planned)
        and last.pages == _pages(trip)
        and last.key == list(planned.settings.key)
        and (planned.settings.operation != Operation.DELETE or last.operation == Operation.DELETE)
        and all(stages.there(path) for path in (last.values, last.records))
    )
    edited = edited_since(planned, last) if same and last is not None else None
    return (last, edited) if last is not None and edited is not None else None


def _reusable(trip: Trip, planned: Reviewed) -> Materials | None:
    """What the last plan was made of, with the cells that were edited since typed anew."""
    found = _carried_on(trip, planned)
    if found is None:
        return None
    last, edited = found
    return Materials(carry_on(planned, last.values, edited, _reading(planned)), last.records, last.reading)


def at_hand(trip: Trip) -> bool:
    """Whether the trip can be planned with what its last plan was made of, without a question to the application."""
    if trip.operation == Operation.DELETE or trip.application.known is None:
        return False
    try:
        return _carried_on(trip, settings_for(trip, trip.application.known)) is not None
    except MENDABLE:
        return False


def _lanes(planned: Reviewed) -> list[dict[str, Any]]:
    return [
        {
            "column": m.column,
            "header": m.header,
            "field": m.field.name if m.field else "",
            "how": m.how,
            "check": m.check,
            "read": m.field is not None and m.field.read_only,
            "rules": planned.settings.lane(m.field.name).to_json() if m.field else {},
        }
        for m in planned.matches
    ]


def _whole(
    planned: Reviewed, plan: pl.DataFrame, records: pl.DataFrame, client: Client | None
) -> tuple[str, dict[str, int]]:
    """The records to be deleted with all their fields, as they were planned with; and how many others point to them."""
    wanted = plan.filter(pl.col("verdict") == "delete")[IDENTIFIER].drop_nulls()
    if wanted.is_empty():
        return "", {}
    whole = records.filter(pl.col(IDENTIFIER).is_in(wanted.implode()))
    path = stages.write(whole, stages.named(planned.trip.pk, "whole", uuid.uuid4().hex))
    pointed: dict[str, int] = {}
    with ExitStack() as stack:
        own = client or stack.enter_context(client_of(planned.trip.application))
        for other in planned.catalogue.types:
            for field in other.fields:
                if field.target != planned.record_type.name or len(wanted) > _MOST_POINTED:
                    continue
                found = own.read_by_keys(other, [field.name], [field.name], wanted.alias(field.name).to_frame())
                if len(found):
                    pointed[f"{other.plural}, {field.label}"] = len(found)
    return path, pointed


def plan_trip(trip: Trip, lease: Lease, fresh: bool) -> Plan:
    """Plan the newest sheet and keep the plan with the trip.

    Args:
        fresh: ask the application for its records now; else those of the last plan are compared again.

    Raises:
        PlainError: while a pass is being sent, whose rows are not known yet.
    """
    sheet = newest_in(trip)
    if sheet is not None and fresh:
        ask_again(trip, sheet, lease)
    for _ in range(_TRIES):
        trip.refresh_from_db()
        refuse_while_sending(trip)
        made = _attempt(trip, lease, fresh)
        if made is not None:
            stages.evict()
            return made
    raise PlainError("The trip is changed faster than it can be planned. Plan it again.")


def _attempt(trip: Trip, lease: Lease, fresh: bool) -> Plan | None:
    """One plan of the trip as it is now; None where it was changed meanwhile."""
    revision = trip.revision
    with ExitStack() as stack:
        client: Client | None = None
        planned = settings_for(trip, None if fresh else trip.application.known)
        materials = None if fresh else _reusable(trip, planned)
        kept = kept_records(trip, planned.sheet.part) if planned.sheet.recognised else None
        ledger, pages, edits = ledger_of(trip), _pages(trip), edits_of(trip)
        decisions, last_decision = decisions_of(trip)
        if materials is None:
            client = stack.enter_context(client_of(trip.application))
            planned = settings_for(trip, describe(trip.application, client))
            said = decisions.filter(pl.col("answer") == "record")["argument"]
            materials = _materials(planned, kept, ledger, said, client, lease)
        lease.progress(3, 4, "comparing")
        carried, records = stages.read(materials.values), stages.read(materials.records)
        here = carried[ROW_ID]
        created = _created_here(trip, ledger)
        inputs = Inputs(
            planned.record_type,
            carried,
            records,
            kept,
            ledger,
            decisions,
            _shown(planned),
            planned.sheet.first_row,
            int((~created.is_in(here.implode())).sum()),
            left_out(planned.cells, planned.profile.columns, trip.only),
            records_elsewhere(trip),
        )
        plan, questions = make_plan(inputs, planned.settings)
        whole, pointed = _whole(planned, plan, records, client)
    total = int(materials.reading.get("type", 0))
    damaged = damage.look(planned, plan, kept, records, _reading(planned), total)
    summary = figures(plan, planned, kept, ledger) | {
        "pointed": pointed,
        "damage": damage.groups(damaged, planned),
        "keys_not_read": materials.reading.get("keys_not_read", 0),
    }
    path = stages.write(plan, stages.named(trip.pk, "plan", uuid.uuid4().hex))
    harmed = stages.write(damaged, stages.named(trip.pk, "damage", uuid.uuid4().hex)) if len(damaged) else ""
    asked = stages.write(questions, stages.named(trip.pk, "questions", uuid.uuid4().hex))
    with lease.writing():
        if Trip.objects.values_list("revision", flat=True).get(pk=trip.pk) != revision:
            return None
        made = Plan.objects.create(
            trip=trip,
            number=(trip.plans.order_by("-number").values_list("number", flat=True).first() or 0) + 1,
            sheet=planned.sheet,
            revision=revision,
            operation=planned.settings.operation,
            key=list(planned.settings.key),
            carried=list(planned.settings.carried),
            lanes=_lanes(planned),
            catalogue=planned.catalogue.version,
            shape=shape_of(planned),
            natures=natures_of(
                planned.record_type,
                {*planned.settings.carried, *planned.settings.checks, *planned.settings.key},
            ),
            last_decision=last_decision,
            pages=pages,
            edits=edits,
            only=trip.only,
            damage=harmed,
            values=materials.values,
            records=materials.records,
            whole=whole,
            path=path,
            questions=asked,
            reading=materials.reading,
            summary=summary,
            made_by=lease.job.by,
        )
        labels = [planned.record_type.field(name).label for name in planned.settings.key]
        tell(trip, plan=plan_facts(made), key={"names": list(planned.settings.key), "labels": labels})
        words = ", ".join(f"{count:,} {name}" for name, count in summary["verdicts"].items() if count)
        note(lease.job.by, "planned", f"Plan {made.number} of trip {trip.pk}: {words}", trip.application, trip.pk)
    return made


def _created_here(trip: Trip, ledger: Ledger) -> pl.Series:
    """Rows of the part that is planned whose records passes made."""
    created = ledger.rows.filter(pl.col("state") == "created")[ROW_ID]
    if trip.parts.count() < 2 or not len(created):
        return created
    sheets = trip.sheets.filter(direction=Sheet.IN, part__number=trip.part).exclude(cells="")
    own = pl.concat([stages.read(sheet.cells, [ROW_ID])[ROW_ID] for sheet in sheets])
    return created.filter(created.is_in(own.implode()))


def _shown(planned: Reviewed) -> dict[str, str]:
    """For each reference the column of the kept copy with which it was written out."""
    names = planned.settings.carried
    fields = [planned.record_type.field(name) for name in names]
    return {f.name: column_of(f, planned.catalogue) for f in fields if f.kind == Kind.REFERENCE}


def plan_facts(plan: Plan) -> dict[str, Any]:
    """A plan as a trip's standing tells it."""
    return {
        "number": plan.number,
        "revision": plan.revision,
        "sheet": plan.sheet_id,
        "summary": plan.summary,
        "made_at": plan.made_at.isoformat(),
    }


def plan(lease: Lease) -> dict[str, Any]:
    """The job: plan anew, after a decision or because the application may have changed. One that ``waits`` makes no
    plan as long as columns or the key are not said."""
    try:
        made = plan_trip(lease.trip, lease, fresh=bool(lease.job.arguments.get("fresh", True)))
    except (KeyError_, MappingError, LaneError):
        if not lease.job.arguments.get("waits"):
            raise
        return {"trip": lease.trip.pk, "plan": None}
    return {"trip": lease.trip.pk, "plan": made.number, "verdicts": made.summary["verdicts"]}
