"""Starting a pass, and what became of every row."""

from __future__ import annotations

import polars as pl
from django.db import IntegrityError, transaction

from vexo.core.planning.verdicts import WRITTEN, sum_after
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW

from ..data_folder import absolute
from ..jobs.models import Job
from ..jobs.working import PlainError, enqueue
from ..trips.models import Sheet, Trip
from ..trips.planning import load, newest_sheet
from .models import Run

DONE = ("created", "updated", "deleted")
OUTCOME_SCHEMA = {
    ROW: pl.UInt32(),
    "state": pl.String(),
    "reason": pl.String(),
    "field": pl.String(),
    "code": pl.String(),
    IDENTIFIER: pl.String(),
    "@version": pl.String(),
}


def to_write(trip: Trip) -> int:
    """How many rows the newest plan would write."""
    verdicts = (trip.summary or {}).get("verdicts", {})
    return sum(verdicts.get(verdict.value, 0) for verdict in WRITTEN)


def is_applied(trip: Trip) -> bool:
    """Whether the newest plan was sent already."""
    return bool(trip.plan) and trip.runs.filter(plan=trip.plan).exists()


def start_run(trip: Trip, by: str, seen: str = "") -> tuple[Run, Job]:
    """A pass of the newest plan, frozen as it was seen.

    Args:
        seen: the plan that the person confirmed; if it is no longer the newest, nothing starts.

    A pass that broke off goes on where it was.

    Raises:
        PlainError: nothing to write, a pass under way, or another plan than the one seen.
    """
    trip.refresh_from_db()
    if not trip.plan:
        raise PlainError(f"Trip {trip.pk} has no plan yet. Bring a sheet in first.")
    if seen and seen != trip.plan:
        raise PlainError("The plan has changed since you saw it. Look at Review again, then apply.")
    unfinished = trip.runs.filter(state__in=[Run.WAITING, Run.RUNNING]).first()
    if unfinished is not None:
        return unfinished, _resume(unfinished, by)
    if is_applied(trip):
        raise PlainError("This plan was sent already. Plan again to see what is left.")
    rows = to_write(trip)
    if not rows:
        raise PlainError("There is nothing to write.")
    planned = load(trip)
    try:
        with transaction.atomic():
            run = Run.objects.create(
                trip=trip,
                sheet=planned.sheet,
                plan=trip.plan,
                key=list(planned.settings.key),
                carried=list(planned.settings.carried),
                rows=rows,
                by=by,
            )
            job = enqueue("apply", by, trip, run=run.pk)
            Job.objects.filter(pk=job.pk).update(total=rows)
    except IntegrityError:
        raise PlainError(f"A pass of trip {trip.pk} is under way already.") from None
    return run, job


def _resume(run: Run, by: str) -> Job:
    """Go on with a pass whose work broke off. Raises PlainError where it is still under way."""
    with transaction.atomic():
        if run.trip.jobs.filter(kind="apply", state__in=Job.OPEN).exists():
            raise PlainError(f"A pass of trip {run.trip.pk} is under way already.")
        return enqueue("apply", by, run.trip, run=run.pk)


def outcomes(trip: Trip, sheet: Sheet) -> pl.DataFrame:
    """The latest outcome of each row of a sheet; what is done stays done, whatever a later pass did not send."""
    parts = [pl.DataFrame(schema=OUTCOME_SCHEMA)]
    parts += [pl.read_parquet(absolute(run.outcome)) for run in trip.runs.filter(sheet=sheet).exclude(outcome="")]
    return pl.concat(parts).unique(ROW, keep="last", maintain_order=True)


def states(trip: Trip) -> pl.DataFrame:
    """What became, or will become, of every row: ``row``, ``state``, ``reason``, ``field``, ``code`` and ``@id``.

    Before a pass the state is the verdict; rows to be written that no pass has sent are ``waiting`` after one.
    """
    sheet = newest_sheet(trip)
    plan = pl.read_parquet(absolute(trip.plan), columns=[ROW, "verdict", "reason", "field", IDENTIFIER])
    past = outcomes(trip, sheet)
    sent = trip.runs.filter(sheet=sheet).exclude(outcome="").exists()
    current = trip.runs.filter(sheet=sheet, plan=trip.plan).exclude(outcome="").exists()
    joined = plan.join(past, on=ROW, how="left", maintain_order="left", suffix=".past")
    is_done = pl.col("state").is_in(DONE).fill_null(value=False)
    to_send = pl.col("verdict").is_in([verdict.value for verdict in WRITTEN])
    told = is_done | (to_send & pl.col("state").is_not_null() & pl.lit(current))
    waiting = pl.lit("waiting") if sent else pl.col("verdict")

    def pick(name: str) -> pl.Expr:
        return pl.when(told).then(pl.col(f"{name}.past")).otherwise(pl.col(name)).alias(name)

    return joined.select(
        ROW,
        pl.when(told).then("state").when(to_send).then(waiting).otherwise("verdict").alias("state"),
        pick("reason"),
        pick("field"),
        pl.when(told).then("code").alias("code"),
        pl.coalesce(f"{IDENTIFIER}.past", IDENTIFIER).alias(IDENTIFIER),
        "verdict",
    )


def sum_after_passes(trip: Trip) -> dict[str, int]:
    """The sum after writing: every row read, in one of its terms."""
    counts = {str(name): int(count) for name, count in states(trip)["state"].value_counts().iter_rows()}
    verdicts = {name: counts.get(name, 0) for name in ("same", "held", "rejected", "aside")}
    return sum_after(verdicts, counts, counts.get("waiting", 0))
