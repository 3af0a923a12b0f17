"""Commands about what goes out: send out, parts, comparing."""

from __future__ import annotations

import shutil
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from .common import find_view, finish, json_option, print_json, ready
from .main import Setting
from .options import Beside, refuse_twice
from .outputs import refuse_other_ending, written_whole
from .terminal import console, plain_table, sum_line

if TYPE_CHECKING:
    from vexo.core.documents import Picked, SendOut
    from vexo.core.records import RecordType
    from vexo.server.applications.models import Application
    from vexo.server.routes.models import Route


def _keys_of(path: Path, record_type: RecordType, key: tuple[str, ...]) -> Picked:
    """The keys in a file: any sheet, or a plain list."""
    from tempfile import TemporaryDirectory

    import polars as pl

    from vexo.core.keys.key_lists import keys_in, read_keys
    from vexo.core.sheets import read_sheet
    from vexo.server.errors import PlainError

    if not path.is_file():
        raise PlainError(f"There is no file {path}.")
    if path.suffix.lower() in (".txt", ""):
        return read_keys(path.read_text(encoding="utf-8-sig"), record_type, key)
    with TemporaryDirectory() as folder:
        cells = Path(folder) / "cells.parquet"
        profile = read_sheet(path, cells, path.name)
        frame = pl.read_parquet(cells).select([column.name for column in profile.columns]).fill_null("")
    head = [column.header for column in profile.columns]
    rows = [list(row) for row in frame.iter_rows()]
    return keys_in([head, *rows] if profile.header_row else rows, record_type, key)


def _groups(entries: tuple[str, ...]) -> tuple[tuple[str, tuple[str, ...]], ...]:
    from vexo.server.errors import PlainError

    groups = []
    for entry in entries:
        name, equals, values = entry.partition("=")
        if not equals or not values:
            raise PlainError(f"--group {entry!r} should be NAME=VALUE,VALUE.")
        groups.append((name, tuple(value.strip() for value in values.split(","))))
    return tuple(groups)


def _begun(
    route: str, application: str | None, record_type: str | None, said: set[str]
) -> tuple[Route | None, Application, SendOut]:
    """The route that was said, if one was; the application; and the document to begin with.

    Args:
        said: of which uses something is said beside the route (``core.documents.base.Lost``).

    Raises:
        PlainError: also where the route is not of them, or what it has lost would let other records go out.
    """
    from vexo.core.documents import SendOut
    from vexo.server.applications.services import find_application
    from vexo.server.errors import PlainError
    from vexo.server.routes.saved_routes import find_route, fit_of

    if not route:
        if not application or not record_type:
            raise PlainError("Say which application and record type, or a route with --route.")
        return None, find_application(application), SendOut(record_type)
    kept = find_route(route)
    fit = fit_of(kept)
    for lost in fit.lost:
        click.echo(f"{kept.name}: {lost}", err=True)
    if fit.document is None and kept.document is None:
        raise PlainError(f"The route {kept.name} says how sheets come in, and not what goes out.", "document")
    if fit.document is None:
        raise PlainError(f"The route {kept.name} does not fit {kept.application.label} any more.")
    its_type = fit.document.record_type
    if application and find_application(application) != kept.application:
        raise PlainError(f"The route {kept.name} is one of {kept.application.name}, not of {application}.", "no-route")
    known = kept.application.known
    if record_type and known is not None and known.type(record_type).name != its_type:
        raise PlainError(f"The route {kept.name} is one of {its_type}, not of {record_type}.", "no-route")
    if {"condition", "picked"} & fit.lost_out and not {"condition", "picked"} & said:
        raise PlainError("Without it other records would go out. Say which with --where or --keys.", "document")
    if "share" in fit.lost_out - said:
        raise PlainError("Without it all would go out in one sheet. Say by what with --share-by.", "document")
    return kept, kept.application, fit.document


