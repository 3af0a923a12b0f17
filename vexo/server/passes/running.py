"""A pass: batches out, answers in; what is in doubt is settled before anything else goes; all of it resumable."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl
from django.db import OperationalError
from django.utils import timezone
from msgspec import UNSET, UnsetType

from vexo.applications import Client
from vexo.applications.base import NoAnswer
from vexo.core.errors import MendableError
from vexo.core.records import Catalogue
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.wording import thousands
from vexo.core.writing import Write
from vexo.core.writing.batches import AFTER, AT, SECOND_STEP, Item, writes_of
from vexo.core.writing.strategies import Rules, lost_parents, refusal

from .. import artifacts
from ..applications.models import Application
from ..applications.services import client_of, describe
from ..applications.use_rules import off_words, outside_times, rules_of
from ..errors import PlainError, machine_trouble
from ..jobs.ending import PAUSED_BY
from ..jobs.leases import HandedBack, Lease, LeaseLost
from ..jobs.models import Job
from ..jobs.worker import Stopped
from ..naming import names_of
from ..people.models import Person
from ..planning.context import changed_signatures, newest_plan
from ..trips.plan_jobs import enqueue_plan
from .approving import refuse_unapproved_pass
from .ending import Reading, end, interrupt
from .models import Batch, Pass
from .reading_back import read_back
from .record_reader import Reader
from .recording import Follow, Recorder, items_of, with_made_records
from .sending import Interrupted, Sender
from .settling import Settler
from .take_back import Wanted, start_taking_back
from .telling import view_of

MOST_SILENCES = 3
"""Requests in a row without an answer after which a person is told."""
BREAKS_OFF: tuple[type[Exception], ...] = (MendableError, Interrupted, OSError, OperationalError)


class Paused(Exception):
    """A person wants a pass to wait."""


class Run:
    """One pass being sent."""

    def __init__(self, pass_: Pass, lease: Lease, client: Client, catalogue: Catalogue) -> None:
        self.pass_, self.lease = pass_, lease
        self.type = catalogue.type(pass_.trip.record_type)
        promises = catalogue.promises
        self.size = pass_.rows if pass_.atomic else min(promises.batch, pass_.stop_after or promises.batch)
        plan = pass_.plan
        self.carried, self.key, self.checks = list(plan.carried), list(plan.key), plan.checks
        self.recorder = Recorder(pass_, lease, self.type, promises.repeatable)
        self.reader = Reader(client, self.type, [*self.carried, *self.checks], self.key)
        rules = Rules(self.type, self.key, self.type.versioned)
        self.sender = Sender(pass_, client, self.type, self.recorder, self.reader, rules)
        self.sender.on_accepted = self._accepted
        self.settler = Settler(self.sender, pass_.trip.application, promises.repeatable)
        self.silences = 0

    def _accepted(self) -> None:
        application = self.pass_.trip.application
        if not application.repeats:
            Application.objects.filter(pk=application.pk).update(repeats=True)
            application.repeats = True

    def writes(self, items: Sequence[Item]) -> list[Write]:
        """The writes of these items, from the frozen rows."""
        places = pl.Series(sorted(item.at for item in items), dtype=pl.UInt32)
        rows = artifacts.read_rows(self.pass_.rows_file, places)
        return writes_of(with_made_records(self.pass_, rows), self.carried, [*self.key, *self.checks], items)

    def _next(self) -> Batch | None:
        """The batch that goes next: one that is prepared, or the next rows of the plan."""
        waiting = self.pass_.batches.filter(state=Batch.PREPARED).first()
        if waiting is not None or self.pass_.cursor >= self.pass_.rows:
            return waiting
        rows = artifacts.scan(self.pass_.rows_file).slice(self.pass_.cursor, self.size)
        names = [AT, ROW_ID, "verdict", "@id", "@version"]
        marks = [name for name in (SECOND_STEP, AFTER) if name in artifacts.columns_of(self.pass_.rows_file)]
        lines = _together(rows.select(*names, *marks).collect()).select(names)
        items = [
            Item(at, row_id, verdict, identifier, version, self.recorder.number())
            for at, row_id, verdict, identifier, version in lines.iter_rows()
        ]
        return self.recorder.prepare(items)

    def too_many_refused(self) -> bool:
        """Whether so many rows were refused that no further batch is to go, where any would."""
        most = self.pass_.stop_after
        return most is not None and self.waits and self.recorder.refused >= most

    @property
    def waits(self) -> bool:
        """Whether any row was not sent yet."""
        return self.pass_.cursor < self.pass_.rows or self.pass_.batches.filter(state=Batch.PREPARED).exists()

    def outside_times(self) -> str:
        """Why nothing is written by now, in words; empty where it may be."""
        return outside_times(self.pass_.trip.application, self.type, timezone.now())

    def send_all(self) -> bool:
        """Every batch in turn; what is in doubt first. Whether it was stopped before the end, by a person or by the
        pass's own rule.

        Raises:
            Interrupted, ApplicationError: it cannot go on.
            Paused: a person wants it to wait.
            HandedBack: it goes on in another worker.
        """
        while True:
            self.lease.hand_back_if_ending()
            doubtful = self.pass_.batches.filter(state=Batch.SENT).first()
            if doubtful is not None:
                self._listening(lambda batch=doubtful: self.settler.settle(batch, self.writes(items_of(batch))))
                continue
            wanted = self.lease.wanted
            if wanted == "stop" or self.too_many_refused():
                return True
            if wanted == "pause" and self.waits:
                raise Paused
            closed = self.outside_times()
            if closed and self.waits:
                raise Interrupted(closed)
            batch = self._next()
            if batch is None:
                return False
            self._listening(lambda batch=batch: self._send(batch), batch)
            self._progress()

    def _send(self, batch: Batch) -> None:
        """Send a batch, but for rows that refer to a record which was to be made and is not in: these are refused."""
        writes = self.writes(items_of(batch))
        lost = {write.at: lost_parents(write) for write in writes if lost_parents(write)}
        if not lost:
            self.sender.send(batch, writes)
            return
        refusals = [
            refusal(write, "parent-not-in", *next(iter(lost[write.at].items()))) for write in writes if write.at in lost
        ]
        rest = tuple(item for item in items_of(batch) if item.at not in lost)
        self.recorder.answered(batch, refusals, [Follow(rest, Batch.PREPARED)])

    def _listening(self, step: Any, batch: Batch | None = None) -> None:
        """Do a step; silences in a row end the pass, since nothing may go on beside a doubt. So do those of one write,
        however its settling went in between.

        Args:
            batch: what the step sends.
        """
        try:
            step()
            self.silences = 0
        except NoAnswer as error:
            self.silences += 1
            of_one = self.recorder.silent(batch) if batch is not None else 0
            if max(self.silences, of_one) >= MOST_SILENCES:
                raise Interrupted(f"The application gives no answer that lasts. {error}") from error

    def _progress(self) -> None:
        waiting = sum(len(batch.items) for batch in self.pass_.batches.exclude(state=Batch.ANSWERED))
        progress = self.recorder.refusals or "sending"
        self.lease.progress(max(0, self.pass_.cursor - waiting), self.pass_.rows, progress)


def _together(rows: pl.DataFrame) -> pl.DataFrame:
    """Of the next rows those that can go in one batch: up to one that goes through another value, whose first step is
    over by then, or that refers to a record which one of them makes."""
    breaks = pl.Series([False]).new_from_index(0, len(rows))
    if SECOND_STEP in rows.columns:
        breaks |= rows[SECOND_STEP].fill_null(value=False)
    if AFTER in rows.columns and len(rows):
        breaks |= (rows[AFTER] >= rows[AT][0]).fill_null(value=False)
    later = breaks.arg_true()
    later = later.filter(later > 0)
    return rows.head(int(later[0])) if len(later) else rows


@dataclass(frozen=True, slots=True)
class ReadBack:
    """Of so many records that were written, how many are as they were sent."""

    records: int = 0
    as_sent: int = 0


@dataclass(frozen=True, slots=True)
class Applied:
    """What its job tells of a pass: rows by what became of them, and the job that follows, where one does."""

    trip: int
    number: int
    outcome: dict[str, int] | None
    read_back: ReadBack
    next: int | UnsetType = UNSET


def apply(lease: Lease) -> Applied:
    """The job: send what the pass's plan says, read it back, and write down what became of each row."""
    trip = lease.trip
    pass_ = Pass.objects.select_related("plan", "trip__application").get(
        trip=trip, number=lease.job.arguments["number"]
    )
    if pass_.state not in Pass.OPEN:
        return _told(pass_)
    if lease.job.arguments.get("give_up"):
        end(pass_, lease, Pass.GIVEN_UP, None)
        return _told(pass_)
    try:
        stopped, reading, refused = _send(pass_, lease)
        by_rule = stopped and lease.wanted != "stop"
        if by_rule:
            pass_.reason = (
                f"Stopped at {thousands(refused)} refused; it was to stop from {thousands(pass_.stop_after or 0)} on."
            )
        end(pass_, lease, Pass.STOPPED if stopped else Pass.ENDED, reading)
    except (LeaseLost, HandedBack):
        raise
    except Paused:
        lease.job.refresh_from_db(fields=["arguments"])
        by = str(lease.job.arguments.get(PAUSED_BY) or lease.job.by)
        interrupt(pass_, lease, f"Paused by {names_of([by])[by]}.", Pass.PAUSED)
        raise Stopped("paused by a person; it can be gone on with") from None
    except BREAKS_OFF as error:
        # Where all of a machine ends, the application may have gone first.
        lease.hand_back_if_ending()
        problem = machine_trouble(error) or str(error)
        interrupt(pass_, lease, problem)
        raise PlainError(
            f"Pass {pass_.number} was interrupted: {problem}", "interrupted", number=pass_.number
        ) from error
    except Exception:
        interrupt(pass_, lease, "Vexo has made a mistake of its own here. Nothing that was written down is lost.")
        raise
    if stopped and not by_rule:
        raise Stopped("stopped by a person; what is left can be sent later")
    if by_rule and pass_.take_back:
        return _told(pass_, _taken_back(pass_, lease))
    return _told(pass_, _planned_again(pass_, lease))


