"""One decision about a tenth of a sheet's rows, and its undoing, up to the new plan.

    python -m bench.planning.decisions [--rows 1000000]

Of each edited cell (one in one row of ten) others changed the value, too. All are decided by one answer. Beside each
line stands planning all rows again, in the same run.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest.mock import patch

from . import whole_way
from .records import write


def _timed(data: Path, *words: str) -> float:
    began = time.perf_counter()
    whole_way.command(data, *words)
    return time.perf_counter() - began


def _decided_and_undone(data: Path) -> tuple[float, float]:
    decided = _timed(data, "decide", "1", "application", "--code", "both-changed")
    last = whole_way.command(data, "decisions", "1")["decisions"][0]["id"]
    return decided, _timed(data, "decisions", "1", "--undo", str(last))


def _measure(rows: int) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write(folder, rows, clash=10)
        command = [sys.executable, "-m", "bench.planning", "--child", "out", "--folder", str(folder)]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        data = whole_way.copied(folder)
        held = whole_way.bring_in(folder)["held"]
        vexo = _decided_and_undone(data)
        with patch("vexo.server.planning.plan_trip.replan", return_value=None):
            plainly = _decided_and_undone(data)
    print(f"{rows:>9,} x 20, {held:,} rows {'':22} {'Vexo':>11}   {'plainly':>11}")
    for what, own, all_rows in zip(("decided", "undone"), vexo, plainly, strict=True):
        print(f"{what:48} {own:8.1f} s    {all_rows:8.1f} s", flush=True)


def main() -> None:
    reader = argparse.ArgumentParser(description=__doc__)
    reader.add_argument("--rows", type=int)
    rows = reader.parse_args().rows
    if rows is not None:
        _measure(rows)
        return
    # A process works in one data folder.
    for each in ("200000", "1000000"):
        subprocess.run([sys.executable, "-m", "bench.planning.decisions", "--rows", each], check=True)


if __name__ == "__main__":
    main()