def _format(output: Path, said: str | None, before: str, *, shared: bool) -> str:
    """The format that is meant. Raises PlainError where neither the ending nor anyone says it."""
    from vexo.core.documents import FORMATS
    from vexo.server.errors import PlainError, unknown_format

    ending = output.suffix.lstrip(".").lower()
    if not output.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {output.parent}.")
    if ending in FORMATS:
        if said not in (None, ending):
            raise PlainError(f"{output.name} would hold {said}. Leave --format away, or end its name in .{said}.")
        return ending
    if not shared:
        raise unknown_format(output.name, [f".{one}" for one in FORMATS])
    return said or before


@click.command("send-out")
@click.argument("application", required=False)
@click.argument("record_type", metavar="TYPE", required=False)
@click.option("--route", default="", help="A route, by its name or number; what else is said here changes it.")
@click.option("--field", "chosen", multiple=True, help="A field, in the order of the sheet; may be given often.")
@click.option("--where", default=None, help="A condition in OData's $filter syntax.", cls=Beside, not_with=("keys",))
@click.option("--order", multiple=True, metavar="FIELD", help="In order of a field; -FIELD for the highest first.")
@click.option("--keys", type=click.Path(path_type=Path), help="A file with the keys of the records wanted.")
@click.option(
    "--key",
    multiple=True,
    metavar="FIELD",
    help="With --keys: which key these are, where it does not name it.",
    cls=Beside,
    only_with=("keys",),
)
@click.option(
    "--share-by", default=None, metavar="FIELD", help="One sheet for each value of a field, in a ZIP or folder."
)
@click.option("--group", "groups", multiple=True, metavar="NAME=VALUE,VALUE", help="Values that share a sheet.")
@click.option(
    "--headers-only",
    is_flag=True,
    help="A sheet to be filled by hand.",
    cls=Beside,
    not_with=("where", "keys", "order"),
)
@click.option("--explain", is_flag=True, help="With --headers-only: a worksheet that explains the columns.")
@click.option("--format", "format_", type=click.Choice(["xlsx", "ods", "csv", "tsv"]), help="By the file's ending.")
@click.option("--keep-as", default="", metavar="NAME", help="Keep all this as a route of that name.")
@click.option("--title", default="", help="The trip's name.")
@click.option("-o", "--output", type=click.Path(path_type=Path), required=True)
@json_option
@ready
def send_out(
    setting: Setting,
    application: str | None,
    record_type: str | None,
    route: str,
    chosen: tuple[str, ...],
    where: str | None,
    order: tuple[str, ...],
    keys: Path | None,
    key: tuple[str, ...],
    share_by: str | None,
    groups: tuple[str, ...],
    headers_only: bool,
    explain: bool,
    format_: str | None,
    keep_as: str,
    title: str,
    output: Path,
    as_json: bool,
) -> None:
    """Send records out as a sheet, or several.

    The file's ending says the format (xlsx, ods, csv, tsv). Shared out, the sheets go into a folder, or into one file
    where that ends in .zip.
    """
    from vexo.core.documents import Share
    from vexo.server.applications.services import describe
    from vexo.server.errors import PlainError
    from vexo.server.jobs.worker import enqueue
    from vexo.server.people.rights import Action, require
    from vexo.server.routes.saved_routes import Wanted, keep_route
    from vexo.server.sendout.selection import begin
    from vexo.server.trips.part_view import PartView

    person = setting.person()
    require(person, Action.PREPARE)
    uses = {"condition": where, "picked": keys, "share": share_by or None}
    kept, place, document = _begun(route, application, record_type, {use for use in uses if uses[use] is not None})
    known = (place.known or describe(place)).type(document.record_type)
    share = document.share
    if share_by is not None or groups:
        by = share_by or (share.field if share else "")
        if not by:
            raise PlainError("Groups of which field? Say it with --share-by FIELD.")
        share = Share(by, _groups(groups))
    if explain and not (headers_only or document.headers_only):
        raise PlainError("--explain goes with --headers-only.")
    if document.headers_only and (where is not None or keys is not None or order):
        raise PlainError(f"The route {route} is of an empty sheet, in which no record goes out: leave them away.")
    picked = _keys_of(keys, known, key) if keys is not None else document.picked
    document = replace(
        document,
        fields=chosen or document.fields,
        condition=document.condition if where is None else where,
        order=order or document.order,
        headers_only=headers_only or document.headers_only,
        help=explain or document.help,
        # Records by hand go out whatever the condition says, so that the one which was said now counts.
        picked=picked if where is None else None,
        share=share,
        format=_format(output, format_, document.format, shared=share is not None),
    )
    if keep_as:
        kept = keep_route(person, Wanted(keep_as, place, document))
    trip = begin(place, document, person.username, title, kept)
    try:
        result = finish(enqueue("send out", person.username, PartView.of(trip), run_here=True, format=document.format))
    except PlainError:
        trip.delete()
        if keep_as and kept is not None:
            click.echo(f"Nothing went out. The route {kept.name} is kept all the same.", err=True)
        raise
    written = deliver(result, output)
    say_of(result, known.label)
    if as_json:
        told_ = {name: result[name] for name in TOLD}
        print_json({**told_, "file": str(output), "files": written})
    else:
        many = f"{result['parts']} sheets in {output}" if result["parts"] > 1 else str(output)
        console().print(f"Trip {result['trip']}: {result['rows']:,} records went out as {many}")