def _planned_again(pass_: Pass, lease: Lease) -> Job | None:
    """The job that plans anew where a newer plan was made while the pass was interrupted: that one does not know which
    rows are in by now."""
    newest = newest_plan(view_of(pass_))
    if newest is None or newest.pk == pass_.plan_id:
        return None
    here = bool(lease.job.arguments.get("here"))
    return enqueue_plan(lease.job.by, view_of(pass_), run_here=here, fresh=True)


def _taken_back(pass_: Pass, lease: Lease) -> Job | None:
    """The job that prepares the taking back of what a pass wrote that its rule has stopped."""
    person = Person.objects.get(username=lease.job.by)
    try:
        here = bool(lease.job.arguments.get("here"))
        return start_taking_back(view_of(pass_), person, Wanted((pass_.number,)), run_here=here)
    except PlainError:
        return None


def _send(pass_: Pass, lease: Lease) -> tuple[bool, Reading, int]:
    """Whether it was stopped before its end, what reading back found, and how many rows were refused."""
    lease.progress(lease.job.done, pass_.rows, "asking the application")
    with client_of(pass_.trip.application, lease.job.by, writes=True) as client:
        catalogue = describe(pass_.trip.application, client)
        changed = changed_signatures(pass_.plan, catalogue.type(pass_.trip.record_type))
        if changed:
            raise Interrupted(f"The application has changed {', '.join(changed)} since the plan was made.")
        _refuse_by_rules(pass_, catalogue)
        run = Run(pass_, lease, client, catalogue)
        stopped = run.send_all()
        lease.progress(pass_.rows, pass_.rows, "reading back")
        return stopped, read_back(pass_, run.reader, catalogue), run.recorder.refused


def _refuse_by_rules(pass_: Pass, catalogue: Catalogue) -> None:
    """Raises Interrupted where the rules of use no longer let the rest go: it lacks an approval, or is off by now.
    Rows in doubt are settled all the same once the pass goes on, or is given up."""
    trip = pass_.trip
    trip.application.refresh_from_db(fields=["rules"])
    why = refuse_unapproved_pass(pass_)
    if why:
        raise Interrupted(why)
    deny = rules_of(trip.application).of(trip.record_type).deny
    if not deny:
        return
    left = artifacts.scan(pass_.rows_file).slice(pass_.cursor).select("verdict").unique().collect()["verdict"].to_list()
    left += [item.verdict for batch in pass_.batches.filter(state=Batch.PREPARED) for item in items_of(batch)]
    off = sorted(deny.intersection(left))
    if off:
        plural = catalogue.type(trip.record_type).plural
        raise Interrupted(off_words(off[0], plural, trip.application.label))


def _told(pass_: Pass, following: Job | None = None) -> Applied:
    report = pass_.report or {}
    read = ReadBack(report.get("records", 0), report.get("as_sent", 0))
    return Applied(pass_.trip_id, pass_.number, pass_.totals, read, following.pk if following is not None else UNSET)
