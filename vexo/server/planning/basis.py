"""What is known of a trip before its application is asked for a plan."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from vexo.core.planning.merge_base import Ledger
from vexo.core.planning.verdicts import Answer
from vexo.core.records import IDENTIFIER

from ..trips.sheets import kept_records, ledger_of, ledger_pages
from .context import PlanContext, decisions_of


@dataclass(frozen=True)
class Basis:
    """What is known of a trip before its application is asked."""

    context: PlanContext
    kept: pl.DataFrame | None
    ledger: Ledger
    ledger_pages: list[str]
    decisions: pl.DataFrame
    last_decision: int

    @classmethod
    def of(cls, context: PlanContext) -> Basis:
        """The basis of a plan made now."""
        trip = context.trip
        kept = kept_records(trip, context.sheet.part) if context.sheet.recognised else None
        decisions, last = decisions_of(trip)
        pages = ledger_pages(trip)
        return cls(context, kept, ledger_of(pages), pages, decisions, last)

    @property
    def bound_records(self) -> pl.Series:
        """IDs of records that rows were about before: by the kept copy, the ledger or a person's word."""
        by_decision = self.decisions.filter(pl.col("answer") == Answer.RECORD)["argument"]
        by_kept_copy = [self.kept[IDENTIFIER]] if self.kept is not None else []
        return pl.concat([self.ledger.rows[IDENTIFIER], by_decision, *by_kept_copy])
