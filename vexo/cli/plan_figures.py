"""What a plan is in figures, on a terminal."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .terminal import console

if TYPE_CHECKING:
    from vexo.server.planning.context import PlanContext
    from vexo.server.planning.models import Plan
    from vexo.server.trips.facts.plans import AbsentFigures


def print_figures(context: PlanContext, plan: Plan, trip: int) -> None:
    """A plan in figures: each column's changes, and what else it says."""
    from vexo.server.planning.not_read import not_read
    from vexo.server.trips.facts import from_json
    from vexo.server.trips.facts.plans import PlanSummary

    out = console()
    for column in plan.summary["columns"]:
        if column["changed"]:
            total = f", sum {column['before']} → {column['after']}" if column["before"] is not None else ""
            out.print(f"  {column['label']}: {column['changed']:,} changed{total}")
        if column["two_way"]:
            out.print(f"  {column['label']}: did not go out, so it is compared with the application only")
    for column in plan.summary["columns"]:
        if column["emptied"]:
            words = f"emptied in the sheet, left as they are; clear them with vexo decide {trip} clear"
            out.print(f"  {column['label']}: {column['emptied']:,} {words} --code emptied --field {column['field']}")
        if column["filled_before"]:
            once = context.record_type.field(column["field"]).create_only
            why = "set only when a record is made" if once else "filled in the application already"
            out.print(f"  {column['label']}: {column['filled_before']:,} left, {why}")
    for sentence in not_read(from_json(plan.summary, PlanSummary), context.record_type):
        out.print(f"  {sentence}")
    for where, count in plan.summary["pointed"].items():
        out.print(f"  {count:,} records point to those to be deleted: {where}")
    for where, count in plan.summary.get("pointed_renames", {}).items():
        out.print(f"  {count:,} records point to those to be renamed: {where}")


def print_absent(absent: AbsentFigures | None, trip: int) -> None:
    """What becomes of records in reach that the sheet does not have, where such may be deleted."""
    if absent is None or not (absent.delete or absent.held or absent.kept):
        return
    out = console()
    sums = f"{absent.delete:,} to delete + {absent.held:,} held + {absent.kept:,} kept"
    out.print(f"Not in the sheet, of {absent.reach:,} records in reach: {sums}")
    for group in absent.groups:
        out.print(f"  {group.count:,} {group.verdict}: {group.says}")
    out.print(f"  List them with: vexo keys {trip} --absent")
