"""Further mornings' work of the demo, each at another station."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl

from vexo.core.conditions import read_condition
from vexo.core.documents import SendOut, Share
from vexo.core.operations import Operation
from vexo.core.sheets.writers.outgoing import outgoing_columns
from vexo.core.sheets.writers.xlsx import write_xlsx

from ..applications.models import Application
from ..applications.services import client_of, describe
from ..data_folder import absolute
from ..errors import PlainError
from ..ingest.bring_in import ImportRequest, start_bringing_in
from ..jobs.models import Job
from ..jobs.worker import enqueue, run_inline
from ..passes.starting import start_pass
from ..people.models import Person
from ..planning.context import plan_of
from ..recognition.belonging import NEW_TRIP
from ..sendout.selection import begin
from ..sendout.send_out import new_trip
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheets import kept_records, stamp_of
from ..uploads.models import Upload
from ..uploads.receive import take_file
from ..uploads.waiting import start_recognising

_MEASURED = 412
_VISITORS = (
    ("Ren\u00e9e", "Quillfeather"),
    ("Bram", "Van der Reed"),
    ("Ines", "Gullane-Marsh"),
    ("\u00c5sa", "Tidewell"),
    ("Fergus", "McKelp"),
    ("Zo\u00eb", "Sandling"),
    ("Orla", "O'Shingle"),
    ("J\u00fcrgen", "Driftwood"),
    ("Maud", "Samphire"),
    ("Tom\u00e1s", "De la Cala"),
    ("Wynn", "Spindrift"),
    ("Ada Maria", "Saltford"),
)
_FOOT = Decimal("0.3048")
_TERN = "harbour eq 'TERNISLAND' and status eq 'free'"


def done(job: Job) -> Job:
    ended = run_inline(job)
    if ended.state != Job.DONE:
        raise PlainError(f"The demo could not be loaded: {ended.error or ended.message}")
    return ended


def person(username: str) -> Person:
    """One of the demo's people."""
    return Person.objects.get(username=username)


