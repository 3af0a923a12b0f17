"""Commands about decisions."""

from __future__ import annotations

import click

from .doing import find_trip, finish, json_option, print_json, ready, row_ids
from .main import Setting
from .showing import print_made
from .trips import print_plan

_ANSWERS = ["file", "application", "aside", "leave out", "then", "now", "record", "new", "again", "clear", "leave"]


@click.command()
@click.argument("trip", type=int)
@click.argument("answer", type=click.Choice(_ANSWERS))
@click.option("--row", "rows", type=int, multiple=True, help="A row, by its number in the sheet; may be given often.")
@click.option("--code", default="", help="All rows that are asked this, by its code (see review --json).")
@click.option("--field", default="", help="Only what is asked about this field.")
@click.option("--record", default="", help="For the answer 'record': its record ID.")
@click.option("--plan", "number", type=int, help="The plan that was seen; the newest by default.")
@json_option
@ready
def decide(
    setting: Setting,
    trip: int,
    answer: str,
    rows: tuple[int, ...],
    code: str,
    field: str,
    record: str,
    number: int | None,
    as_json: bool,
) -> None:
    """Answer what a plan asks: use the FILE's value or the APPLICATION's, set rows ASIDE, LEAVE OUT a cell.

    Where a record has another key than when the sheet went out: the record it was THEN, or the one that has the key
    NOW. Where it is not known whether a row is in: the RECORD that it is, or that it is NEW. AGAIN asks anew. Where a
    cell was emptied in the sheet (code "emptied"): CLEAR the field, or LEAVE it as it is.
    """
    from vexo.server.review.decisions import Scope
    from vexo.server.review.decisions import decide as make
    from vexo.server.review.plans import plan_of

    found = find_trip(trip)
    numbers = row_ids(found, rows)
    seen = number if number is not None else plan_of(found).number
    _, job = make(found, setting.person(), seen, Scope(numbers, code, field), answer, record, mine=True)
    finish(job)
    print_plan(find_trip(trip), as_json)


@click.command()
@click.argument("trip", type=int)
@click.option("--undo", type=int, help="Take this decision back.")
@json_option
@ready
def decisions(setting: Setting, trip: int, undo: int | None, as_json: bool) -> None:
    """List a trip's decisions, newest first, or undo one of them."""
    from vexo.server.review import decisions as service

    found = find_trip(trip)
    if undo is not None:
        finish(service.undo(found, setting.person(), undo, mine=True))
        print_plan(find_trip(trip), as_json)
    listed = service.listed(found)
    if as_json:
        told = [{"id": d.pk, "answer": d.answer, "rows": d.count, "by": d.by, "scope": d.scope} for d in listed]
        print_json({"trip": trip, "decisions": told})
        return
    print_made(
        ("Decision", "Answer", "Rows"), [(d, d.answer) for d in listed], "Nothing has been decided on this trip."
    )
