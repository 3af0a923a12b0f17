"""201,344 shore-power readings out, and 100,000 x 20 cells into sheets: seconds and peak memory.

Plain baselines in the same run: a loop that follows the application's pages and writes each record to a CSV file,
compares nothing and keeps nothing; XlsxWriter in its constant-memory mode, with the same number of formats.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import polars as pl

from tests.support import BIN, TOKEN, Vexo, register
from vexo.core.records import Catalogue, Field, Kind, Promises, RecordType
from vexo.core.sheets.writers.ods import write_ods
from vexo.core.sheets.writers.outgoing import OutgoingColumn, outgoing_columns
from vexo.core.sheets.writers.xlsx import write_xlsx

LOOP = """
import csv, sys, httpx
address, token, path = sys.argv[1:]
headers = {"Authorization": f"Bearer {token}", "Prefer": "odata.maxpagesize=2000"}
client = httpx.Client(base_url=address + "/", headers=headers, trust_env=False, timeout=60)
with client, open(path, "w") as file:
    out = csv.writer(file)
    url = "Readings?$select=id,meter,read_at,kwh"
    while url:
        page = client.get(url).json()
        for one in page["value"]:
            out.writerow([one["id"], one["meter"], one["read_at"], one["kwh"]])
        url = page.get("@odata.nextLink")
"""
ROWS, COLUMNS = 100_000, 20


# A child begins with the peak of the process that it is split off from, so a small one stands between.
SPLIT = """
import os, resource, sys, time
began, pid = time.monotonic(), os.posix_spawn(sys.argv[1], sys.argv[1:], os.environ)
_, status, usage = os.wait4(pid, 0)
print(time.monotonic() - began, usage.ru_maxrss / 1024, status, file=sys.stderr)
"""


def measured(*command: str) -> tuple[float, float]:
    """Seconds and peak MB of a process."""
    split = [sys.executable, "-S", "-c", SPLIT, *command]
    done = subprocess.run(split, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=True)
    seconds, memory, status = done.stderr.split()[-3:]
    if status != "0":
        raise SystemExit(f"{command[0]} ended with {status}: {done.stderr}")
    return float(seconds), float(memory)


# Of a new data folder: what a worker needs to send out in the background, and how long it took from being asked.
ASK = """
import sys, time
from pathlib import Path
from vexo.server.setting_up import set_up
set_up(Path(sys.argv[1]))
from vexo.core.documents import SendOut
from vexo.server.applications.models import Application
from vexo.server.jobs.models import Job
from vexo.server.jobs.worker import enqueue
from vexo.server.sendout.selection import begin
from vexo.server.trips.part_view import PartView
document = SendOut("Reading", (), sys.argv[2], format=sys.argv[3])
trip = begin(Application.objects.get(name="harbour-practice"), document, "bench")
began, job = time.monotonic(), enqueue("send out", "bench", PartView.of(trip))
while job.state in Job.OPEN:
    time.sleep(0.05)
    job.refresh_from_db()
print(time.monotonic() - began, job.result["rows"] if job.result else job.error)
"""


def in_background(vexo: Vexo, condition: str, format_: str) -> tuple[float, float, str]:
    """A sending out done by a worker of its own: seconds, the worker's peak MB, and how many records that were."""
    command = [str(BIN / "vexo"), "--data", str(vexo.data), "worker", "--queue", "exports"]
    worker = subprocess.Popen(command, env={**os.environ, "POLARS_MAX_THREADS": "1"}, stderr=subprocess.DEVNULL)
    try:
        time.sleep(3)
        asked = [sys.executable, "-c", ASK, str(vexo.data), condition, format_]
        told = subprocess.run(asked, capture_output=True, text=True, check=True).stdout.split()
        status = Path(f"/proc/{worker.pid}/status").read_text(encoding="utf-8")
        peak = next(line for line in status.splitlines() if line.startswith("VmHWM"))
        return float(told[-2]), int(peak.split()[1]) / 1024, f"{int(told[-1]):,}"
    finally:
        worker.terminate()
        worker.wait()


