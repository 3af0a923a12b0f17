"""Commands about trips: bring in, review, apply, outcome."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import polars as pl

from .doing import finish, json_option, me, print_json
from .showing import SIGNS, console, plan_table, sum_line

if TYPE_CHECKING:
    from vexo.server.trips.models import Trip

_FINE = ("create", "update", "same", "delete", "aside", "created", "updated", "deleted", "waiting")


def _trip(number: int) -> Trip:
    from vexo.server.jobs.working import PlainError
    from vexo.server.trips.models import Trip as Trips

    found = Trips.objects.filter(pk=number).first()
    if found is None:
        raise PlainError(f"There is no trip {number}.")
    return found


def _said(maps: tuple[str, ...]) -> dict[str, str]:
    from vexo.server.jobs.working import PlainError

    said = {}
    for entry in maps:
        column, equals, field = entry.rpartition("=")
        if not equals or not column:
            raise PlainError(f"--map {entry!r} should be COLUMN=FIELD, or COLUMN= for a column that is not carried.")
        said[column] = field
    return said


def _exit(terms: dict[str, int]) -> None:
    sys.exit(0 if all(name in _FINE or not count for name, count in terms.items()) else 1)


def _figures(trip: Trip) -> dict[str, Any]:
    summary = trip.summary or {}
    return {"trip": trip.pk, "rows": summary["rows"], "verdicts": summary["verdicts"]}


def _columns(trip: Trip) -> list[str]:
    summary = trip.summary or {}
    return [c["field"] for c in summary["columns"] if c["changed"] or c["held"] or c["unreadable"]]


@click.command("bring-in")
@click.argument("application")
@click.argument("record_type", metavar="TYPE")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--key", "key", multiple=True, help="A key field; several together make one key.")
@click.option("--operation", type=click.Choice(["create", "update", "upsert", "delete"]), default=None)
@click.option("--map", "maps", multiple=True, metavar="COLUMN=FIELD", help="Where a column goes; COLUMN= for nowhere.")
@click.option("--trip", "number", default="", help="The trip it belongs to, or 'new'.")
@click.option("--title", default="", help="The name of a new trip.")
@json_option
def bring_in(
    application: str,
    record_type: str,
    file: Path,
    key: tuple[str, ...],
    operation: str | None,
    maps: tuple[str, ...],
    number: str,
    title: str,
    as_json: bool,
) -> None:
    """Bring a sheet in, up to Review. Nothing is written to the application."""
    from vexo.server.applications.services import find_application
    from vexo.server.jobs.working import PlainError
    from vexo.server.trips.bringing import keep_file, start_bringing_in

    if not file.is_file():
        raise PlainError(f"There is no file {file}. Check its name and folder.")
    found, said = find_application(application), _said(maps)
    kept = keep_file(file, file.name)
    job = start_bringing_in(
        found, record_type, kept, me(), key=key, operation=operation or "", said=said, trip=number, title=title
    )
    trip = _trip(finish(job)["trip"])
    figures = _figures(trip)
    if as_json:
        print_json(figures)
    else:
        console().print(f"Trip {trip.pk}, {trip.title}")
        console().print(sum_line(figures["rows"], figures["verdicts"]))
        console().print(f"Look at it with: vexo review {trip.pk}")
    _exit(figures["verdicts"])


@click.command()
@click.argument("trip", type=int)
@click.option("--all", "everything", is_flag=True, help="Same rows too, and as many as there are.")
@json_option
def review(trip: int, everything: bool, as_json: bool) -> None:
    """Show the verdict of each row, with old and new values."""
    from vexo.server.data_folder import absolute
    from vexo.server.jobs.working import PlainError
    from vexo.server.trips.planning import load

    found = _trip(trip)
    if not found.summary:
        raise PlainError(f"No sheet has come in on trip {trip} yet. Bring one in first.")
    figures = _figures(found)
    planned = load(found)
    plan = pl.read_parquet(absolute(found.plan))
    if as_json:
        from vexo.server.trips.reviewing import rows_as_json

        print_json({**figures, "columns": found.summary["columns"], "lines": rows_as_json(planned, plan)})
        _exit(figures["verdicts"])
    shown = plan if everything else plan.filter(pl.col("verdict") != "same")
    few = shown if everything else _telling(shown)
    out = console()
    out.print(
        f"{found.application.get_stage_display().upper()}  {found.application.label} › {planned.record_type.plural}"
    )
    out.print(f"Trip {trip}, {found.title}")
    out.print(sum_line(figures["rows"], figures["verdicts"]))
    for column in found.summary["columns"]:
        if column["changed"]:
            total = f", sum {column['before']} → {column['after']}" if "before" in column else ""
            out.print(f"  {column['label']}: {column['changed']:,} changed{total}")
    for column in found.summary["columns"]:
        if column["emptied"]:
            said = "emptied in the sheet, left as they are; the mark clear, in square brackets, empties them"
            out.print(f"  {column['label']}: {column['emptied']:,} {said}")
    out.print(plan_table(planned, few, _columns(found)))
    if len(few) < len(plan):
        out.print(f"{len(plan) - len(few):,} rows are not shown; see all with --all.")
    _exit(figures["verdicts"])


def _telling(plan: pl.DataFrame, most: int = 12) -> pl.DataFrame:
    """The first rows of each verdict, so that nothing of a kind stays unseen."""
    return plan.filter(pl.int_range(pl.len()).over("verdict") < most)


@click.command()
@click.argument("trip", type=int)
@click.option("--yes", is_flag=True, help="Do not ask.")
@json_option
def apply(trip: int, yes: bool, as_json: bool) -> None:
    """Write the rows of the plan to the application."""
    from vexo.server.jobs.working import PlainError, enqueue
    from vexo.server.runs.models import Run
    from vexo.server.runs.services import is_applied, start_run, to_write

    found = _trip(trip)
    broken = found.runs.filter(state__in=[Run.WAITING, Run.RUNNING]).exists()
    if not broken and is_applied(found):
        finish(enqueue("plan", me(), found))
        found.refresh_from_db()
    rows = to_write(found)
    if found.summary and not rows and not broken:
        raise PlainError(f"There is nothing to write: {sum_line(found.summary['rows'], found.summary['verdicts'])}.")
    application = found.application
    if not yes:
        words = ", ".join(
            f"{n:,} to {v}"
            for v, n in (found.summary or {})["verdicts"].items()
            if v in ("create", "update", "delete") and n
        )
        click.echo(f"{application.get_stage_display().upper()}: {application.label} ({application.name})")
        click.confirm(f"Write {rows:,} rows ({words})?", abort=True)
    run, job = start_run(found, me(), seen=found.plan)
    finish(job)
    run.refresh_from_db()
    _print_outcome(found, as_json)


@click.command()
@click.argument("trip", type=int)
@click.option("--receipt", type=click.Path(path_type=Path, dir_okay=False), help="Write what became of each row.")
@click.option("--rejects", type=click.Path(path_type=Path, dir_okay=False), help="Write the rows that are not in.")
@json_option
def outcome(trip: int, receipt: Path | None, rejects: Path | None, as_json: bool) -> None:
    """Show what became of a trip's rows."""
    from vexo.server.runs.receipts import write_receipt, write_rejects

    found = _trip(trip)
    if receipt:
        write_receipt(found, receipt)
    if rejects:
        write_rejects(found, rejects)
    _print_outcome(found, as_json)


