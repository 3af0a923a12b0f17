"""Commands about keys: what each would give, before one is chosen."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vexo.core.wording import many

from .common import find_view, finish, json_option, print_json, ready
from .main import Setting
from .options import Beside
from .outputs import refuse_other_ending, written_whole
from .terminal import console, plain_table

if TYPE_CHECKING:
    from vexo.server.trips.part_view import PartView


def key_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """What makes no difference between keys, and the reach, as options of a command; passed on as ``ignores`` and
    ``reach``, None where nothing is said."""

    @click.option("--ignore-case", is_flag=True, help="Keys compare whatever their capitals.")
    @click.option("--ignore-accents", is_flag=True, help="Keys compare whatever their accents.")
    @click.option(
        "--exact-keys",
        cls=Beside,
        not_with=("ignore_case", "ignore_accents"),
        is_flag=True,
        help="Keys compare exactly again.",
    )
    @click.option("--reach", metavar="CONDITION", help="Which records may be touched: a condition, 'all', or 'sent'.")
    @wraps(command)
    def gathered(*args: Any, ignore_case: bool, ignore_accents: bool, exact_keys: bool, **options: Any) -> Any:
        ignored = [name for name, wanted in (("capitals", ignore_case), ("accents", ignore_accents)) if wanted]
        return command(*args, ignores=tuple(ignored) if ignored or exact_keys else None, **options)

    return gathered


def _print_absent(view: PartView, output: Path | None, as_json: bool) -> None:
    from vexo.server.errors import PlainError
    from vexo.server.planning.absent_records import absent_records, write_absent
    from vexo.server.trips.facts import to_json

    absent = absent_records(view)
    if not absent.known:
        raise PlainError("Which records the sheet lacks is not known. Plan the trip, or say its reach.", "reach")
    if output is not None:
        refuse_other_ending(output, ".csv")
        with written_whole(output) as aside:
            write_absent(view, aside)
    if as_json:
        print_json({"trip": view.trip.pk} | to_json(absent))
        return
    planned = bool(absent.answers)
    table = plain_table("Record ID", *absent.labels, *(("What happens", "Why", "Point to it") if planned else ()))
    for one in absent.records:
        more = (str(one.verdict or ""), one.says, "; ".join(one.pointed)) if planned else ()
        table.add_row(one.identifier, *one.key, *more)
    console().print(table)
    click.echo(f"{absent.count:,} of {absent.reach:,} records in reach are in no row.", err=True)


@click.command()
@click.argument("trip", type=int)
@click.option("--key", "keys", multiple=True, metavar="FIELD+FIELD", help="A key to measure beside the usual ones.")
@click.option(
    "--rows",
    cls=Beside,
    only_with=("keys",),
    type=click.Choice(["one", "none", "several", "blank", "shared"]),
    help="List the rows that find this by the key that is said.",
)
@click.option(
    "--absent",
    is_flag=True,
    help="List the records in reach that no row is about.",
    cls=Beside,
    not_with=("rows", "keys"),
)
@click.option(
    "-o",
    "--output",
    type=click.Path(path_type=Path),
    help="With --absent: write all of these to a CSV file.",
    cls=Beside,
    only_with=("absent",),
)
@json_option
@ready
def keys_(
    setting: Setting,
    trip: int,
    keys: tuple[str, ...],
    rows: str | None,
    absent: bool,
    output: Path | None,
    as_json: bool,
) -> None:
    """Measure the keys of a trip's sheet: what each would find. Nothing is written, and no key is chosen."""
    from vexo.server.errors import PlainError
    from vexo.server.planning.key_rows import rows_that_find
    from vexo.server.planning.measured_keys import measured_keys, start_measuring
    from vexo.server.trips.facts import to_json

    view = find_view(trip)
    if absent:
        _print_absent(view, output, as_json)
        return
    wanted_keys = [[name.strip() for name in key.split("+")] for key in keys]
    if rows and len(wanted_keys) != 1:
        raise PlainError("Say whose rows are listed: --key FIELD+FIELD, once.")
    finish(start_measuring(view, setting.person(), wanted_keys, run_here=True))
    if rows:
        window = rows_that_find(view, wanted_keys[0], rows, (0, 500))
        lines = [(row.row, [cell.text for cell in row.cells]) for row in window.rows]
        if as_json:
            listed = [{"row": row, "cells": texts} for row, texts in lines]
            print_json({"trip": trip, "key": wanted_keys[0], "finds": rows, "count": window.total, "rows": listed})
            return
        table = plain_table("Row", "Cells")
        for row, texts in lines:
            table.add_row(str(row), " · ".join(text for text in texts if text))
        console().print(table)
        if window.total > len(lines):
            click.echo(f"{window.total:,} rows in all; the first {len(lines):,} are listed.", err=True)
        return
    measured = measured_keys(view)
    if as_json:
        print_json({"trip": trip} | to_json(measured))
        return
    table = plain_table("Key", "Different here", "Different there", "One", "None", "Several", "Blank", "Shared", "")
    for one in measured.candidates:
        counts = one.rows
        words = " ".join(text for text in ("Recommended: " + one.why if one.recommended else "", one.weaker) if text)
        numbers = (counts.one, counts.none, counts.several, counts.blank, counts.shared)
        table.add_row(
            " + ".join(one.labels), f"{one.different:,}", f"{one.distinct:,}", *[f"{n:,}" for n in numbers], words
        )
    console().print(table)
    rows, records = many(measured.rows, "row", "rows"), many(measured.records, "record", "records")
    click.echo(f"{rows}, looked for among {records}.", err=True)
