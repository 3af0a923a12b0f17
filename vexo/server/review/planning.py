"""From a sheet to its plan: cells → carried values → found records → plan, each kept as a stage."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import Any

import polars as pl

from vexo.applications import Application as Client
from vexo.core.columns.carrying import Reading, carry, cell_texts
from vexo.core.columns.matching import ColumnMatch
from vexo.core.columns.references import different, key_texts, make_lookup, naming_fields
from vexo.core.keys.finding import KeyError_, check_key, row_keys, suggest_key
from vexo.core.planning import Inputs, Operation, Settings, make_plan
from vexo.core.planning.comparing import do_column, new_column, old_column
from vexo.core.planning.planning import DECISIONS
from vexo.core.planning.verdicts import Do, sum_of
from vexo.core.records import Catalogue, Kind, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.values import dtype

from ..applications.services import client_of, describe
from ..data_folder import absolute, stage_path
from ..jobs.leases import Lease
from ..jobs.working import PlainError
from .kept import newest_copy
from .models import Sheet, Trip
from .recognising import was_delimited

_SMALL_TYPE = 10_000


@dataclass(frozen=True)
class Planned:
    """A trip's newest sheet with all that its plan is made of."""

    trip: Trip
    sheet: Sheet
    profile: SheetProfile
    catalogue: Catalogue
    record_type: RecordType
    matches: list[ColumnMatch]
    settings: Settings

    @property
    def cells(self) -> pl.DataFrame:
        return pl.read_parquet(absolute(self.sheet.cells))


def newest_sheet(trip: Trip) -> Sheet:
    """The sheet that came in last. Raises PlainError where none has."""
    sheet = trip.sheets.filter(direction=Sheet.IN).last()
    if sheet is None:
        raise PlainError(f"No sheet has come in on trip {trip.pk} yet. Bring one in first.")
    return sheet


def load(trip: Trip, catalogue: Catalogue | None = None) -> Planned:
    """What the trip's newest sheet is to be read as.

    Raises:
        PlainError: where no sheet has come in.
        KeyError_: where the key is not in the sheet, or must be said.
    """
    sheet = newest_sheet(trip)
    catalogue = catalogue or trip.application.known or describe(trip.application)
    record_type = catalogue.type(trip.record_type)
    matches = [
        ColumnMatch(m.column, m.header, catalogue.field(record_type, m.field) if m.field else None, m.how)
        for m in sheet.mappings.order_by("id")
    ]
    there = [m.field.name for m in matches if m.field]
    key = tuple(trip.key) or suggest_key(record_type, there)
    if key is None:
        ways = " or ".join(" + ".join(k) for k in record_type.keys) or record_type.identifier
        raise KeyError_(
            f"How rows find their records has to be said: --key with {ways}. The sheet has: {', '.join(there)}."
        )
    check_key(key, record_type, there)
    carried = tuple(m.field.name for m in matches if m.field and m.carried)
    settings = Settings(Operation(trip.operation), key, carried)
    profile = SheetProfile.from_json(sheet.profile or {})
    return Planned(trip, sheet, profile, catalogue, record_type, matches, settings)


def _lookups(planned: Planned, cells: pl.DataFrame, reading: Reading, client: Client) -> dict[str, pl.DataFrame]:
    """For each type that a carried column refers to: the records its texts name."""
    texts: dict[str, list[pl.Series]] = {}
    for match in planned.matches:
        if match.carried and match.field and match.field.kind == Kind.REFERENCE and match.field.target:
            texts.setdefault(match.field.target, []).append(cell_texts(cells, match, reading))
    lookups = {}
    for name, columns in texts.items():
        target = planned.catalogue.type(name)
        wanted = different(columns)
        found: dict[str, pl.DataFrame] = {}
        for by in naming_fields(target):
            field = target.field(by)
            plain = wanted.filter(wanted.str.contains(r"^\d{1,18}$")) if not field.quoted else wanted
            if by != target.identifier and plain.len() and found:
                known = pl.concat([frame[n] for n, frame in found.items()])
                plain = plain.filter(~plain.is_in(known.implode()))
            if plain.len():
                values = plain.alias(by).cast(dtype(field), strict=False).to_frame()
                found[by] = client.read_by_keys(target, [by], [by], values)
        lookups[name] = make_lookup(key_texts(wanted), target, found)
    return lookups


