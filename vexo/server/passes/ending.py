"""The end of a pass, or its interruption: what became of each row, written to the ledger."""

from __future__ import annotations

from typing import Any

import polars as pl
from django.utils import timezone

from vexo.core.planning.verdicts import sum_after
from vexo.core.records import RecordType
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.writing import Answer
from vexo.core.writing.answers import FINAL
from vexo.core.writing.ledger import outcome_of, page_of, states_of

from .. import stages
from ..jobs.leases import Lease
from ..journal.services import note
from ..review.figures import reasons
from ..review.plans import record_type_of
from ..stages import StageLost
from ..trips.models import LedgerPage
from ..trips.standing import tell_pass
from .models import Batch, Pass, RowNotIn
from .recording import answer_of, items_of
from .telling import pass_facts


def final_answers(one: Pass, record_type: RecordType, doubts: str = "") -> list[Answer]:
    """All final answers of a pass.

    Args:
        doubts: the code under which rows without an answer count as unclear; empty leaves them out.
    """
    told: list[Answer] = []
    for batch in one.batches.all():
        told += [answer_of(answer, record_type) for answer in batch.answers]
        if doubts and batch.state == Batch.SENT:
            told += [Answer(i.at, "unclear", i.identifier, code=doubts) for i in items_of(batch)]
    return told


def page_frame(one: Pass, record_type: RecordType, answers: list[Answer]) -> tuple[pl.DataFrame, pl.DataFrame]:
    """The pass's plan, and its page of the ledger."""
    fields = [record_type.field(name) for name in one.plan.carried if record_type.find(name)]
    plan, frozen = stages.read(one.plan_file), stages.read(one.rows_file, ["at", ROW_ID])
    return plan, page_of(plan, frozen, outcome_of(answers, fields), fields, one.number)


def end(one: Pass, lease: Lease, state: str, report: dict[str, Any] | None) -> None:
    """Write down how the pass ended: its page of the ledger, its sum, the rows that are not in."""
    record_type = record_type_of(one.plan)
    doubts = "given-up" if state == Pass.GIVEN_UP else "no-answer"
    answers = (report or {}).pop("answers", None) or final_answers(one, record_type, doubts)
    plan, page = page_frame(one, record_type, answers)
    path = stages.keep(page, one.trip_id, f"pass-{one.number}")
    states = states_of(plan, page)
    counts = {str(n): int(c) for n, c in page["state"].drop_nulls().value_counts().iter_rows()}
    one.totals = {name: counts.get(name, 0) for name in FINAL}
    one.sums = sum_after(states["state"], len(plan))
    one.reasons = reasons(states.filter(pl.col("state") != "aside"), record_type)
    warned = int((page["warnings"].list.len() > 0).sum())
    one.state, one.page, one.report = state, path, {**(report or one.report or {}), "warnings": warned}
    one.ended_at = timezone.now() if state not in Pass.OPEN else None
    not_in = page.filter(pl.col("state").is_in(["refused", "unclear"]))
    with lease.writing():
        RowNotIn.objects.filter(of=one).delete()
        RowNotIn.objects.bulk_create(
            [
                RowNotIn(
                    of=one,
                    row_id=line[ROW_ID],
                    row=line[ROW],
                    state=line["state"],
                    code=line["code"] or "",
                    field=line["field"] or "",
                    arguments=line["arguments"] or [],
                )
                for line in not_in.iter_rows(named=True)
            ],
            batch_size=500,
        )
        values = {"path": path, "created": one.totals["created"]}
        LedgerPage.objects.update_or_create(trip=one.trip, number=one.number, defaults=values)
        one.save()
        tell_pass(one.trip, pass_facts(one), revised=True)
        words = ", ".join(f"{count:,} {name}" for name, count in one.totals.items() if count) or "nothing"
        said = f"Pass {one.number} of trip {one.trip_id} {_WORDS[state]}: {words}"
        note(lease.job.by, "applied", said, one.trip.application, one.trip_id, sum(one.totals.values()))


_WORDS = {
    Pass.ENDED: "ended",
    Pass.STOPPED: "was stopped",
    Pass.GIVEN_UP: "was given up",
    Pass.INTERRUPTED: "was interrupted",
}


def interrupt(one: Pass, lease: Lease, reason: str) -> None:
    """The pass cannot go on for now: what is in is told, rows in doubt count as unclear until it goes on."""
    one.reason = reason
    try:
        end(one, lease, Pass.INTERRUPTED, None)
    except (StageLost, OSError):
        # What is in cannot be told now; that the pass waits for a person always can.
        with lease.writing():
            Pass.objects.filter(pk=one.pk).update(state=Pass.INTERRUPTED, reason=reason)
            one.refresh_from_db()
            tell_pass(one.trip, pass_facts(one), revised=True)
