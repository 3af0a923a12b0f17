"""What a plan is made with, now or when it was made; the newest plan of a trip, and the decisions that count."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import polars as pl
from django.db.models import Subquery

from vexo.core.columns.lanes import check_lane, lanes_from_json
from vexo.core.columns.matches import ColumnMatch, MatchedBy, refuse_conflicts
from vexo.core.documents import ALL, SENT
from vexo.core.guards import GuardSettings
from vexo.core.keys.record_keys import RecordKeyError, check_key
from vexo.core.operations import Operation
from vexo.core.planning.inputs import Settings
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import Catalogue, Field, Ignored, RecordType
from vexo.core.sheets import SheetProfile
from vexo.core.sheets.shape import column_titles

from .. import artifacts
from ..applications.services import describe
from ..applications.use_rules import rules_of
from ..errors import PlainError, Stale
from ..jobs.models import Job
from ..mapping.mapped_sheet import MappedSheet
from ..trips.guards import guards_of
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheet_cells import cells_of
from ..trips.sheets import newest_sheet, sheets_in
from ..trips.status import status_facts
from .models import Plan


@dataclass(frozen=True)
class PlanContext:
    """What a sheet is planned with: its cells, what its columns are, and what its rows are for.

    ``edits`` are the numbers of those that lie over the sheet; ``mapped`` is the sheet as it was mapped for this plan,
    where it was: what was read of it is not read again.
    """

    view: PartView
    sheet: Sheet
    catalogue: Catalogue
    record_type: RecordType
    matches: list[ColumnMatch]
    settings: Settings
    edits: tuple[int, ...]
    mapped: MappedSheet | None = None

    @classmethod
    def of_mapped(cls, mapped: MappedSheet) -> PlanContext:
        """What a mapped sheet is to be planned with.

        Raises:
            PlainError: where no column of it goes anywhere.
            MappingError: where two columns cannot both be carried.
            LaneError: where a lane takes a column that the sheet does not have.
            RecordKeyError: where the key is not in the sheet, or must be said.
        """
        trip, sheet, record_type = mapped.trip, mapped.sheet, mapped.record_type
        headers = list(column_titles(sheet.profile.columns).values())
        for name, lane in mapped.lanes.items():
            check_lane(record_type.field(name), lane, headers)
        refuse_conflicts(mapped.matches, record_type)
        settings = Settings(
            Operation(trip.operation),
            _key_of(mapped),
            tuple(m.field.name for m in mapped.matches if m.field and m.carried),
            mapped.lanes,
            guards_of(trip),
            _checks(mapped.matches),
            _asked(mapped),
            frozenset(map(Ignored, trip.ignores)),
            reach_text(trip, sheet),
            deny=rules_of(trip.application).of(record_type.name).deny,
        )
        return cls(mapped.view, sheet, mapped.catalogue, record_type, mapped.matches, settings, mapped.edits, mapped)

    @classmethod
    def of_now(cls, view: PartView, catalogue: Catalogue | None = None) -> PlanContext:
        """What the newest sheet is to be planned with. Raises what ``of_mapped`` does, and PlainError without a
        sheet."""
        catalogue = catalogue or view.trip.application.known or describe(view.trip.application)
        return cls.of_mapped(MappedSheet.of(view, newest_sheet(view), catalogue))

    @classmethod
    def of_plan(cls, plan: Plan) -> PlanContext:
        """What a plan was made with, as it was then."""
        catalogue = Catalogue.from_json(plan.catalogue_json)
        record_type = catalogue.type(plan.trip.record_type)
        matches = [
            ColumnMatch(
                column["column"],
                column["header"],
                _field(column, record_type, catalogue),
                MatchedBy(column["how"]),
                (),
                column["check"],
            )
            for column in plan.columns
        ]
        lanes = lanes_from_json({column["field"]: column["rules"] for column in plan.columns if column["rules"]})
        settings = Settings(
            Operation(plan.operation),
            tuple(plan.key),
            tuple(plan.carried),
            lanes,
            guards=GuardSettings.from_json(plan.guards),
            checks=_checks(matches),
            ignores=frozenset(map(Ignored, plan.ignores)),
            reach=plan.reach,
            deny=frozenset(map(Verdict, plan.deny)),
        )
        part = plan.sheet.part
        view = PartView.of(plan.trip, part.number if part else 0)
        return cls(view, plan.sheet, catalogue, record_type, matches, settings, tuple(plan.edits))

    @property
    def trip(self) -> Trip:
        """The trip that is planned."""
        return self.view.trip

    @property
    def profile(self) -> SheetProfile:
        """What was found in the sheet's file."""
        return self.sheet.profile

    @property
    def headers(self) -> dict[str, str]:
        """Header → column, for lanes that look at other columns than their own."""
        return {title: column for column, title in column_titles(self.profile.columns).items() if title}

    @property
    def carried_columns(self) -> dict[str, str]:
        """Column → the field that its values go into."""
        return {m.column: m.field.name for m in self.matches if m.field and m.carried and m.column}

    @cached_property
    def cells_path(self) -> str:
        """Where the sheet's cells are, with the edits that counted; made where they are not there."""
        return cells_of(self.sheet, self.edits)

    @cached_property
    def cells(self) -> pl.DataFrame:
        """The sheet's cells, with the edits that counted; read once."""
        return self.mapped.cells if self.mapped is not None else artifacts.read(self.cells_path)


