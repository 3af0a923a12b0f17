"""Commands about a trip's sheet: edit it, undo edits, its counts and totals, which rows are carried."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

import click

from vexo.core.wording import many

from .common import find_view, finish, json_option, print_json, ready, row_ids
from .main import Setting
from .options import Beside, refuse_twice
from .terminal import console, plain_table, print_made

if TYPE_CHECKING:
    from vexo.server.edits.lapsed import Lapsed
    from vexo.server.trips.part_view import PartView


def _column(view: PartView, said: str) -> str:
    """A column by its header, its field, or its letters. Raises PlainError."""
    from vexo.server.errors import PlainError
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.status import status_facts

    columns = to_json(status_facts(view).columns)
    for name in ("header", "field", "label", "column"):
        matching = {c["column"] for c in columns if c[name] == said and c["column"]}
        if len(matching) == 1:
            return str(matching.pop())
    words = ", ".join(dict.fromkeys(repr(c["header"]) for c in columns if c["column"])) or "none"
    raise PlainError(f"The sheet has no column {said!r}, or more than one. Its columns are: {words}.")


@click.command()
@click.argument("trip", type=int)
@click.option("--row", type=int, help="A row, by its number in the sheet.", cls=Beside, not_with=("find",))
@click.option("--column", default="", help="A column, by its header or field; with --find, empty for all.")
@click.option(
    "--value", help="The text that is to stand there; empty for a blank cell.", cls=Beside, not_with=("down", "find")
)
@click.option(
    "--down",
    type=int,
    metavar="ROWS",
    help="Fill the row's cell into so many rows below it.",
    cls=Beside,
    not_with=("find",),
)
@click.option("--find", help="With --replace: find this in the cells of the column …", cls=Beside, only_with=("put",))
@click.option(
    "--replace",
    "put",
    default="",
    help="With --find: … and put this in its place; empty to take it out.",
    cls=Beside,
    only_with=("find",),
)
@click.option(
    "--pattern",
    is_flag=True,
    help="With --find: it is a regular expression; $1 in --replace is its first group.",
    cls=Beside,
    only_with=("find",),
)
@click.option("--whole", is_flag=True, help="With --find: it is the whole cell.", cls=Beside, only_with=("find",))
@click.option(
    "--repair",
    is_flag=True,
    help="Put back what a spreadsheet damaged, where it is known.",
    cls=Beside,
    not_with=("row", "value", "down", "find"),
)
@json_option
@ready
def edit(
    setting: Setting,
    trip: int,
    row: int | None,
    column: str,
    value: str | None,
    down: int | None,
    find: str | None,
    put: str,
    pattern: bool,
    whole: bool,
    repair: bool,
    as_json: bool,
) -> None:
    """Edit the cells of a trip's newest sheet; the rows are planned anew. The file stays as it came.

    The text of one cell: --row, --column, --value. Down a column: --row, --column, --down. Everywhere: --find.
    """
    from vexo.core.sheets.overlay.edits import Replacement
    from vexo.server.errors import PlainError
    from vexo.server.planning.context import plan_of
    from vexo.server.rows.edit_requests import EditRequest, make_edit

    from .trips import print_plan

    view = find_view(trip)
    name = _column(view, column) if column else ""
    if repair:
        edit_request = EditRequest("repair", column=name, plan=plan_of(view).number)
    elif find is not None:
        edit_request = EditRequest("replace", column=name, replace=Replacement(find, put, pattern=pattern, whole=whole))
    elif row is None or not name or (value is None) == (down is None):
        raise PlainError("Say --row, --column and --value; --row, --column and --down; --find; or --repair.")
    elif down is not None:
        edit_request = EditRequest("fill", row_ids(view, [row])[0], name, rows=down)
    else:
        edit_request = EditRequest("cell", row_ids(view, [row])[0], name, text=value)
    _, job = make_edit(view, setting.person(), edit_request, run_here=True)
    finish(job)
    print_plan(find_view(trip), as_json)


@click.command()
@click.argument("trip", type=int)
@click.option("--undo", type=int, help="Take this edit back.")
@json_option
@ready
def edits(setting: Setting, trip: int, undo: int | None, as_json: bool) -> None:
    """List the edits that lie over a trip's sheet, newest first, or undo one of them."""
    from vexo.server.trips.models import Edit

    view = find_view(trip)
    if undo is not None:
        from vexo.server.edits import edits as service

        from .trips import print_plan

        finish(service.undo(view, setting.person(), undo, run_here=True))
        print_plan(find_view(trip), as_json)
    listed = Edit.listed(view.trip)
    lapsed: dict[int, Lapsed] = {}
    # Files are read only where a newer sheet came in.
    if listed and view.trip.sheets.filter(direction="in", id__gt=min(e.sheet_id for e in listed)).exists():
        from vexo.server.edits.lapsed import lapsed_of

        lapsed = lapsed_of(view, listed)
    if as_json:
        listing = [
            {"id": e.pk, "kind": e.kind, "words": e.words, "cells": e.count, "by": e.by}
            | ({"lapsed": lapsed[e.pk].count, "why": lapsed[e.pk].why} if e.pk in lapsed else {"lapsed": 0, "why": ""})
            for e in listed
        ]
        print_json({"trip": trip, "edits": listing})
        return
    lines = [(e, f"{e.words}\n{lapsed[e.pk].why}" if e.pk in lapsed else e.words) for e in listed]
    print_made(("Edit", "What", "Cells"), lines, "Nothing has been edited on this trip.")


