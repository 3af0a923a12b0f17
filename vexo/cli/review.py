"""The command that shows what a plan would do."""

from __future__ import annotations

from pathlib import Path

import click
import polars as pl

from .common import find_view, json_option, print_json, ready
from .lanes import open_json, print_open
from .main import Setting
from .outputs import written_whole
from .plan_figures import print_absent, print_figures
from .tables import plan_table
from .terminal import console, sum_line
from .trips import end_with, plan_figures


@click.command()
@click.argument("trip", type=int)
@click.option("--all", "everything", is_flag=True, help="Same rows too, and as many as there are.")
@click.option(
    "-o",
    "--output",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Write the plan as a document instead: .xlsx, .csv, .tsv, or .html to print.",
)
@json_option
@ready
def review(setting: Setting, trip: int, everything: bool, output: Path | None, as_json: bool) -> None:
    """Show the verdict of each row, with old and new values; or write it as a document."""
    from vexo.server import artifacts
    from vexo.server.planning.context import PlanContext, plan_of
    from vexo.server.trips.facts import from_json, to_json
    from vexo.server.trips.facts.plans import PlanSummary
    from vexo.server.trips.trip_pages import absent_figures

    view = find_view(trip)
    if output is not None:
        from vexo.server.rows.document import ENDINGS, write_document
        from vexo.server.trips.sheets import downloaded

        with written_whole(output, ENDINGS) as aside:
            write_document(view, aside, setting.person().username)
        downloaded(view.trip, setting.person(), output.name)
        document = {"trip": trip, "plan": plan_of(view).number, "document": str(output)}
        if as_json:
            print_json({**document, **open_json(view)})
        else:
            console().print(
                f"Plan {document['plan']} of trip {trip} is in {output}. Nothing was written to the application."
            )
        print_open(view)
        end_with(view)
    newest = plan_of(view)
    figures = plan_figures(view.trip, newest)
    context = PlanContext.of_plan(newest)
    rows = artifacts.read(newest.path)
    columns_ = newest.summary["columns"]
    absent = absent_figures(from_json(newest.summary, PlanSummary))
    if as_json:
        from vexo.server.rows.export import rows_as_json

        current = newest.revision == view.trip.revision
        answer = {"current": current, "columns": columns_, "absent": to_json(absent), **open_json(view)}
        print_json({**figures, **answer, "lines": rows_as_json(context, rows)})
        print_open(view)
        end_with(view)
    shown = rows if everything else rows.filter(pl.col("verdict") != "same")
    few = shown if everything else _telling(shown)
    out, application = console(), view.trip.application
    out.print(f"{application.get_stage_display().upper()}  {application.label} › {context.record_type.plural}")
    out.print(f"Trip {trip}, {view.trip.title}, plan {newest.number}")
    if newest.revision != view.trip.revision:
        out.print(f"This plan no longer counts: plan it again with vexo plan {trip}")
    out.print(sum_line(figures["rows"], figures["verdicts"]))
    print_figures(context, newest, trip)
    print_absent(absent, trip)
    changed = [c["field"] for c in columns_ if c["changed"] or c["held"] or c["unreadable"]]
    out.print(plan_table(context, few, changed))
    if len(few) < len(rows):
        out.print(f"{len(rows) - len(few):,} rows are not shown; see all with --all.")
    print_open(view)
    end_with(view)


def _telling(plan_: pl.DataFrame, most: int = 12) -> pl.DataFrame:
    """The first rows of each verdict, so that nothing of a kind stays unseen."""
    return plan_.filter(pl.int_range(pl.len()).over("verdict") < most)
