"""Commands about passes: apply, outcome."""

from __future__ import annotations

from contextlib import suppress
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import click
import polars as pl

from vexo.core.wording import many

from .common import find_view, finish, json_option, print_json, ready
from .lanes import open_json, print_open
from .main import Setting
from .options import Beside
from .outputs import written_whole
from .terminal import SIGNS, console, sum_line
from .trips import end_with, plan_figures

if TYPE_CHECKING:
    from vexo.server.passes.models import Pass
    from vexo.server.planning.models import Plan
    from vexo.server.trips.facts.plans import PlanSummary
    from vexo.server.trips.models import Trip
    from vexo.server.trips.part_view import PartView

_LEFT = ["refused", "unclear", "held", "rejected"]


def _confirm(trip: Trip, plan: Plan, summary: PlanSummary) -> None:
    """Show what would be written and ask, on the standard error: the standard output is for the answer alone."""
    verdicts = plan.summary["verdicts"]
    absent = summary.absent.delete if summary.absent is not None else 0
    counts = {verdict: verdicts[verdict] for verdict in ("create", "update")} | {"delete": summary.deletes}
    counts = {verdict: count for verdict, count in counts.items() if count}
    words = ", ".join(f"{count:,} to {verdict}" for verdict, count in counts.items())
    application = trip.application
    click.echo(f"{application.get_stage_display().upper()}: {application.label} ({application.name})", err=True)
    click.echo(f"Plan {plan.number}: {sum_line(plan.summary['rows'], verdicts)}", err=True)
    if absent:
        click.echo(f"{absent:,} records that the sheet does not have are deleted with it.", err=True)
    for step in plan.summary.get("first_steps", ()):
        click.echo(f"One row goes through {step['text']!r} in {step['field']} first, so that a circle opens.", err=True)
    if plan.summary["weak"]:
        warning = "Not every record here carries a version: what someone changes in one without in the very moment of"
        click.echo(f"{warning} writing is not noticed.", err=True)
    total = sum(counts.values())
    what = ("change" if absent else "row") + ("" if total == 1 else "s")
    click.confirm(f"Write {total:,} {what} ({words})?", abort=True, err=True)


def _moment(text: str) -> datetime:
    """A time as people say it, in the zone of this machine: of today, or of tomorrow where it has gone by. Raises
    PlainError."""
    from vexo.server.errors import PlainError

    now = datetime.now().astimezone()
    for form in ("%H:%M", "%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M"):
        with suppress(ValueError):
            parsed = datetime.strptime(text.strip(), form)
            if form != "%H:%M":
                return parsed.astimezone()
            today = now.replace(hour=parsed.hour, minute=parsed.minute, second=0, microsecond=0)
            return today if today > now else today + timedelta(days=1)
    raise PlainError(f"Say the time as 20:00, or as 2026-12-01 20:00; not {text!r}.", "at")


def _check_deletes(plan: Plan, deletes: int, number: int | None, *, ask: bool) -> None:
    """That whoever applies a plan knows how many records it deletes: their number is said, or typed where it is asked.

    Raises:
        PlainError: where it is another number, or is not said.
    """
    from vexo.server.errors import PlainError

    records = f"{deletes:,} {'record' if deletes == 1 else 'records'}"
    if number is None and deletes and ask:
        number = click.prompt(f"Type their number to delete {records}", type=int, err=True)
    if number is None and deletes:
        raise PlainError(f"Plan {plan.number} deletes {records}. Say so: --delete {deletes}.", "deletes")
    if number is not None and number != deletes:
        raise PlainError(f"Plan {plan.number} deletes {records}, and not {number:,}. Nothing was sent.", "deletes")


_NEW_PASS = ("number", "deletes", "atomic", "stop_after", "take_back", "carry_on", "at")
"""Options of a pass that begins: one that broke off goes on as it was begun."""