@click.command()
@click.argument("trip", type=int)
@click.option("--expect-rows", type=int, help="How many rows the sheet should have.")
@click.option("--expect", multiple=True, metavar="COLUMN=SUM", help="The sum it should have; COLUMN= forgets it.")
@json_option
@ready
def totals(setting: Setting, trip: int, expect_rows: int | None, expect: tuple[str, ...], as_json: bool) -> None:
    """Counts and control totals of a trip's sheet, beside what is planned and what was written.

    Exit 1 where something expected does not agree.
    """
    from vexo.server.edits.row_filter import expect as say
    from vexo.server.errors import PlainError
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.trip_pages import totals_of

    view = find_view(trip)
    refuse_twice("column", {"--expect": [entry.rpartition("=")[0] for entry in expect]})
    sums = {}
    for entry in expect:
        column, equals, text = entry.rpartition("=")
        if not equals:
            raise PlainError(f"--expect {entry!r} should be COLUMN=SUM.")
        sums[column] = text
    if expect_rows is not None or sums:
        rows = {} if expect_rows is None else {"rows": expect_rows}
        say(view, setting.person(), sums=sums, **rows)
    totals_json = to_json(totals_of(find_view(trip)))
    if as_json:
        print_json({"trip": trip, **totals_json})
    else:
        table = plain_table("Column", "Filled", "Different", "Sum", "Least", "Greatest")
        for one in totals_json["columns"]:
            counts = [f"{one[name]:,}" for name in ("filled", "different")]
            table.add_row(one["header"], *counts, one["sum"], one["least"], one["greatest"])
        out = console()
        out.print(many(totals_json["rows"], "row", "rows"))
        out.print(table)
        for name, sums_ in totals_json["fields"].items():
            unread = sums_.pop("unread")
            texts = [f"{what} {text}" for what, text in sums_.items() if text is not None]
            cells = "1 cell that cannot be read" if unread == 1 else f"{unread:,} cells that cannot be read"
            out.print(f"{name}: {', '.join(texts)}" + (f" (without {cells})" if unread else ""))
        for one in totals_json["expected"]:
            agrees = "agrees" if not one["off"] else f"is {one['now'] or 'no number'}, off by {one['off']}"
            out.print(f"Expected {one['what'] or 'rows'} {one['expected']}: {agrees}")
    sys.exit(1 if any(one["off"] for one in totals_json["expected"]) else 0)


@click.command()
@click.argument("trip", type=int)
@click.option("--where", help="Carry only rows for which this holds, on the sheet's own columns; empty for all rows.")
@click.option("--leave-out", type=int, multiple=True, metavar="ROW", help="Leave this row out.")
@click.option("--take-in", type=int, multiple=True, metavar="ROW", help="Do not leave this row out any more.")
@json_option
@ready
def only(
    setting: Setting, trip: int, where: str | None, leave_out: tuple[int, ...], take_in: tuple[int, ...], as_json: bool
) -> None:
    """Carry only some rows of a trip's sheet; the others are set aside.

    Where nothing is said, it is told which are carried.
    """
    from vexo.server.edits.row_filter import carry_only, words_of

    from .trips import print_plan

    view = find_view(trip)
    if where is None and not leave_out and not take_in:
        row_filter = view.trip.row_filter
        told = {"trip": trip, "condition": row_filter.get("condition", ""), "left_out": row_filter.get("left_out", [])}
        print_json(told) if as_json else console().print(f"Trip {trip} carries {words_of(row_filter)}.")
        return
    refuse_twice("row", {"--leave-out": map(str, {*leave_out}), "--take-in": map(str, {*take_in})})
    out, taken = (row_ids(view, rows) for rows in (leave_out, take_in))
    finish(carry_only(view, setting.person(), condition=where, leave_out=out, take_in=taken, run_here=True))
    print_plan(find_view(trip), as_json)