def bring_text(
    application: Application,
    record_type: str,
    name: str,
    lines: Sequence[str],
    by: Person,
    request: ImportRequest,
    encoding: str = "utf-8",
) -> Trip:
    """A delimited file from elsewhere, brought in up to Review."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_text("\r\n".join(lines) + "\r\n", encoding=encoding)
        upload = take_file(path, by.username)
    job = start_bringing_in(application, record_type, upload, by, replace(request, trip=NEW_TRIP), run_here=True)
    result = done(job).result
    return Trip.objects.get(pk=int((result or {})["trip"]))


def read(application: Application, record_type: str, fields: Sequence[str], condition: str, top: int) -> pl.DataFrame:
    with client_of(application) as client:
        catalogue = client.describe()
        its_type = catalogue.type(record_type)
        return pl.concat(
            list(client.read(its_type, fields, read_condition(condition, its_type, catalogue), fields[:2], top=top))
        )


def load_measuring_weekend(application: Application) -> Trip:
    """The sailing club's own list: titles above the header, feet with decimal commas, other column names, slips in
    keys, several values in a cell. It lies at Columns, where its questions are."""
    berths = read(
        application, "Berth", ["harbour", "berth_no", "length_m", "services"], "harbour eq 'OLDBASIN'", _MEASURED
    )
    lines = [
        "Sailing club, measuring weekend;;;;",
        "printed 22.11.2026;;;;",
        "",
        "site;berth_ref;LOA (feet);fittings;bollard cond.",
    ]
    conditions = ("good", "fair", "good", "poor", "", "tr\u00e8s us\u00e9")
    for at, berth in enumerate(berths.iter_rows(named=True)):
        number = berth["berth_no"]
        if at % 53 == 9:
            number = number.replace("-0", "-O", 1)
        elif at % 61 == 4:
            number = number.replace("-", "_")
        length = (berth["length_m"] + (Decimal("0.2") if at % 3 == 0 else 0)) / _FOOT
        measured = "n/k" if at % 83 == 7 else f"{length:.1f}".replace(".", ",")
        fittings = " / ".join(berth["services"] or [])
        lines.append(f"{berth['harbour']};{number};{measured};{fittings};{conditions[at % 6]}")
    lines.append(lines[15])
    lines.append(lines[43].replace(lines[43].split(";")[2], "50,9", 1))
    title = "Measuring weekend"
    return bring_text(
        application, "Berth", "measuring-weekend.csv", lines, person("ines"), ImportRequest(title=title), "cp1252"
    )


def load_boat_show(application: Application) -> Upload:
    """The boat show's list of new holders: names in one column, card numbers without their zeros, phones in three
    styles, letters of Windows-1252. It waits at File to be told what it is about."""
    lines = ["Card no.;Visitor;Telephone;Joined on"]
    for at, (first, last) in enumerate(_VISITORS):
        name = f"{first} {last}"
        name = (name.upper(), name.lower(), name)[at % 3]
        number = f"960{at:03d}"
        phone = (f"(01632) {number[:3]} {number[3:]}", f"+44 1632 {number}", f"0044-1632-{number}")[at % 3]
        if at == len("a visitor"):
            phone = "by post"
        lines.append(f"{31001 + at};{name};{phone};{at % 27 + 1}/11/2026")
    with TemporaryDirectory() as folder:
        path = Path(folder) / "boat-show.csv"
        path.write_text("\r\n".join(lines) + "\r\n", encoding="cp1252")
        upload = take_file(path, "ines")
    done(start_recognising(upload, person("ines"), run_here=True))
    return upload


def load_season_rates(application: Application) -> Trip:
    """Berths that went out as a workbook and came home from another program: as text, with two columns less, and with
    spaces that do not break behind some berth numbers."""
    fields = ["id", "harbour", "berth_no", "daily_rate", "length_m", "services", "status", "notes"]
    trip = new_trip(application, "Berth", "bram", fields, _TERN, "Season rates, Tern Island")
    sent = done(enqueue("send out", "bram", PartView.of(trip), run_here=True, format="xlsx"))
    kept = kept_records(trip)
    if sent.error or kept is None:
        raise PlainError(f"The demo's berths did not go out: {sent.error}")
    catalogue = describe(application)
    record_type = catalogue.type("Berth")
    sheet = outgoing_columns([catalogue.field(record_type, name) for name in fields], kept, record_type, catalogue)
    at = pl.int_range(len(kept), eager=True)
    rates = sheet[3].cells.cast(pl.Decimal(10, 2))
    raised = pl.select(pl.when(at % 5 == 2).then(rates + Decimal("1.5")).otherwise(rates)).to_series()
    home = {column.header: column.cells for column in sheet if column.field.name not in ("id", "length_m")}
    home[sheet[3].header] = raised.cast(pl.String)
    numbers = sheet[2].cells
    home[sheet[2].header] = pl.select(pl.when(at % 17 == 4).then(numbers + "\u00a0").otherwise(numbers)).to_series()
    with TemporaryDirectory() as folder:
        path = Path(folder) / "season-rates-home.csv"
        pl.DataFrame(home).write_csv(path, separator=";")
        upload = take_file(path, "bram")
    result = done(start_recognising(upload, person("bram"), run_here=True)).result or {}
    job = start_bringing_in(
        application, "Berth", upload, person("bram"), ImportRequest(trip=str(result["trip"])), run_here=True
    )
    done(job)
    trip.refresh_from_db()
    return trip


def load_new_tariff(application: Application) -> Trip:
    """The tariff of one harbour as it is to be from now on: its smallest boats are no longer told apart, two amounts
    are new. The lines that were taken out are to go."""
    fields = ["id", "season", "length_band", "harbour", "amount"]
    trip = new_trip(application, "TariffLine", "bram", fields, "harbour eq 'GULLPOINT'", "New tariff, Gull Point")
    sent = done(enqueue("send out", "bram", PartView.of(trip), run_here=True, format="xlsx"))
    kept = kept_records(trip)
    if sent.error or kept is None:
        raise PlainError(f"The demo's tariff did not go out: {sent.error}")
    catalogue = describe(application)
    record_type = catalogue.type("TariffLine")
    at, amount = pl.int_range(pl.len()), pl.col("amount")
    new = kept.with_columns(pl.when(at.is_in([9, 14])).then(amount + 20).otherwise(amount))
    new = new.filter(pl.col("length_band") != "5-7")
    columns = [catalogue.field(record_type, name) for name in fields]
    with TemporaryDirectory() as folder:
        path = Path(folder) / "new-tariff.xlsx"
        sheet = outgoing_columns(columns, new, record_type, catalogue)
        write_xlsx(sheet, path, record_type.plural, stamp_of(trip, columns))
        upload = take_file(path, "bram")
    wanted = ImportRequest(trip=str(trip.pk), operation=Operation.MAKE_SAME)
    done(start_bringing_in(application, "TariffLine", upload, person("bram"), wanted, run_here=True))
    trip.refresh_from_db()
    return trip


def load_lost_fobs(application: Application) -> Trip:
    """The gatehouse's list of print numbers: applied, with a few that the register refused."""
    fobs = read(application, "GateFob", ["fob_no", "print_no"], "blocked eq false", 44)
    lines = [
        "Print no.,Blocked",
        *[f"{print_no},yes" for print_no in fobs["print_no"].to_list()[:41]],
        "7700000000000,yes",
    ]
    title = "Fobs reported lost"
    trip = bring_text(
        application, "GateFob", "lost-fobs.csv", lines, person("bram"), ImportRequest(("print_no",), title=title)
    )
    view = PartView.of(trip)
    _, job = start_pass(view, person("bram"), plan_of(view).number, run_here=True)
    done(job)
    return trip


def load_insurance_dates(application: Application) -> Trip:
    """Vessels whose insurance runs out soon, shared out to the harbours where they lie: two are back with new dates."""
    document = SendOut(
        "Vessel",
        ("registration", "name", "owner", "owner/last_name", "insurance_no", "insured_until"),
        "insured_until lt 2027-02-01 and home_berth ne null",
        share=Share("home_berth/harbour"),
        format="csv",
    )
    trip = begin(application, document, "ada", "Insurance dates, winter")
    done(enqueue("send out", "ada", PartView.of(trip), run_here=True))
    for sheet in list(trip.sheets.filter(direction=Sheet.OUT))[1:3]:
        table = pl.read_csv(absolute(sheet.path), infer_schema=False)
        until, at = pl.col("Insured until"), pl.int_range(pl.len())
        longer = until.str.to_date().dt.offset_by("1y").dt.strftime("%Y-%m-%d")
        _bring_home(trip, table.with_columns(pl.when(at % 3 != 1).then(longer).otherwise(until)), sheet.name)
    trip.refresh_from_db()
    return trip


def _bring_home(trip: Trip, table: pl.DataFrame, name: str) -> None:
    with TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_text(table.write_csv(), encoding="utf-8-sig")
        upload = take_file(path, "bram")
    done(start_recognising(upload, person("bram"), run_here=True))
    done(
        start_bringing_in(
            trip.application, trip.record_type, upload, person("bram"), ImportRequest(trip=str(trip.pk)), run_here=True
        )
    )