@click.command()
@click.argument("trip", type=int)
@click.option("--plan", "number", type=int, help="The plan that was seen; the newest by default.")
@click.option("--yes", is_flag=True, help="Do not ask.")
@click.option(
    "--delete", "deletes", type=int, metavar="N", help="How many records it deletes; without it that is asked."
)
@click.option("--all-or-nothing", "atomic", is_flag=True, help="Write all rows, or none if one is refused.")
@click.option("--stop-after", type=int, metavar="N", help="Send no further batch once N rows were refused.")
@click.option(
    "--take-back",
    is_flag=True,
    help="With --stop-after: prepare the taking back of what it wrote.",
    cls=Beside,
    only_with=("stop_after",),
)
@click.option(
    "--carry-on",
    is_flag=True,
    help="Send all rows, whatever the trip's route says of refusals.",
    cls=Beside,
    not_with=("stop_after", "take_back"),
)
@click.option("--at", metavar="TIME", default="", help="When it is sent: 20:00, or 2026-12-01 20:00; a worker does it.")
@click.option(
    "--lift",
    default="",
    metavar="WHY",
    help="Without the approval that it needs; administrators alone.",
    cls=Beside,
    not_with=("at",),
)
@click.option(
    "--go-on",
    "going_on",
    type=int,
    metavar="PASS",
    help="Go on with a pass that broke off.",
    cls=Beside,
    not_with=("giving_up", *_NEW_PASS),
)
@click.option(
    "--give-up",
    "giving_up",
    type=int,
    metavar="PASS",
    help="End a pass that broke off; the rest is not sent.",
    cls=Beside,
    not_with=("lift", *_NEW_PASS),
)
@json_option
@ready
def apply(
    setting: Setting,
    trip: int,
    number: int | None,
    yes: bool,
    deletes: int | None,
    atomic: bool,
    stop_after: int | None,
    take_back: bool,
    carry_on: bool,
    at: str,
    lift: str,
    going_on: int | None,
    giving_up: int | None,
    as_json: bool,
) -> None:
    """Write the plan that was seen to the application. It is never planned here."""
    from vexo.server.errors import PlainError
    from vexo.server.passes.scheduling import schedule
    from vexo.server.passes.starting import give_up, go_on, open_pass, start_pass
    from vexo.server.people.rights import applying, require
    from vexo.server.planning.context import plan_of
    from vexo.server.trips.facts import from_json
    from vexo.server.trips.facts.passes import TroubleRule
    from vexo.server.trips.facts.plans import PlanSummary
    from vexo.server.trips.refusal_rules import rule_of_trip, rule_words

    view, person = find_view(trip), setting.person()
    require(person, applying(view.trip.application.stage))
    if going_on is not None or giving_up is not None:
        if going_on is not None:
            _, job = go_on(view, person, going_on, lift=lift, run_here=True)
        else:
            _, job = give_up(view, person, int(giving_up or 0), run_here=True)
        finish(job)
        print_outcome(find_view(trip), as_json)
    unfinished = open_pass(view.trip)
    if unfinished is not None:
        words = f"Pass {unfinished.number} of trip {trip} has not ended. Go on with it, or give it up."
        raise PlainError(words, "pass-open", number=unfinished.number)
    plan = view.trip.plans.filter(number=number).first() if number is not None else plan_of(view)
    if plan is None:
        raise PlainError(f"Trip {trip} has no plan {number}.", "no-plan")
    summary = from_json(plan.summary, PlanSummary)
    if plan.revision == view.trip.revision and not summary.writes:
        print_open(view)
        click.echo(f"Nothing to write: {sum_line(plan.summary['rows'], plan.summary['verdicts'])}.", err=True)
        if as_json:
            nothing = {"outcome": {}, "sum": plan.summary["verdicts"], **open_json(view)}
            print_json({**plan_figures(view.trip, plan), **nothing})
        end_with(view)
    if not yes:
        _confirm(view.trip, plan, summary)
    _check_deletes(plan, summary.deletes, deletes, ask=not yes)
    rule_said = atomic or carry_on or take_back or stop_after is not None
    trouble = TroubleRule(stop_after, take_back) if rule_said else rule_of_trip(view.trip)
    if trouble.stop_after is not None and not rule_said:
        click.echo(f"As said before: {rule_words(trouble)}. Otherwise: --carry-on.", err=True)
    if at:
        when = _moment(at)
        schedule(view, person, plan.number, when, atomic=atomic, trouble=trouble)
        click.echo(
            f"Plan {plan.number} is to be applied at {when:%Y-%m-%d %H:%M %Z}, if it still counts then.", err=True
        )
        if as_json:
            print_json({"trip": trip, "plan": plan.number, "at": when.isoformat()})
        return
    _, job = start_pass(view, person, plan.number, atomic=atomic, trouble=trouble, lift=lift, run_here=True)
    finish(job)
    print_outcome(find_view(trip), as_json)


