"""Commands of upkeep: what takes room, how long things are kept, deleting a trip."""

from __future__ import annotations

import shutil
from pathlib import Path

import click

from .common import finish, json_option, print_json, ready
from .main import Setting
from .options import Beside
from .outputs import refuse_other_ending, written_whole
from .terminal import console, plain_table

_KINDS = {
    "trips": "trips that nobody touches",
    "receipts": "receipts of deleted trips",
    "copies": "kept copies of what went out",
    "uploads": "sheets that wait and were never brought in",
    "journal": "entries of the journal",
}


def in_words(size: float) -> str:
    """Bytes as people read them."""
    for unit in ("bytes", "KB", "MB"):
        if size < 1000:
            return f"{size:,.0f} {unit}" if unit == "bytes" else f"{size:,.1f} {unit}"
        size /= 1000
    return f"{size:,.1f} GB"


@click.command()
@json_option
@ready
def disk(setting: Setting, as_json: bool) -> None:
    """Say what takes room in the data folder, by kind."""
    from vexo.server.people.rights import Action, require
    from vexo.server.upkeep.disk import room_free, room_taken

    require(setting.person(), Action.TIDY)
    room, free = room_taken(), room_free()
    if as_json:
        kinds = [{"kind": one.kind, "bytes": one.bytes, "files": one.files} for one in room]
        print_json({"room": kinds, "free": free})
        return
    table = plain_table("Kind", "Room", "Files")
    for one in room:
        table.add_row(one.kind, in_words(one.bytes), f"{one.files:,}")
    console().print(table)
    console().print(f"{in_words(sum(one.bytes for one in room))} in all; {in_words(free)} are free on its disk.")


@click.command()
@click.option("--trips", type=int, help="Days for which a trip is kept that nobody touches; 0: no limit.")
@click.option("--receipts", type=int, help="Days for which receipts of deleted trips are kept; 0: no limit.")
@click.option("--copies", type=int, help="Days for which kept copies of what went out are kept; 0: no limit.")
@click.option("--uploads", type=int, help="Days for which a sheet waits that is never brought in; 0: no limit.")
@click.option("--journal", type=int, help="Days for which entries of the journal are kept; 0: no limit.")
@click.option(
    "--idle",
    type=int,
    help="With --keep: minutes after which a session ends at which nobody is; 0: no limit.",
    cls=Beside,
    only_with=("keep",),
)
@click.option("--keep", is_flag=True, help="Keep these numbers; else it is only said what they would free.")
@click.option("--now", is_flag=True, help="Take away now what is over its time.")
@json_option
@ready
def retention(
    setting: Setting,
    trips: int | None,
    receipts: int | None,
    copies: int | None,
    uploads: int | None,
    journal: int | None,
    idle: int | None,
    keep: bool,
    now: bool,
    as_json: bool,
) -> None:
    """Say how long things are kept, or what other numbers would free."""
    from dataclasses import asdict, replace

    from vexo.server.installation.services import installation_settings
    from vexo.server.jobs.worker import enqueue
    from vexo.server.people.rights import Action, require
    from vexo.server.upkeep.retention import KeepFor, set_retention, what_is_over

    person = setting.person()
    require(person, Action.TIDY)
    days = {"trips": trips, "receipts": receipts, "copies": copies, "uploads": uploads, "journal": journal}
    days_said = {name: value for name, value in days.items() if value is not None}
    if keep:
        set_retention(person, idle_minutes=idle, **days)
    elif now and days_said:
        raise click.UsageError("Keep the numbers with --keep before taking away by them.")
    gone = finish(enqueue("thin", person.username, run_here=True)) if now else None
    settings = installation_settings()
    wanted = replace(KeepFor.of(settings), **days_said)
    over = what_is_over(wanted)
    if as_json:
        kinds = [asdict(one) for one in over]
        print_json({"keep": asdict(wanted), "idle_minutes": settings.idle_minutes, "over": kinds, "gone": gone})
        return
    table = plain_table("Kept", "Days", "Over it now", "Frees")
    for one in over:
        limit = getattr(wanted, one.kind)
        table.add_row(_KINDS[one.kind], f"{limit:,}" if limit else "no limit", f"{one.count:,}", in_words(one.bytes))
    console().print(table)
    if gone is not None:
        words = ", ".join(f"{count:,} {kind}" for kind, count in gone.items() if count)
        console().print(f"Taken away: {words or 'nothing'}.")


@click.command()
@click.option(
    "--save",
    type=int,
    metavar="NO",
    help="Write one of them, by its number in the list.",
    cls=Beside,
    only_with=("output",),
)
@click.option(
    "-o",
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    help="With --save: where to; a workbook.",
    cls=Beside,
    only_with=("save",),
)
@json_option
@ready
def receipts(setting: Setting, save: int | None, output: Path | None, as_json: bool) -> None:
    """List the receipts of trips that were deleted, or write one to a file."""
    from vexo.server.people.rights import Action, require
    from vexo.server.upkeep.kept_receipts import take_receipt
    from vexo.server.upkeep.models import KeptReceipt

    require(setting.person(), Action.TIDY)
    if save is not None and output is not None:
        _, path = take_receipt(setting.person(), save)
        refuse_other_ending(output, path.suffix)
        with written_whole(output) as aside:
            shutil.copyfile(path, aside)
        print_json({"file": str(output)}) if as_json else console().print(f"{output} is written.")
        return
    kept = list(KeptReceipt.objects.all())
    if as_json:
        names = ("id", "trip", "part", "title", "application", "record_type", "size")
        lines = [{**{n: getattr(one, n) for n in names}, "kept_at": one.kept_at.isoformat()} for one in kept]
        print_json({"receipts": lines})
        return
    table = plain_table("No.", "Trip", "Part", "Title", "Application", "Room", "Kept since")
    for one in kept:
        of = (str(one.pk), str(one.trip), str(one.part), one.title, one.application)
        table.add_row(*of, in_words(one.size), f"{one.kept_at:%Y-%m-%d %H:%M %Z}")
    console().print(table if kept else "No receipt of a deleted trip is kept.")


@click.command()
@click.argument("number", metavar="TRIP", type=int)
@click.option("--no-receipt", is_flag=True, help="Keep no receipt of what was written either.")
@click.option("--yes", is_flag=True, help="Do not ask.")
@json_option
@ready
def delete(setting: Setting, number: int, no_receipt: bool, yes: bool, as_json: bool) -> None:
    """Delete a trip with its sheets, kept copies, plans and passes. The journal keeps what was done."""
    from vexo.server.errors import PlainError, machine_trouble
    from vexo.server.upkeep.deleting import delete_by_hand

    person = setting.person()
    if not yes:
        click.confirm(f"Delete trip {number}, with all that belongs to it?", abort=True, err=True)
    try:
        deleted = delete_by_hand(person, number, keep_receipts=not no_receipt)
    except Exception as error:
        trouble = machine_trouble(error, named=True)
        if trouble is None or no_receipt:
            raise
        raise PlainError(f"{trouble} With --no-receipt no room is needed for a receipt.") from error
    if as_json:
        print_json({"deleted": number, "bytes": deleted.bytes, "receipts": deleted.receipts})
        return
    kept = "; its receipt is kept" if deleted.receipts else ""
    console().print(f"Trip {number} is deleted; {in_words(deleted.bytes)} are free{kept}.")