def _records_now(planned: Planned, carried: pl.DataFrame, kept: pl.DataFrame | None, client: Client) -> pl.DataFrame:
    """The application's records that rows may be about, with all fields the plan compares."""
    record_type, key = planned.record_type, planned.settings.key
    fields = list(dict.fromkeys([*planned.settings.carried, *key]))
    total = client.count(record_type)
    if total <= _SMALL_TYPE or len(carried) * 3 > total:
        return pl.concat(list(client.read(record_type, fields)))
    keys = row_keys(carried, key, record_type).rename({f"key.{name}": name for name in key})
    if not record_type.field(key[0]).quoted and record_type.field(key[0]).kind == Kind.TEXT:
        keys = keys.filter(pl.col(key[0]).str.contains(r"^\d{1,18}$"))
    return client.read_by_keys(record_type, fields, key, keys)


def decisions_of(trip: Trip) -> pl.DataFrame:
    """The answers that count, oldest first."""
    rows = trip.decisions.filter(undone=False).values_list("row", "field", "answer")
    return pl.DataFrame([(r, f or None, a) for r, f, a in rows], schema=DECISIONS, orient="row")


def _total(values: pl.Series) -> Decimal:
    return Decimal(str(values.sum() or 0))


def _figures(plan: pl.DataFrame, planned: Planned) -> dict[str, Any]:
    """The plan in figures: the sum, and each column's changes."""
    columns = []
    for name in planned.settings.carried:
        field = planned.record_type.field(name)
        changed = plan.filter((pl.col(do_column(name)) == Do.WRITE) & pl.col("verdict").is_in(["create", "update"]))
        figures: dict[str, Any] = {
            "field": name,
            "label": field.label,
            "changed": len(changed),
            "held": int((plan[do_column(name)] == Do.HELD).sum()),
            "unreadable": int((plan[do_column(name)] == Do.BAD).sum()),
            "emptied": int(plan[f"emptied.{name}"].sum()),
        }
        if field.is_number:
            after, before = _total(changed[new_column(name)]), _total(changed[old_column(name)])
            figures |= {"before": str(before), "after": str(after), "difference": str(after - before)}
        columns.append(figures)
    verdicts = sum_of(plan["verdict"], planned.sheet.rows)
    return {
        "rows": planned.sheet.rows,
        "blank_rows": planned.profile.blank_rows,
        "total_rows": len(planned.profile.total_rows),
        "verdicts": verdicts,
        "elsewhere": int(plan["elsewhere"].sum()),
        "columns": columns,
        "key": list(planned.settings.key),
    }


def plan_trip(trip: Trip, lease: Lease, client: Client | None = None, fresh: bool = True) -> dict[str, Any]:
    """Plan the newest sheet and keep the plan with the trip.

    Args:
        fresh: ask the application for its records now; else those of the last plan are compared again.
    """
    catalogue = client.describe() if client else trip.application.known
    planned = load(trip, catalogue)
    kept = newest_copy(trip) if planned.sheet.recognised else None
    reading = Reading(marks=planned.sheet.recognised, prefixed=planned.sheet.recognised and was_delimited(trip))
    matched = [(m.column, m.field.name if m.field else None) for m in planned.matches]
    carried_path = stage_path(trip.pk, "carried", planned.sheet.pk, planned.catalogue.version, matched, reading)
    now_path = f"stages/{trip.pk}/now-{planned.sheet.pk}.parquet"
    if fresh or not absolute(carried_path).exists() or not absolute(now_path).exists():
        if client is None:
            with client_of(trip.application) as own:
                return plan_trip(trip, lease, own, fresh=True)
        cells = planned.cells
        lease.progress(1, 4, "reading values")
        carried = carry(cells, planned.matches, planned.record_type, reading, _lookups(planned, cells, reading, client))
        lease.progress(2, 4, "asking the application")
        now = _records_now(planned, carried, kept, client)
        _write(carried, carried_path)
        _write(now, now_path)
    else:
        carried, now = pl.read_parquet(absolute(carried_path)), pl.read_parquet(absolute(now_path))
    lease.progress(3, 4, "comparing")
    decisions = decisions_of(trip)
    plan = make_plan(Inputs(planned.record_type, carried, now, kept, decisions), planned.settings)
    summary = _figures(plan, planned)
    made_of = (planned.settings, planned.sheet.pk, decisions.hash_rows().to_list(), plan.hash_rows().sum())
    path = stage_path(trip.pk, "plan", *made_of)
    _write(plan, path)
    with lease.writing():
        trip.plan, trip.summary = path, summary
        trip.version += 1
        trip.save(update_fields=["plan", "summary", "version", "touched_at"])
    return summary


def _write(frame: pl.DataFrame, relative: str) -> None:
    target = absolute(relative)
    part = target.with_suffix(".part")
    frame.write_parquet(part, compression="lz4", row_group_size=16_384)
    part.replace(target)


def replan(lease: Lease) -> dict[str, Any]:
    """The job: plan anew, after a decision or because the application may have changed."""
    return plan_trip(lease.trip, lease, None, fresh=bool(lease.job.arguments.get("fresh", True)))