@click.command()
@click.argument("trip", type=int)
@click.option(
    "--receipt",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Write what became of each row: .xlsx, .csv, .jsonl, .html.",
)
@click.option(
    "--pass",
    "number",
    type=int,
    metavar="N",
    help="With --receipt: what this pass wrote alone.",
    cls=Beside,
    only_with=("receipt",),
)
@click.option("--rejects", type=click.Path(path_type=Path, dir_okay=False), help="Write the rows that are not in.")
@click.option(
    "--absent",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Write what became of records that the sheet does not have.",
)
@click.option(
    "--touched", type=click.Path(path_type=Path, dir_okay=False), help="Write the IDs of the records that were written."
)
@click.option("--by", default="", metavar="COLUMN", help="Show the sum for each value of a column of the sheet.")
@json_option
@ready
def outcome(
    setting: Setting,
    trip: int,
    receipt: Path | None,
    number: int | None,
    rejects: Path | None,
    absent: Path | None,
    touched: Path | None,
    by: str,
    as_json: bool,
) -> None:
    """Show what became of a trip's rows."""
    from vexo.server.errors import PlainError
    from vexo.server.passes.receipts import (
        RECEIPT_ENDINGS,
        TABLE_ENDINGS,
        write_absent_outcome,
        write_receipt,
        write_rejects,
        write_touched,
    )
    from vexo.server.trips.sheets import downloaded

    view = find_view(trip)
    of_passes = partial(write_receipt, number=number)
    files = (
        (of_passes, receipt, RECEIPT_ENDINGS),
        (write_rejects, rejects, TABLE_ENDINGS),
        (write_absent_outcome, absent, TABLE_ENDINGS),
        (write_touched, touched, TABLE_ENDINGS),
    )
    for write, path, endings in files:
        if path:
            try:
                with written_whole(path, endings) as aside:
                    write(view, aside)
            except PlainError as error:
                if error.code != "nothing":
                    raise
                click.echo(f"vexo: {error} {path} was not written.", err=True)
                continue
            downloaded(view.trip, setting.person(), path.name)
    if by:
        _print_groups(view, by, as_json)
    print_outcome(view, as_json)


def _print_groups(view: PartView, header: str, as_json: bool) -> None:
    """The sum for each value of a column, as Review and Outcome show it; its exit code."""
    from vexo.server.rows.groups import group_sums

    groups = group_sums(view, header)
    if as_json:
        print_json({"trip": view.trip.pk, "column": header, "groups": groups})
    for one in () if as_json else groups:
        console().print(f"{one['value'] or '(blank)'}: {sum_line(one['rows'], one['sum'])}")
    print_open(view)
    end_with(view)


_NAMED = 12
"""Rows of which it is told on the terminal what reading back found; the receipt has them all."""


def _print_read_back(sent: Pass) -> None:
    """What reading back a pass found, and the first rows that are not as sent."""
    from vexo.server.passes.read_back_words import report_of_pass, summary_words, words_by_row
    from vexo.server.planning.context import PlanContext

    out, report = console(), report_of_pass(sent)
    for words in summary_words(report):
        out.print(f"Read back: {words}.")
    by_row = words_by_row(report, PlanContext.of_plan(sent.plan).record_type)
    for row, words in by_row[:_NAMED]:
        out.print(f"  row {row:,}: {words}")
    if len(by_row) > _NAMED:
        out.print(f"  … and {len(by_row) - _NAMED:,} more: --receipt names them.")


def print_outcome(view: PartView, as_json: bool) -> None:
    """What the newest pass has done, row by row in the sum; its exit code."""
    trip = view.trip
    from vexo.server.passes.receipts import last_pass, told_states, under_way, words_under_way
    from vexo.server.planning.context import PlanContext

    sent, running = last_pass(view), under_way(view)
    terms, report = sent.sums or {}, sent.report or {}
    if as_json:
        outcome = {
            "trip": trip.pk,
            "pass": sent.number,
            "plan": sent.plan.number,
            "state": sent.state,
            "rows": sent.rows,
        }
        outcome |= {
            "outcome": sent.totals,
            "sum": terms,
            "absent": sent.absent,
            "read_back": report,
            "reason": sent.reason,
            "under_way": running.number if running is not None else None,
        }
        print_json({**outcome, **open_json(view)})
        print_open(view)
        end_with(view, waits=running is not None)
    out = console()
    out.print(f"Trip {trip.pk}, {trip.title}, pass {sent.number} ({sent.state})")
    if running is not None:
        click.echo(f"{words_under_way(running)} That is not in what follows.", err=True)
    if sent.reason:
        out.print(sent.reason)
    out.print(sum_line(sum(terms.values()), terms))
    if sent.absent:
        states = ("deleted", "refused", "unclear", "waiting", "held", "kept")
        out.print(
            "Not in the sheet: " + ", ".join(f"{sent.absent[name]:,} {name}" for name in states if sent.absent[name])
        )
    _print_read_back(sent)
    if report.get("warnings"):
        out.print(f"{many(report['warnings'], 'row', 'rows')} taken with a warning; the words are in the browser.")
    for name, sums in report.get("totals", {}).items():
        label = PlanContext.of_plan(sent.plan).record_type.field(name).label
        out.print(
            f"  {label}: sheet {sums['sheet']}; of the rows written or the same planned {sums['planned']}, "
            f"{sums['before']} → {sums['after']}"
        )
    left = told_states(sent, PlanContext.of_plan(sent.plan)).filter(pl.col("state").is_in(_LEFT))
    for (reason,), rows in left.group_by(["reason"], maintain_order=True):
        numbers = ", ".join(str(row) for row in rows["row"].head(12).to_list()) + ("…" if len(rows) > 12 else "")
        out.print(f"{SIGNS[rows['state'][0]]} {rows['state'][0]}, {len(rows):,}: {reason}  (rows {numbers})")
    print_open(view)
    end_with(view, waits=running is not None)
