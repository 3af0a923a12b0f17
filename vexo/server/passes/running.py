"""A pass: batches out, answers in; what was in doubt is settled by reading; all of it resumable."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

import polars as pl
from django.utils import timezone

from vexo.applications import Application as Client
from vexo.applications.base import NoAnswer
from vexo.core.applying import (
    BATCH_SIZE,
    Answer,
    Write,
    batches,
    changed_meanwhile,
    differences,
    done,
    gone_meanwhile,
    judge,
    writes_of,
)
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import IDENTIFIER, RecordType
from vexo.core.sheets.sheet import ROW

from ..applications.services import client_of, describe
from ..data_folder import absolute
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..jobs.working import Stopped
from ..journal.services import note
from ..trips.kept import keep_copy, moved_on, newest_copy
from ..trips.models import Trip
from .models import Batch, RowNotIn, Run
from .services import OUTCOME_SCHEMA

_ROUNDS = 3


class Pass:
    """One run being sent."""

    def __init__(self, run: Run, lease: Lease, client: Client, record_type: RecordType) -> None:
        self.run, self.lease, self.client, self.type = run, lease, client, record_type
        self.plan = pl.read_parquet(absolute(run.plan))
        self.writes = writes_of(self.plan, run.carried)
        self.reviewed = {
            line[ROW]: line
            for line in self.plan.filter(pl.col(ROW).is_in([w.row for w in self.writes])).iter_rows(named=True)
        }

    def send_all(self) -> None:
        """Every batch in turn; one that went out before without an answer is settled first."""
        past = {batch.number: batch for batch in self.run.batches.all()}
        finished = sum(len(b.answers) for b in past.values() if b.answers is not None)
        for number, some in enumerate(batches(self.writes, BATCH_SIZE)):
            before = past.get(number)
            if before is not None and before.answers is not None:
                continue
            self._obey()
            if before is None:
                with self.lease.writing():
                    batch = Batch.objects.create(run=self.run, number=number, rows=[w.row for w in some])
                answers = self._send(some)
            else:
                batch = before
                answers = self._settle(some)
            self._keep(batch, answers)
            finished += len(answers)
            self.lease.progress(finished, len(self.writes), "sending")

    def _obey(self) -> None:
        if self.lease.wanted == "stop":
            raise Stopped("stopped by a person; what is left can be sent later")

    def _keep(self, batch: Batch, answers: Sequence[Answer]) -> None:
        with self.lease.writing():
            batch.answers = [asdict(answer) for answer in answers]
            batch.answered_at = timezone.now()
            batch.save()

    def _send(self, writes: Sequence[Write], rounds: int = _ROUNDS) -> list[Answer]:
        try:
            answers = self.client.write(self.type, writes)
        except NoAnswer:
            return self._settle(writes, rounds)
        doubtful = {a.row for a in answers if a.state in ("clash", "unclear")}
        if not doubtful:
            return answers
        settled = {a.row: a for a in self._settle([w for w in writes if w.row in doubtful], rounds)}
        return [settled.get(answer.row, answer) for answer in answers]

    def _settle(self, writes: Sequence[Write], rounds: int = _ROUNDS) -> list[Answer]:
        """Read the records that these writes are about, and send again only what certainly is not there."""
        now = self._read_again(writes)
        answers: dict[int, Answer] = {}
        again: list[Write] = []
        for write in writes:
            record = now.get(write.row)
            if write.verdict == Verdict.CREATE:
                if not self.run.key or self.run.key == [self.type.identifier]:
                    answers[write.row] = Answer(
                        write.row,
                        "unclear",
                        reason="The answer never came, and without a key it cannot be told whether it was created.",
                    )
                elif record is not None:
                    answers[write.row] = done(write, record[IDENTIFIER], record["@version"])
                else:
                    again.append(write)
                continue
            judged = judge(write, self.reviewed[write.row], record, self.run.key, self.type)
            if judged.verdict == "done":
                answers[write.row] = done(write, write.identifier, judged.version)
            elif judged.verdict == "gone":
                answers[write.row] = gone_meanwhile(write)
            elif judged.verdict == "changed":
                answers[write.row] = changed_meanwhile(write, judged.fields, self.type)
            else:
                again.append(Write(write.row, write.verdict, write.identifier, judged.version, write.values))
        if again and rounds > 0:
            answers |= {a.row: a for a in self._send(again, rounds - 1)}
        for write in again:
            if write.row not in answers:
                reason = "The application gave no answer that lasts. Look the record up, then send the row again."
                answers[write.row] = Answer(write.row, "unclear", write.identifier, reason=reason)
        return [answers[write.row] for write in writes]

    def _read_again(self, writes: Sequence[Write]) -> dict[int, dict[str, Any]]:
        """Row → the record it is about as it is now, where there is one."""
        fields = list(dict.fromkeys([*self.run.carried, *self.run.key]))
        found: dict[int, dict[str, Any]] = {}
        known = [w for w in writes if w.identifier is not None]
        if known:
            identifiers = pl.DataFrame({self.type.identifier: [w.identifier for w in known]})
            records = self.client.read_by_keys(self.type, fields, [self.type.identifier], identifiers)
            by_id = {line[IDENTIFIER]: line for line in records.iter_rows(named=True)}
            found |= {w.row: by_id[w.identifier] for w in known if w.identifier in by_id}
        new = [w for w in writes if w.identifier is None and all(name in w.values for name in self.run.key)]
        if new and self.run.key:
            keys = self.plan.filter(pl.col(ROW).is_in([w.row for w in new])).select(
                ROW, *[pl.col(f"new.{name}").alias(name) for name in self.run.key]
            )
            records = self.client.read_by_keys(self.type, fields, self.run.key, keys)
            joined = keys.join(records, on=self.run.key, how="inner")
            found |= {line[ROW]: line for line in joined.iter_rows(named=True)}
        return found

    def outcome(self) -> pl.DataFrame:
        """One line a row that was sent."""
        lines = [answer for batch in self.run.batches.all() for answer in batch.answers or []]
        made = [
            [a["row"], a["state"], a["reason"], a["field"], a["code"], a["identifier"], a["version"]] for a in lines
        ]
        return pl.DataFrame(made, schema=OUTCOME_SCHEMA, orient="row")

    def read_back(self, outcome: pl.DataFrame) -> tuple[dict[str, Any], pl.DataFrame, dict[str, list[str]]]:
        """Compare every written field with what was sent; also the records read, and what was written of each."""
        written = outcome.filter(pl.col("state").is_in(["created", "updated"]))
        rows = self.plan.drop(IDENTIFIER, "@version").join(
            written.select(ROW, IDENTIFIER), on=ROW, how="inner", maintain_order="left"
        )
        fields = [self.type.field(name) for name in self.run.carried]
        names = list(dict.fromkeys([*self.run.carried, *self.run.key]))
        identifiers = rows.select(pl.col(IDENTIFIER).alias(self.type.identifier))
        now = self.client.read_by_keys(self.type, names, [self.type.identifier], identifiers)
        wrong = differences(rows, now, fields)
        lost = rows.join(now, on=IDENTIFIER, how="anti")
        by_row = {w.row: list(w.values) for w in self.writes}
        cells = {line[IDENTIFIER]: by_row[line[ROW]] for line in rows.select(ROW, IDENTIFIER).iter_rows(named=True)}
        report = {
            "records": len(rows),
            "as_sent": len(rows) - len(set(wrong[ROW].to_list()) | set(lost[ROW].to_list())),
            "lost": lost[ROW].to_list(),
            "differences": wrong.head(1000).to_dicts(),
        }
        return report, now, cells


def _totals(outcome: pl.DataFrame) -> dict[str, int]:
    names = ("created", "updated", "deleted", "refused", "unclear")
    counts = {str(n): int(c) for n, c in outcome["state"].value_counts().iter_rows()}
    return {name: counts.get(name, 0) for name in names}


def apply(lease: Lease) -> dict[str, Any]:
    """The job: send what the run's plan says, read it back, and write down what became of each row."""
    job: Job = lease.job
    run = Run.objects.get(pk=job.arguments["run"])
    trip: Trip = run.trip
    with lease.writing():
        Run.objects.filter(pk=run.pk).update(state=Run.RUNNING)
    sent = sum(len(batch.answers or []) for batch in run.batches.all())
    lease.progress(sent, run.rows, "asking the application")
    stopped: Stopped | None = None
    with client_of(trip.application) as client:
        catalogue = describe(trip.application, client)
        work = Pass(run, lease, client, catalogue.type(trip.record_type))
        try:
            work.send_all()
        except Stopped as error:
            stopped = error
        outcome = work.outcome()
        lease.progress(len(outcome), len(work.writes), "reading back")
        report, now, cells = work.read_back(outcome)
    relative = f"files/{trip.pk}/outcome-{run.pk}.parquet"
    path = absolute(relative)
    path.parent.mkdir(parents=True, exist_ok=True)
    outcome.write_parquet(path, compression="lz4", row_group_size=16_384)
    kept = newest_copy(trip)
    totals = _totals(outcome)
    not_in = outcome.filter(pl.col("state").is_in(["refused", "unclear"]))
    with lease.writing():
        if kept is not None and cells:
            keep_copy(trip, moved_on(kept, now, cells))
        RowNotIn.objects.filter(run=run).delete()
        RowNotIn.objects.bulk_create(
            RowNotIn(
                run=run,
                row=a["row"],
                state=a["state"],
                reason=a["reason"] or "",
                field=a["field"] or "",
                code=a["code"] or "",
            )
            for a in not_in.iter_rows(named=True)
        )
        run.state, run.outcome, run.totals, run.read_back = (
            (Run.STOPPED if stopped else Run.DONE),
            relative,
            totals,
            report,
        )
        run.ended_at = timezone.now()
        run.save()
        words = ", ".join(f"{count:,} {name}" for name, count in totals.items() if count) or "nothing"
        note(run.by, "applied", f"Pass of trip {trip.pk}: {words}", trip.application, trip.pk, len(outcome))
        trip.save(update_fields=["touched_at"])
    if stopped:
        raise stopped
    return {
        "trip": trip.pk,
        "run": run.pk,
        "outcome": totals,
        "read_back": {k: report[k] for k in ("records", "as_sent")},
    }
