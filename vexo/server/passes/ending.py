"""The end of a pass, or its interruption: what became of each row, written to the ledger."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

import polars as pl
from django.utils import timezone

from vexo.core.planning.absent import BECOMES
from vexo.core.planning.verdicts import AbsentVerdict, sum_after
from vexo.core.records import RecordType
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.writing import WriteResult
from vexo.core.writing.batches import step_of
from vexo.core.writing.ledger import (
    FAULTS_OF_RECORD,
    STATE,
    STATES_OF_PAGE,
    STATES_OF_PLAN,
    absent_page,
    outcome_of,
    page_of,
    states_of,
)
from vexo.core.writing.results import FINAL

from .. import artifacts
from ..artifacts import ArtifactLost
from ..jobs.leases import Lease
from ..journal.services import note
from ..notices.kinds import NoticeKind
from ..notices.services import tell_people
from ..planning.context import record_type_of
from ..planning.figures import reasons
from ..planning.not_read import not_read_for
from ..trips.facts import from_json, to_json
from ..trips.facts.passes import AbsentOutcome, Report
from ..trips.facts.plans import FirstStep, PlanSummary
from ..trips.models import LedgerPage
from .leaving import leave_ledger
from .models import Batch, Pass, RowNotIn
from .read_back_words import words_of_pass
from .recording import items_of, result_of, with_made_records
from .telling import tell


@dataclass(frozen=True)
class Reading:
    """What reading back found, and the answers to the writes, completed by what was read."""

    report: Report
    answers: list[WriteResult]


def final_answers(pass_: Pass, record_type: RecordType, doubts: str = "") -> list[WriteResult]:
    """All final answers of a pass.

    Args:
        doubts: the code under which rows without an answer count as unclear; empty leaves them out.
    """
    write_results: list[WriteResult] = []
    steps = _first_steps(pass_)
    for batch in pass_.batches.all():
        write_results += [result_of(answer, record_type) for answer in batch.answers]
        if doubts and batch.state == Batch.SENT:
            write_results += [WriteResult(i.at, "unclear", i.identifier, code=doubts) for i in items_of(batch)]
    return _of_rows(write_results, steps) if steps else write_results


def _first_steps(pass_: Pass) -> dict[int, tuple[int, FirstStep]]:
    """Place of a first step → the place of its row, and the step (``core.writing.batches.FIRST_STEP``)."""
    steps = {step.row_id: step for step in from_json(pass_.plan.summary, PlanSummary).first_steps}
    if not steps:
        return {}
    places = dict(artifacts.read(pass_.rows_file, [ROW_ID, "at"]).iter_rows())
    return {at: (places[row], steps[row]) for row_id, at in places.items() if (row := step_of(row_id)) is not None}


def _of_rows(answers: list[WriteResult], steps: dict[int, tuple[int, FirstStep]]) -> list[WriteResult]:
    """The answers of rows alone. A row that is not in says why its first step is not, or that its record was left with
    the value of that step."""
    done = {steps[a.at][0]: (a, steps[a.at][1]) for a in answers if a.at in steps}

    def of_row(answer: WriteResult) -> WriteResult:
        if answer.at not in done or answer.state not in ("refused", "unclear"):
            return answer
        first, step = done[answer.at]
        if first.state != "updated":
            return replace(first, at=answer.at)
        return replace(answer, code="left-half-way", field=step.field, arguments=(step.text, *answer.arguments[:1]))

    return [of_row(answer) for answer in answers if answer.at not in steps]


def _write_page(pass_: Pass, record_type: RecordType, answers: list[WriteResult]) -> str:
    """Keep the pass's page of the ledger, made of the plan piece by piece; where."""
    fields = [record_type.field(name) for name in pass_.plan.carried if record_type.find(name)]
    frozen, outcome = artifacts.read(pass_.rows_file, ["at", ROW_ID]), outcome_of(answers, fields)
    with artifacts.Keeping(pass_.trip_id, f"pass-{pass_.number}") as keeping:
        for plan in artifacts.pieces(pass_.plan_file):
            keeping.add(page_of(with_made_records(pass_, plan), frozen, outcome, fields, pass_.number))
        return keeping.settle()


