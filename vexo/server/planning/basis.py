"""What is known of a trip before its application is asked for a plan."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from vexo.core.planning.decisions import DECISIONS
from vexo.core.planning.guards import GuardCode
from vexo.core.planning.inputs import Inputs
from vexo.core.planning.merge_base import Ledger
from vexo.core.planning.verdicts import Answer
from vexo.core.records import IDENTIFIER, Kind
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.sheets.writers.outgoing import column_of

from .. import artifacts
from ..trips.models import Sheet, Trip
from ..trips.sheets import kept_records, ledger_of, ledger_pages, rows_bound
from .application_records import records_elsewhere
from .context import PlanContext
from .models import Decision


def _answers(decisions: Iterable[Decision]) -> pl.DataFrame:
    parts = [pl.DataFrame(schema=DECISIONS)]
    for decision in decisions:
        cells = artifacts.unpack(decision.cells)
        answer = [pl.lit(decision.answer).alias("answer"), pl.lit(decision.argument).alias("argument")]
        parts.append(cells.with_columns(answer).select(list(DECISIONS)))
    return pl.concat(parts)


def decisions_of(trip: Trip) -> tuple[pl.DataFrame, list[int]]:
    """The answers that are not undone, oldest first, and the numbers of their decisions."""
    decisions = list(trip.decisions.filter(undone_at=None).order_by("id").only("cells", "answer", "argument"))
    return _answers(decisions), [decision.pk for decision in decisions]


def guards_answered(trip: Trip) -> dict[tuple[str, str], int]:
    """Guard of the whole plan, and the field that it is about → the number that a person said is meant."""
    codes = [code.value for code in GuardCode]
    answers = (
        trip.decisions.filter(undone_at=None, scope__code__in=codes).order_by("id").values_list("scope", "argument")
    )
    return {(scope["code"], scope["field"]): int(argument) for scope, argument in answers}


def answers_decided(trip: Trip, numbers: Iterable[int]) -> pl.DataFrame:
    """The answers of these decisions, undone or not (see ``core.planning.decisions.DECISIONS``)."""
    return _answers(trip.decisions.filter(pk__in=list(numbers)).only("cells", "answer", "argument"))


@dataclass(frozen=True)
class Basis:
    """What is known of a trip before its application is asked; ``decision_numbers`` are those of the decisions whose
    answers are ``decisions``."""

    context: PlanContext
    ledger_pages: list[str]
    decisions: pl.DataFrame
    decision_numbers: list[int]

    @classmethod
    def of(cls, context: PlanContext) -> Basis:
        """The basis of a plan made now."""
        decisions, numbers = decisions_of(context.trip)
        return cls(context, ledger_pages(context.trip), decisions, numbers)

    @cached_property
    def ledger(self) -> Ledger:
        """What the trip's passes have done with all its rows."""
        return ledger_of(self.ledger_pages)

    @cached_property
    def kept(self) -> pl.DataFrame | None:
        """The records as they went out, or None for a sheet from elsewhere."""
        sheet = self.context.sheet
        return kept_records(self.context.trip, sheet.part) if sheet.recognised else None

    @property
    def bound_records(self) -> pl.Series:
        """IDs of records that rows were about before: by the kept copy, the ledger or a person's word."""
        by_decision = self.decisions.filter(pl.col("answer") == Answer.RECORD)["argument"]
        by_kept_copy = [self.kept[IDENTIFIER]] if self.kept is not None else []
        return pl.concat([self.ledger.rows[IDENTIFIER], by_decision, *by_kept_copy])

    def inputs(
        self,
        carried: pl.DataFrame,
        records: pl.DataFrame,
        kept: pl.DataFrame | None,
        excluded: pl.DataFrame,
        rows: pl.Series,
        ledger: Ledger,
    ) -> Inputs:
        """What a plan is made of.

        Args:
            carried: the values of the rows that are planned, and ``records`` and ``kept`` those that they need.
            excluded: rows that are left out.
            rows: the numbers of all rows of the sheet.
            ledger: what passes have done with the rows that are planned.
        """
        context = self.context
        created = self._created_here()
        return Inputs(
            context.record_type,
            carried,
            records,
            kept,
            ledger,
            self.decisions,
            _reference_columns(context),
            context.sheet.first_row,
            int((~created.is_in(rows.implode())).sum()) if len(created) else 0,
            excluded,
            records_elsewhere(context.view),
            takes_back=context.trip.takes_back_id is not None,
        )

    def _created_here(self) -> pl.Series:
        """Rows of the part that is planned whose records passes made."""
        trip = self.context.trip
        bound = rows_bound(self.ledger_pages)
        created = bound.filter(pl.col("state") == "created")[ROW_ID]
        if not len(created) or trip.parts.count() < 2:
            return created
        sheets = trip.sheets.filter(direction=Sheet.IN, part__number=self.context.view.part).exclude(cells="")
        rows = pl.concat([artifacts.read(sheet.cells, [ROW_ID])[ROW_ID] for sheet in sheets])
        return created.filter(created.is_in(rows.implode()))


def _reference_columns(context: PlanContext) -> dict[str, str]:
    """For each reference the column of the kept copy with which it was written out."""
    fields = [context.record_type.field(name) for name in context.settings.carried]
    return {f.name: column_of(f, context.catalogue) for f in fields if f.kind == Kind.REFERENCE}