TOLD = ("trip", "rows", "parts", "missing", "not_found", "also_out", "also_out_note")
"""What ``--json`` tells of what went out."""


def say_of(result: dict[str, Any], label: str) -> None:
    """Say which keys are no record's, and which records are out elsewhere too."""
    for text in result["not_found"]:
        click.echo(f"No {label.lower()} has the key {text}.", err=True)
    for other in result["also_out"]:
        words = f"{other['count']:,} of them are out on trip {other['trip']}, {other['title']}, too"
        click.echo(f"{words} ({other['by']}, since {other['since'][:10]}).", err=True)
    if result["also_out_note"]:
        click.echo(result["also_out_note"], err=True)


def deliver(result: dict[str, Any], output: Path) -> list[str]:
    """Copy what went out to where it is wanted; the names of the files."""
    from vexo.server.data_folder import absolute
    from vexo.server.errors import PlainError
    from vexo.server.trips.models import Sheet

    sheets = list(Sheet.objects.filter(trip=result["trip"], direction=Sheet.OUT))
    stays = f"What went out stays with trip {result['trip']}."
    if output.suffix.lower() == ".zip":
        with written_whole(output, remedy=stays) as aside, zipfile.ZipFile(aside, "w", zipfile.ZIP_DEFLATED) as out:
            for sheet in sheets:
                out.write(absolute(sheet.path), sheet.name)
        return [sheet.name for sheet in sheets]
    if len(sheets) == 1:
        refuse_other_ending(output, Path(sheets[0].name).suffix, ".zip", remedy=stays)
        with written_whole(output, remedy=stays) as aside:
            shutil.copyfile(absolute(sheets[0].path), aside)
        return [str(output)]
    refuse_other_ending(output, ".zip", remedy=stays)
    try:
        output.mkdir(exist_ok=True)
    except OSError as error:
        raise PlainError(f"{output} cannot be written: {error.strerror}. {stays}") from error
    for sheet in sheets:
        with written_whole(output / sheet.name, remedy=stays) as aside:
            shutil.copyfile(absolute(sheet.path), aside)
    return [str(output / sheet.name) for sheet in sheets]


