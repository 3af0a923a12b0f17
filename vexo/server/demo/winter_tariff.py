"""Demo file 1: berths were sent out, rates raised, a few slips made, and a colleague changed records since."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl

from vexo.applications import open_client
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import IDENTIFIER, VERSION
from vexo.core.sheets.writers.outgoing import OutgoingColumn, outgoing_columns
from vexo.core.sheets.writers.xlsx import write_xlsx
from vexo.core.values import dtype
from vexo.core.writing import Write

from ..applications.models import Application
from ..applications.services import describe
from ..errors import PlainError
from ..ingest.bring_in import ImportRequest, start_bringing_in
from ..jobs.worker import enqueue, run_inline
from ..sendout.send_out import new_trip
from ..sendout.sheet_writer import file_name
from ..trips.models import Trip
from ..trips.part_view import PartView
from ..trips.sheets import kept_records, stamp_of
from ..uploads.receive import take_file
from .other_trips import person

WHO = "ada"
COLLEAGUE_TOKEN = "saltmarsh-office-token"  # noqa: S105 - the stand-in's own, for the demo only
CONDITION = "harbour in ('NORTHHAVEN', 'GULLPOINT') and status ne 'retired' and daily_rate ne null"
FIELDS = ["id", "harbour", "berth_no", "daily_rate", "services", "status", "length_m", "holder", "holder/last_name"]
RAISES = {"38.50": "40.50", "44.00": "46.25", "52.50": "55.00", "34.50": "36.00", "61.00": "64.00"}
_NEW = 37
_LOST_POINT = 700


def _edit(columns: list[OutgoingColumn]) -> dict[str, pl.Series]:
    """The sheet as it comes back: field name → cells."""
    cells = {column.field.name: column.cells for column in columns}
    at = pl.int_range(len(cells["id"]), eager=True)
    rates = cells["daily_rate"].replace(RAISES)
    slips = (at % 131 == 7) & rates.str.contains("0")
    # One rate lost its point on a keypad.
    rates = pl.select(
        pl.when(at == _LOST_POINT).then(rates.str.replace(".", "", literal=True)).otherwise(rates)
    ).to_series()
    rates = pl.select(pl.when(slips).then(rates.str.replace("0", "O", literal=True)).otherwise(rates)).to_series()
    services, status, harbour = cells["services"], cells["status"], cells["harbour"]
    added = (at % 19 == 4) & (services == "water; power").fill_null(value=False)
    dropped = (at % 61 == 9) & services.str.contains("wifi").fill_null(value=False)
    services = pl.select(
        pl.when(added)
        .then(services + "; pump-out")
        .when(dropped)
        .then(services.str.replace("; wifi", "", literal=True).str.replace("wifi; ", "", literal=True))
        .otherwise(services)
    ).to_series()
    free = (status == "free") & cells["holder"].is_null()
    hopeful = free & (at % 41 == 3)
    closed = (status == "free") & (at % 47 == 5) & ~hopeful
    status = pl.select(
        pl.when(hopeful).then(pl.lit("let")).when(closed).then(pl.lit("closed")).otherwise(status)
    ).to_series()
    numbers = cells["berth_no"]
    mistyped = at == 211
    numbers = pl.select(
        pl.when(mistyped).then(numbers.str.replace("-0", "-O", literal=True)).otherwise(numbers)
    ).to_series()
    edited = {
        **cells,
        "daily_rate": rates,
        "services": services,
        "status": status,
        "berth_no": numbers,
        "harbour": harbour,
    }
    return _with_new_rows(edited)


def _with_new_rows(cells: dict[str, pl.Series]) -> dict[str, pl.Series]:
    """A new pontoon E-2 at Northhaven: rows without a record ID."""
    new_cells: dict[str, list[str | None]] = {name: [None] * _NEW for name in cells}
    new_cells["harbour"] = ["NORTHHAVEN"] * _NEW
    new_cells["berth_no"] = [f"E-{201 + n}" for n in range(_NEW)]
    new_cells["daily_rate"] = ["31.00"] * _NEW
    new_cells["services"] = ["water"] * _NEW
    new_cells["status"] = ["free"] * _NEW
    new_cells["length_m"] = ["9.0"] * _NEW
    return {
        name: pl.concat([cells[name], pl.Series(name, new_cells[name], dtype=pl.String).alias(cells[name].name)])
        for name in cells
    }


def _colleague(application: Application, edited: pl.DataFrame) -> None:
    """Meanwhile someone at the register's office changed two of the same rates, and the notes of other berths."""
    record_type = describe(application).type("Berth")
    rate = record_type.field("daily_rate")
    new = pl.Series(["41.00", "47.00"]).cast(dtype(rate)).to_list()
    writes = [
        Write(n, n, Verdict.UPDATE, identifier, None, {"daily_rate": new[n]})
        for n, identifier in enumerate(edited[IDENTIFIER].gather([18, 230]).to_list())
    ]
    writes += [
        Write(10 + n, n, Verdict.UPDATE, identifier, None, {"notes": "Chain renewed in November."})
        for n, identifier in enumerate(edited[IDENTIFIER].gather([30, 31, 32]).to_list())
    ]
    with open_client("odata", application.address, COLLEAGUE_TOKEN) as office:
        answers = office.write(record_type, writes)
    if any(answer.state != "updated" for answer in answers):
        raise PlainError("The demo's colleague could not change the register. Start with a new data folder.")


def load_winter_tariff(application: Application) -> Trip:
    """The trip, waiting at Review."""
    trip = new_trip(application, "Berth", WHO, FIELDS, CONDITION, "Winter tariff, North Reach")
    sent = run_inline(enqueue("send out", WHO, PartView.of(trip), run_here=True, format="xlsx"))
    kept = kept_records(trip)
    if sent.error or kept is None:
        raise PlainError(f"The demo's berths did not go out: {sent.error}")
    catalogue = describe(application)
    record_type = catalogue.type("Berth")
    fields = [catalogue.field(record_type, name) for name in trip.fields]
    columns = outgoing_columns(fields, kept, record_type, catalogue)
    edited = _edit(columns)
    raised = kept.with_columns(edited["daily_rate"].head(len(kept)).alias("new_rate"))
    raised = raised.filter(pl.col("new_rate").is_in(list(RAISES.values())))
    _colleague(application, raised.drop(VERSION))
    back = [
        OutgoingColumn(
            c.field, c.header, c.note, edited[c.field.name], c.as_number and c.field.name != "daily_rate", c.is_key
        )
        for c in columns
    ]
    with TemporaryDirectory() as folder:
        path = Path(folder) / file_name(trip, "xlsx")
        write_xlsx(back, path, record_type.plural, stamp_of(trip, fields))
        upload = take_file(path, WHO)
    job = start_bringing_in(
        application,
        "Berth",
        upload,
        person("ada"),
        ImportRequest(key=("harbour", "berth_no"), operation="upsert"),
        run_here=True,
    )
    brought = run_inline(job)
    if brought.error:
        raise PlainError(f"The demo's sheet did not come in: {brought.error}")
    trip.refresh_from_db()
    return trip