def _print_outcome(trip: Trip, as_json: bool) -> None:
    from vexo.server.jobs.working import PlainError
    from vexo.server.runs.services import states, sum_after_passes

    run = trip.runs.exclude(outcome="").last()
    if run is None:
        raise PlainError(f"Nothing of trip {trip.pk} has been written yet. See `vexo review {trip.pk}`.")
    terms = sum_after_passes(trip)
    names = ("created", "updated", "deleted", "refused", "unclear")
    if as_json:
        print_json(
            {**_figures(trip), "outcome": {n: terms[n] for n in names}, "sum": terms, "read_back": run.read_back}
        )
        _exit(terms)
    out = console()
    out.print(f"Trip {trip.pk}, {trip.title}")
    out.print(sum_line(run.sheet.rows, terms))
    back = run.read_back or {}
    out.print(f"Read back: {back.get('as_sent', 0):,} of {back.get('records', 0):,} records are as sent.")
    left = states(trip).filter(pl.col("state").is_in(["refused", "unclear", "held", "rejected"]))
    for (reason,), rows in left.group_by(["reason"], maintain_order=True):
        numbers = ", ".join(str(row) for row in rows["row"].head(12).to_list()) + ("…" if len(rows) > 12 else "")
        out.print(f"{SIGNS[rows['state'][0]]} {rows['state'][0]}, {len(rows):,}: {reason}  (rows {numbers})")
    _exit(terms)


COMMANDS = [bring_in, review, apply, outcome]