@click.command()
@click.argument("trip", type=int)
@click.option("--give", "given", multiple=True, metavar="PART=PERSON", help="Who has a part; PERSON may be empty.")
@json_option
@ready
def parts(setting: Setting, trip: int, given: tuple[str, ...], as_json: bool) -> None:
    """Show a shared-out trip's parts: who has which, what is back, where each stands."""
    from vexo.server.errors import PlainError
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.parts import give, part_named, parts_of

    view = find_view(trip, whole=True)
    refuse_twice("part", {"--give": [entry.partition("=")[0] for entry in given]})
    for entry in given:
        name, equals, holder = entry.partition("=")
        if not equals:
            raise PlainError(f"--give {entry!r} should be PART=PERSON.")
        give(view, setting.person(), part_named(view.trip, name).number, holder)
    listed = to_json(parts_of(find_view(trip, whole=True)))
    if as_json:
        print_json({"trip": trip, "parts": listed})
        return
    table = plain_table("No.", "Part", "With", "Rows", "Came", "Status", "Sum")
    for part in listed:
        total = sum(part["sum"].values())
        summed = sum_line(total, part["sum"]) if total else ""
        came = f"{part['came']} x" if part["came"] else "—"
        texts = (str(part["number"]), part["label"], part["holder"], f"{part['rows']:,}", came, part["says"])
        table.add_row(*texts, summed)
    console().print(table if listed else f"Trip {trip} was not shared out.")


@click.command()
@click.argument("trip", type=int)
@json_option
@ready
def compare(setting: Setting, trip: int, as_json: bool) -> None:
    """Read a trip's selection again, and say what changed since it went out."""
    from vexo.server.sendout.compare import start_comparing

    finish(start_comparing(find_view(trip, whole=True), setting.person(), run_here=True))
    since = find_view(trip, whole=True).trip.selection["since"]
    if as_json:
        print_json({"trip": trip, **since})
        return
    out = console()
    out.print(f"{since['then']:,} records then, {since['now']:,} now")
    others = since["cells"] - since["ours"]
    out.print(f"{since['cells']:,} cells changed: {since['ours']:,} by this trip, {others:,} by others")
    for name, words in (("gone", "deleted"), ("left", "no longer in the selection"), ("come", "new in the selection")):
        if since[name]:
            out.print(f"{since[name]:,} {words}")
    for total in since["totals"]:
        out.print(f"  {total['label']}: {total['then']} → {total['is_now']}")
    for change in since["changes"][:20]:
        by = "this trip" if change["ours"] else "others"
        out.print(f"  {change['record']}, {change['label']}: {change['then']} → {change['is_now']} ({by})")


@click.command()
@click.argument("application")
@click.argument("record_type", metavar="TYPE")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--key", multiple=True, metavar="FIELD", help="The key that finds the records; several make one key.")
@click.option("--formulas", is_flag=True, help="Fill cells that hold a formula, too.")
@click.option("-o", "--output", type=click.Path(path_type=Path, dir_okay=False), required=True)
@json_option
@ready
def refill(
    setting: Setting,
    application: str,
    record_type: str,
    file: Path,
    key: tuple[str, ...],
    formulas: bool,
    output: Path,
    as_json: bool,
) -> None:
    """Fill a sheet whose header names fields and whose key column names records; all else in it stays as it is."""
    from vexo.server.applications.services import find_application
    from vexo.server.errors import PlainError
    from vexo.server.ingest.refill import start_refilling
    from vexo.server.people.rights import Action, require
    from vexo.server.uploads.receive import take_file

    person = setting.person()
    require(person, Action.PREPARE)
    its_application = find_application(application)
    if not output.absolute().parent.is_dir():
        raise PlainError(f"There is no folder {output.parent}.")
    refuse_other_ending(output, file.suffix, ".zip")
    upload = take_file(file, person.username)
    result = finish(
        start_refilling(its_application, record_type, upload, person, key, formulas=formulas, run_here=True)
    )
    deliver(result, output)
    for text in result["not_found"]:
        click.echo(f"No record has the key {text}; its row stays as it was.", err=True)
    if result["formulas"]:
        places = ", ".join(result["formula_cells"]) + (
            " …" if result["formulas"] > len(result["formula_cells"]) else ""
        )
        click.echo(f"{result['formulas']:,} cells keep their formulas: {places}. Fill them with --formulas.", err=True)
    if as_json:
        names = ("trip", "rows", "missing", "not_found", "formulas", "formula_cells")
        print_json({**{name: result[name] for name in names}, "file": str(output)})
    else:
        console().print(f"Trip {result['trip']}: {result['rows']:,} rows of {output} are filled")
