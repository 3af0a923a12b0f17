"""3,866 berths out and 1,000 updates in, against the running register: seconds and peak memory.

The plain baseline in the same run reads the same records with one loop over pages and writes the same 1,000 rows one
PATCH at a time, compares nothing and keeps nothing.
"""

from __future__ import annotations

import csv
import os
import resource
import subprocess
import time

from tests.support import BIN, TOKEN, Vexo, register


def measured(*command: str) -> tuple[float, float]:
    """Seconds and peak MB of a child process, which has to end well: 0, or 1 where something is open."""
    began = time.monotonic()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=os.environ)
    _, status, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) not in (0, 1):
        raise SystemExit(f"{command} ended with {os.waitstatus_to_exitcode(status)}")
    return time.monotonic() - began, usage.ru_maxrss / 1024


def baseline(rows: list[dict[str, str]]) -> tuple[float, float]:
    began = time.monotonic()
    with register().client(TOKEN, "practice") as client:
        url, records = "Berths", []
        while url:
            page = client.get(url).json()
            records += page["value"]
            url = page.get("@odata.nextLink")
        out = time.monotonic() - began
        began = time.monotonic()
        for row in rows:
            client.patch(f"Berths({row['Record ID']})", json={"depth_m": 1.5}).raise_for_status()
    return out, time.monotonic() - began


def main() -> None:
    vexo = Vexo()
    command = [str(BIN / "vexo"), "--data", str(vexo.data)]
    path = vexo.files / "berths.xlsx"
    seconds, memory = measured(*command, "send-out", "harbour-practice", "Berth", "-o", str(path))
    print(f"3,866 berths, 15 fields, out as XLSX: {seconds:.1f} s, {memory:.0f} MB")
    table = vexo.files / "berths.csv"
    out = ("send-out", "harbour-practice", "Berth", "--field", "notes", "--field", "depth_m", "-o", str(table))
    seconds, memory = measured(*command, *out)
    print(f"3,866 berths, 5 fields, out as CSV:   {seconds:.1f} s, {memory:.0f} MB")
    with table.open(encoding="utf-8-sig", newline="") as file:
        rows = list(csv.DictReader(file))
    for number, row in enumerate(rows[:1000]):
        row["Notes"] = f"Measured again, {number}"
    with table.open("w", encoding="utf-8-sig", newline="") as file:
        writer = csv.DictWriter(file, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    seconds, memory = measured(*command, "bring-in", "harbour-practice", "Berth", str(table), "--trip", "2")
    print(f"3,866 rows in, up to Review:          {seconds:.1f} s, {memory:.0f} MB")
    measured(*command, "decide", "2", "go on", "--code", "many-changes")
    before = len(register().effects())
    seconds, memory = measured(*command, "apply", "2", "--yes")
    written = len(register().effects()) - before
    print(f"{written:,} updates, read back:             {seconds:.1f} s, {memory:.0f} MB")
    read, write = baseline(rows[:1000])
    own = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"plain loop, same records read:        {read:.1f} s; 1,000 single updates: {write:.1f} s ({own:.0f} MB)")


if __name__ == "__main__":
    main()