def _absent(pass_: Pass, answers: list[WriteResult], record_type: RecordType) -> None:
    """Write down what became of records that have no row, on the pass; nothing where none could go."""
    if not pass_.absent_file:
        return
    absent, frozen = artifacts.read(pass_.absent_file), artifacts.read(pass_.rows_file, ["at", ROW_ID])
    page = absent_page(absent, frozen, outcome_of(answers, []))
    pass_.absent_page = artifacts.keep_artifact(page, pass_.trip_id, f"pass-{pass_.number}-absent")
    states = {str(state): int(count) for state, count in page[STATE].value_counts().iter_rows()}
    planned = {str(verdict): int(count) for verdict, count in absent[BECOMES].value_counts().iter_rows()}
    no_row = pl.lit(0, pl.UInt32).alias(ROW)
    why = page.select(no_row, pl.col(STATE).alias("state"), pl.col(FAULTS_OF_RECORD).alias("faults"))
    pass_.absent = to_json(
        AbsentOutcome(
            **{name: states.get(name, 0) for name in ("deleted", "refused", "unclear", "waiting")},
            held=planned.get(AbsentVerdict.HELD, 0),
            kept=planned.get(AbsentVerdict.KEPT, 0),
            reasons=reasons(why, record_type),
        )
    )


def end(pass_: Pass, lease: Lease, state: str, reading: Reading | None) -> None:
    """Write down how the pass ended: its page of the ledger, its sum, the rows that are not in."""
    record_type = record_type_of(pass_.plan)
    doubts = "given-up" if state == Pass.GIVEN_UP else "no-answer"
    answers = (reading.answers if reading else []) or final_answers(pass_, record_type, doubts)
    path = _write_page(pass_, record_type, answers)
    page = artifacts.read(path, [*STATES_OF_PAGE, ROW])
    states = states_of(artifacts.read(pass_.plan_file, STATES_OF_PLAN), page)
    _absent(pass_, answers, record_type)
    counts = Counter(str(answer.state) for answer in answers if answer.state in FINAL)
    pass_.totals = {name: counts.get(name, 0) for name in FINAL}
    pass_.sums = sum_after(states["state"], len(states))
    pass_.reasons = to_json(reasons(states.filter(pl.col("state") != "aside"), record_type))
    report = to_json(reading.report) if reading is not None else pass_.report or {}
    warned = int((page["warnings"].list.len() > 0).sum())
    pass_.state, pass_.page, pass_.report = state, path, {**report, "warnings": warned}
    pass_.ended_at = timezone.now() if state not in Pass.OPEN else None
    not_in = page.filter(pl.col("state").is_in(["refused", "unclear"]))
    with lease.writing():
        RowNotIn.objects.filter(of_pass=pass_).delete()
        RowNotIn.objects.bulk_create(
            [
                RowNotIn(
                    of_pass=pass_,
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
        values = {"path": path, "created": pass_.totals["created"]}
        LedgerPage.objects.update_or_create(trip=pass_.trip, number=pass_.number, defaults=values)
        pass_.save()
        leave_ledger(pass_, page)
        tell(pass_, revised=True)
        words = ". ".join([words_of_pass(pass_), *not_read_for(pass_.plan)])
        entry = f"Pass {pass_.number} of trip {pass_.trip_id} {_WORDS[state]}: {words}"
        note(lease.job.by, "applied", entry, pass_.trip.application, pass_.trip_id, sum(pass_.totals.values()))
        tell_of_pass(pass_, words)


_WORDS = {
    Pass.ENDED: "ended",
    Pass.STOPPED: "was stopped",
    Pass.GIVEN_UP: "was given up",
    Pass.INTERRUPTED: "was interrupted",
    Pass.PAUSED: "was paused",
}


def tell_of_pass(pass_: Pass, words: str) -> None:
    """Tell who began a pass, and whose trip it is, how it ended or why it did not."""
    trip = pass_.trip
    sentence = f"Pass {pass_.number} of trip {trip.pk}, {trip.title}, {_WORDS[pass_.state]}: {words}"
    if pass_.state == Pass.INTERRUPTED:
        tell_people(NoticeKind.PASS_INTERRUPTED, [pass_.by, trip.created_by], f"{sentence}. {pass_.reason}", trip.pk)
    elif pass_.state != Pass.PAUSED:
        tell_people(NoticeKind.PASS_ENDED, [pass_.by, trip.created_by], sentence, trip.pk)


def interrupt(pass_: Pass, lease: Lease, reason: str, state: str = Pass.INTERRUPTED) -> None:
    """The pass cannot go on for now, or is not to: what is in is told, rows in doubt count as unclear until it goes
    on."""
    pass_.reason = reason
    try:
        end(pass_, lease, state, None)
    except (ArtifactLost, OSError):
        # What is in cannot be told now; that the pass waits for a person always can.
        with lease.writing():
            Pass.objects.filter(pk=pass_.pk).update(state=state, reason=reason)
            pass_.refresh_from_db()
            tell(pass_, revised=True)
            tell_of_pass(pass_, "what is in cannot be told now")
