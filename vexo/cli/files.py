"""Commands about the files of a trip: what went out, what came in, its kept copy; and going on with what did not go
out."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import IO, TYPE_CHECKING

import click

from vexo.core.wording import many

from .common import find_view, finish, json_option, print_json, ready
from .main import Setting
from .options import Beside
from .outputs import refuse_other_ending, written_whole
from .send_out import TOLD, deliver, say_of
from .terminal import console, plain_table

if TYPE_CHECKING:
    from vexo.server.trips.models import Trip
    from vexo.server.trips.sheet_files import SheetFile


@click.command()
@click.argument("number", metavar="TRIP", type=int)
@click.option("--save", default="", metavar="NO", help="Write one of them, by its number in the list.")
@click.option("--sent", is_flag=True, help="Write all that went out, as one ZIP file.")
@click.option("--kept", is_flag=True, help="Write the kept copy, as a sheet: .xlsx, .ods, .csv, .tsv.")
@click.option(
    "-o",
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Where to.",
    cls=Beside,
    only_with=("save", "sent", "kept"),
)
@json_option
@ready
def files(setting: Setting, number: int, save: str, sent: bool, kept: bool, output: Path | None, as_json: bool) -> None:
    """List the sheets of a trip, as they went out and came in; or write one, or the kept copy, to a file."""
    from vexo.server.trips.sheet_files import files_of
    from vexo.server.trips.sheets import downloaded

    person, trip = setting.person(), find_view(number, whole=True).trip
    listed = files_of(trip)
    if not (save or sent or kept):
        _print(trip, listed, as_json)
        return
    if output is None or sum((bool(save), sent, kept)) > 1:
        raise click.UsageError("Say one of --save NO, --sent and --kept, and with -o FILE where to.")
    rows = _write(trip, listed, save, sent, output)
    downloaded(trip, person, output.name, rows)
    if as_json:
        print_json({"trip": number, "file": str(output), "rows": rows})
    else:
        console().print(f"{output} is written.")


def _print(trip: Trip, listed: list[SheetFile], as_json: bool) -> None:
    if as_json:
        print_json({"trip": trip.pk, "files": [one.as_json() for one in listed]})
        return
    table = plain_table("No.", "", "File", "Rows", "By", "When")
    for one in listed:
        table.add_row(one.number, one.direction, one.name, f"{one.rows:,}", one.by, f"{one.at:%Y-%m-%d %H:%M %Z}")
    console().print(table if listed else f"Trip {trip.pk} has no sheet yet.")


def _write(trip: Trip, listed: list[SheetFile], save: str, sent: bool, output: Path) -> int | None:
    """Write what is asked for; how many rows are in it, where that is one sheet."""
    from vexo.server.data_folder import absolute
    from vexo.server.errors import PlainError
    from vexo.server.sendout.compare import write_kept
    from vexo.server.sendout.zipped import zipped

    rows: int | None = None
    if save:
        one = next((one for one in listed if one.number == save), None)
        if one is None:
            numbers = ", ".join(one.number for one in listed) or "none"
            raise PlainError(f"Trip {trip.pk} has no file {save!r}. Its files are: {numbers}.", "no-sheet")
        refuse_other_ending(output, Path(one.name).suffix)
        source: IO[bytes] = absolute(one.there()).open("rb")
        rows = one.rows
    elif sent:
        refuse_other_ending(output, ".zip")
        source = zipped(trip)
    else:
        source, rows = write_kept(trip, output.suffix.lower().removeprefix("."))
    with source, written_whole(output) as aside, aside.open("wb") as target:
        shutil.copyfileobj(source, target)
    return rows


@click.command()
@click.argument("number", metavar="TRIP", type=int)
@click.option("-o", "--output", type=click.Path(path_type=Path), required=True)
@json_option
@ready
def send_on(setting: Setting, number: int, output: Path, as_json: bool) -> None:
    """Go on with sending out what was stopped, or broke off: what was read is kept."""
    from vexo.server.sendout.send_out import go_on

    view = find_view(number, whole=True)
    if view.trip.document is not None:
        refuse_other_ending(output, f".{view.trip.document.format}", ".zip")
    result = finish(go_on(view, setting.person(), run_here=True))
    delivered = deliver(result, output)
    say_of(result, find_view(number, whole=True).trip.record_type)
    if as_json:
        print_json({**{name: result[name] for name in TOLD}, "file": str(output), "files": delivered})
    else:
        records = many(result["rows"], "record", "records")
        console().print(f"Trip {result['trip']}: {records} went out as {', '.join(delivered)}")