def readings() -> None:
    """The same records out by a plain loop and by a worker, and a tenth of them."""
    subprocess.run([str(BIN / "harbour"), "readings", "--data", str(register().data)], check=True)
    address = register().odata("practice")
    for format_ in ("csv", "csv", "xlsx"):
        vexo, few = Vexo(), Vexo()
        plain, loop = measured(sys.executable, "-c", LOOP, address, TOKEN, str(vexo.files / "plain.csv"))
        seconds, memory, count = in_background(vexo, "", format_)
        took, little, tenth = in_background(few, "id lt 1020000", format_)
        print(f"plain loop, 201,344 readings to CSV: {plain:.1f} s, {loop:.0f} MB")
        print(
            f"  in the background as {format_}: {count} in {seconds:.1f} s ({seconds / plain:.2f} x), {memory:.0f} MB"
        )
        print(f"  {tenth} in {took:.1f} s, {little:.0f} MB (all of them take {memory / little:.2f} x of that)")


def table() -> tuple[list[OutgoingColumn], pl.DataFrame]:
    """100,000 rows of texts, decimals, whole numbers and days."""
    kinds = [Kind.TEXT, Kind.DECIMAL, Kind.WHOLE, Kind.DATE]
    fields = [Field("id", "Record ID", Kind.TEXT, read_only=True)]
    fields += [Field(f"f{n}", f"Field {n}", kinds[n % 4], scale=2, precision=12) for n in range(COLUMNS - 1)]
    own = RecordType("Row", "Row", "Rows", "Rows", "id", tuple(fields))
    at = pl.int_range(pl.len())
    made = {
        Kind.TEXT: pl.lit("value ") + (at * 7 % 90_001).cast(pl.String),
        Kind.DECIMAL: ((at * 31 % 999_983).cast(pl.String) + ".25").str.to_decimal(scale=2),
        Kind.WHOLE: at * 13 % 4_001,
        Kind.DATE: (at % 20_000 + 1).cast(pl.Int32).cast(pl.Date),
    }
    rows = pl.DataFrame({"id": pl.int_range(ROWS, eager=True).cast(pl.String)})
    records = rows.with_columns([made[field.kind].alias(field.name) for field in fields[1:]])
    return outgoing_columns(list(fields), records, own, Catalogue("Bench", (own,), Promises())), records


def by_xlsxwriter(columns: list[OutgoingColumn], records: pl.DataFrame, path: Path) -> None:
    """Cell by cell, with a format a column."""
    import xlsxwriter

    book = xlsxwriter.Workbook(str(path), {"constant_memory": True, "strings_to_urls": False})
    sheet = book.add_worksheet()
    formats = [book.add_format({"num_format": "0.00" if c.as_number else "@"}) for c in columns]
    sheet.freeze_panes(1, 1)
    for at, column in enumerate(columns):
        sheet.write_string(0, at, column.header)
    for row, values in enumerate(records.iter_rows(), start=1):
        for at, value in enumerate(values):
            if columns[at].as_number:
                sheet.write_number(row, at, float(value), formats[at])
            else:
                sheet.write_string(row, at, str(value), formats[at])
    book.close()


def sheets() -> None:
    """The same table as XLSX and ODS by Vexo, and as XLSX by XlsxWriter."""
    columns, records = table()
    folder = Vexo().files
    took: dict[str, list[float]] = {"XLSX": [], "ODS": [], "XlsxWriter": []}
    for _ in range(2):
        for name, times in took.items():
            began = time.monotonic()
            if name == "XLSX":
                write_xlsx(columns, folder / "own.xlsx", "Rows")
            elif name == "ODS":
                write_ods(columns, folder / "own.ods", "Rows")
            else:
                by_xlsxwriter(columns, records, folder / "theirs.xlsx")
            times.append(time.monotonic() - began)
    best = {name: min(times) for name, times in took.items()}
    share = best["XLSX"] / best["XlsxWriter"]
    print(f"100,000 x 20 to XLSX: {best['XLSX']:.1f} s; XlsxWriter {best['XlsxWriter']:.1f} s ({share:.2f} x)")
    print(f"100,000 x 20 to ODS:  {best['ODS']:.1f} s ({best['ODS'] / best['XLSX']:.2f} x our XLSX)")


if __name__ == "__main__":
    readings()
    sheets()
