"""What a plan rests on less than it would of a smaller record type, in sentences for whoever reads or approves it."""

from __future__ import annotations

from vexo.core.records import RecordType
from vexo.core.wording import thousands

from ..trips.facts import from_json
from ..trips.facts.plans import PlanSummary
from .context import record_type_of
from .models import Plan


def not_read(summary: PlanSummary, record_type: RecordType) -> list[str]:
    """What was not looked at, since the record type has too many records to read them all; empty where all was."""
    sentences = []
    if summary.keys_not_read:
        many = f"{thousands(summary.keys_not_read)} records are too many to read all their keys"
        sentences.append(f"{many}: one that is only written otherwise may be taken for a new one")
    if summary.patterns_not_read:
        labels = " and ".join(record_type.field(name).label for name in summary.patterns_not_read)
        many = f"{record_type.plural} are too many to read all their values"
        sentences.append(f"{labels}: not looked at for lost figures and days made of codes; {many}")
    return sentences


def not_read_for(plan: Plan) -> list[str]:
    """What was not looked at for a stored plan."""
    summary = from_json(plan.summary, PlanSummary)
    # Mostly all was; then its catalogue need not be read.
    return not_read(summary, record_type_of(plan)) if summary.keys_not_read or summary.patterns_not_read else []
