"""Commands about decisions."""

from __future__ import annotations

import click

from vexo.core.planning.verdicts import Answer

from .common import find_view, finish, json_option, print_json, ready, row_ids
from .main import Setting
from .options import Beside
from .terminal import console, plain_table


@click.command()
@click.argument("trip", type=int)
@click.argument("answer", type=click.Choice([answer.value for answer in Answer]))
@click.option("--row", "rows", type=int, multiple=True, help="A row, by its number in the sheet; may be given often.")
@click.option("--code", default="", help="All rows that are asked this, by its code (see review --json).")
@click.option("--field", default="", help="Only what is asked about this field.")
@click.option("--message", help="Of rows that the application refused (--code refused): only those with these words.")
@click.option(
    "--record",
    default="",
    help="For the answer 'record', or of code absent: the record's ID.",
    cls=Beside,
    not_with=("value",),
)
@click.option("--value", default="", help="For the answer 'through': a value that is free.")
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
    message: str | None,
    record: str,
    value: str,
    number: int | None,
    as_json: bool,
) -> None:
    """Answer what a plan asks. ``vexo review`` names the answers to each question.

    Rows can be set aside whatever they are asked; ``again`` takes such rows up again. After a pass, ``aside`` with the
    code ``refused`` sets those aside that were refused, and were not edited since.
    """
    from vexo.server.decisions.decisions import Scope
    from vexo.server.decisions.decisions import decide as make
    from vexo.server.planning.context import plan_of

    from .trips import print_plan

    view = find_view(trip)
    numbers = row_ids(view, rows)
    seen = number if number is not None else plan_of(view).number
    scope = Scope(numbers, code, field, message)
    _, job = make(view, setting.person(), seen, scope, answer, record or value, run_here=True)
    finish(job)
    print_plan(find_view(trip), as_json)


@click.command()
@click.argument("trip", type=int)
@click.option("--undo", type=int, help="Take this decision back.")
@json_option
@ready
def decisions(setting: Setting, trip: int, undo: int | None, as_json: bool) -> None:
    """List a trip's decisions, newest first, or undo one of them."""
    view = find_view(trip)
    if undo is not None:
        from vexo.server.decisions import decisions as service

        from .trips import print_plan

        finish(service.undo(view, setting.person(), undo, run_here=True))
        print_plan(find_view(trip), as_json)
    from vexo.server.decisions.listed import listed_decisions
    from vexo.server.trips.facts import to_json

    listed = listed_decisions(view, setting.person().username)
    if as_json:
        print_json({"trip": trip, "decisions": to_json(listed)})
        return
    table = plain_table("Decision", "Answer", "To", "Rows", "Now", "By", "When")
    for one in listed:
        now = ", ".join(f"{count:,} {state}" for state, count in one.states.items())
        now += f"; {one.again:,} asked again" if one.again else ""
        now += f"; {one.newer:,} decided anew" if one.newer else ""
        says, asked = f"{one.says} {one.argument}".strip(), f"{one.label}: {one.asked}" if one.label else one.asked
        by, when = one.by["name"], f"{one.at:%Y-%m-%d %H:%M}"
        table.add_row(str(one.id), says, asked, f"{one.count:,}", now, by, when)
    console().print(table if listed else "Nothing has been decided on this trip.")
