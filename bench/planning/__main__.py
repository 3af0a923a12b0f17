"""The whole way of an edited sheet of N x 20 to its stored plan, in turn with the same in Polars and pandas.

    python -m bench.planning [--rows 10000] [--runs 3]

CPU is user and system, of the process and of those that it started; the peak is of the largest of them. Goals: at
1,000,000 rows 2.5 times the CPU of Polars, faster than pandas, under 3 GB.
"""

from __future__ import annotations

import argparse
import json
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from vexo.core.sheets.readers.sandbox import end_waiting_readers

from .records import expected, write

_MB = 1024


def _child(kind: str, folder: Path) -> None:
    """One measured run, told as one line of JSON."""
    from . import plain, whole_way

    began = time.perf_counter()
    work = {"vexo": whole_way.bring_in, "polars": plain.polars, "pandas": plain.pandas, "out": whole_way.send_out}[kind]
    verdicts = work(folder)
    # A reader that waits for the next file counts, too: only of ended processes it is known what they took.
    end_waiting_readers()
    own, others = (resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
    figures = {
        "verdicts": verdicts,
        "wall": time.perf_counter() - began,
        "cpu": own.ru_utime + own.ru_stime + others.ru_utime + others.ru_stime,
        "peak": max(own.ru_maxrss, others.ru_maxrss) / _MB,
        "stages": {name: round(spent, 2) for name, spent in whole_way.SPENT.items()},
    }
    print(json.dumps(figures))


def _run(kind: str, folder: Path) -> dict[str, Any]:
    command = [sys.executable, "-m", "bench.planning", "--child", kind, "--folder", str(folder)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr)
    figures: dict[str, Any] = json.loads(done.stdout.splitlines()[-1])
    return figures


def _measure(rows: int, runs: int, kinds: list[str]) -> dict[str, float]:
    from . import whole_way

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write(folder, rows)
        _run("out", folder)
        by_kind: dict[str, list[dict[str, Any]]] = {kind: [] for kind in kinds}
        for _ in range(runs):
            for kind in kinds:
                if kind == "vexo":
                    whole_way.copied(folder)
                figures = _run(kind, folder)
                assert figures["verdicts"] == {n: c for n, c in expected(rows).items() if c}, (kind, figures)
                by_kind[kind].append(figures)
    medians = {}
    for kind, all_runs in by_kind.items():
        cpu, wall, peak = (statistics.median(run[name] for run in all_runs) for name in ("cpu", "wall", "peak"))
        medians[kind] = cpu
        ratio = f", {medians['vexo'] / cpu:.2f}x" if kind != "vexo" and "vexo" in medians else ""
        print(f"{rows:>9,} x 20  {kind:7} {cpu:7.2f} CPU s {wall:7.2f} s {peak:6,.0f} MB{ratio}")
        if kind == "vexo":
            print(f"           of it {all_runs[-1]['stages']}")
    return medians


def main() -> None:
    reader = argparse.ArgumentParser(description=__doc__)
    reader.add_argument("--rows", type=int, action="append")
    reader.add_argument("--runs", type=int, default=3)
    reader.add_argument("--only", action="append", choices=["vexo", "polars", "pandas"])
    reader.add_argument("--child")
    reader.add_argument("--folder", type=Path)
    options = reader.parse_args()
    if options.child:
        _child(options.child, options.folder)
        return
    kinds = options.only or ["vexo", "polars", "pandas"]
    by_rows = {rows: _measure(rows, options.runs, kinds) for rows in options.rows or (10_000, 200_000, 1_000_000)}
    if {200_000, 1_000_000} <= set(by_rows):
        growth = by_rows[1_000_000]["vexo"] / by_rows[200_000]["vexo"]
        print(f"growth from 200,000 to 1,000,000 rows: {growth:.1f}x (most: 5.5)")


main()