def _key_of(mapped: MappedSheet) -> tuple[str, ...]:
    """The key fields that were said, or that suggest themselves. Raises PlainError, RecordKeyError."""
    sheet, record_type, names = mapped.sheet, mapped.record_type, mapped.field_names
    if not names:
        headers = ", ".join(repr(m.header) for m in mapped.matches[:12])
        raise PlainError(
            f"No column of {sheet.name} is known as a field of {record_type.plural}: {headers}. "
            "Say what goes where, or check which row the header is in.",
            "columns",
        )
    key = mapped.key
    if mapped.trip.operation == Operation.CREATE_UNMATCHED:
        mapped.refuse_keyed()
        return ()
    if not key:
        ways = " or ".join(" + ".join(k) for k in record_type.keys) or record_type.identifier
        raise RecordKeyError(
            f"How rows find their records has to be said: by {ways}. The sheet has: {', '.join(names)}."
        )
    check_key(key, record_type, names)
    if record_type.identifier in key and sheet.origin.get("how") == "elsewhere":
        label = mapped.trip.application.label
        raise RecordKeyError(
            f"This sheet comes from {sheet.origin['label']}: its record IDs are not those of {label}. "
            "Choose another key."
        )
    return key


def reach_text(trip: Trip, sheet: Sheet) -> str:
    """Which records may be touched, as ``Settings`` says it: where nothing is said those that went out, or all."""
    if trip.reach == ALL:
        return ""
    return trip.reach or (SENT if sheet.recognised and trip.kept_copies.exists() else "")


def _asked(mapped: MappedSheet) -> frozenset[str]:
    """The carried fields of which something is asked."""
    fields_asked = {name for name, questions in status_facts(mapped.view).questions.items() if questions}
    return frozenset(fields_asked & {m.field.name for m in mapped.matches if m.field and m.carried})


def _checks(matches: list[ColumnMatch]) -> tuple[str, ...]:
    """The fields that are compared and never written."""
    return tuple(m.field.name for m in matches if m.field and m.check)


def newest_plan(view: PartView) -> Plan | None:
    """The newest plan of the sheet that came in last, if there is one."""
    newest = sheets_in(view.trip, view.part).reverse().values("pk")[:1]
    return view.trip.plans.filter(sheet=Subquery(newest)).order_by("-number").first()


def plan_of(view: PartView) -> Plan:
    """The newest plan. Raises PlainError where the trip has none."""
    trip = view.trip
    plan = newest_plan(view)
    if plan is None and trip.jobs.filter(kind="plan", state__in=Job.OPEN).exists():
        raise PlainError(f"Trip {trip.pk} is being planned just now. Look again in a moment.", "under-way")
    if plan is None:
        raise PlainError(f"Trip {trip.pk} has no plan of its newest sheet yet. Plan it first.", "no-plan")
    return plan


def _field(column: dict[str, Any], record_type: RecordType, catalogue: Catalogue) -> Field | None:
    if not column["field"]:
        return None
    field = catalogue.field(record_type, column["field"])
    return replace(field, read_only=True, required=False) if column["read"] and not field.read_only else field


def record_type_of(plan: Plan) -> RecordType:
    """The record type as the plan was made with."""
    return Catalogue.from_json(plan.catalogue_json).type(plan.trip.record_type)


def catalogue_part(context: PlanContext) -> dict[str, Any]:
    """The part of the catalogue that a plan needs to be read: its type, and those that its columns lead to."""
    led = {m.field.path[0] for m in context.matches if m.field and m.field.path}
    targets = {context.record_type.field(name).target for name in led} - {context.record_type.name}
    types = [context.record_type, *[t for t in context.catalogue.types if t.name in targets]]
    return replace(context.catalogue, types=tuple(types)).to_json()


def columns_as_kept(context: PlanContext) -> list[dict[str, Any]]:
    """The sheet's columns with their fields and lanes, as a plan keeps them."""
    return [
        {
            "column": m.column,
            "header": m.header,
            "field": m.field.name if m.field else "",
            "how": m.how,
            "check": m.check,
            "read": m.field is not None and m.field.read_only,
            "rules": context.settings.lane(m.field.name).to_json() if m.field else {},
            **({"asked": True} if m.field and m.field.name in context.settings.asked else {}),
        }
        for m in context.matches
    ]


def signatures_of(record_type: RecordType, names: set[str]) -> dict[str, str]:
    """How the values of these fields are read and compared, by the catalogue."""
    return {name: record_type.field(name).signature for name in sorted(names)}


def changed_signatures(plan: Plan, record_type: RecordType) -> list[str]:
    """Labels of carried and key fields that the application has changed, or lost, since the plan was made."""
    changed = []
    for name, signature in plan.field_signatures.items():
        field = record_type.find(name)
        if field is None or field.signature != signature:
            changed.append(field.label if field else name)
    return changed


def seen_plan(view: PartView, number: int) -> Plan:
    """The plan that a person looked at, if it still counts. Raises Stale with the newer one's number."""
    trip = view.trip
    newest = newest_plan(view)
    plan = trip.plans.filter(number=number).first()
    if plan is None or plan.revision != trip.revision:
        current = newest.number if newest and newest.revision == trip.revision else None
        raise Stale("The plan has changed since you saw it. Look at the newer one, then decide.", {"plan": current})
    return plan
