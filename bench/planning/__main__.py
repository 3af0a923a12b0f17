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

from vexo.core.sheets.readers.sandbox import _readers

from .records import expected, write

_MB = 1024


def _child(kind: str, folder: Path) -> None:
    """One measured run, told as one line of JSON."""
    from . import plain, whole_way

    began = time.perf_counter()
    work = {"vexo": whole_way.bring_in, "polars": plain.polars, "pandas": plain.pandas, "out": whole_way.send_out}[kind]
    verdicts = work(folder)
    # A reader that waits for the next file counts, too: only of ended processes it is known what they took.
    _readers.end()
    own, others = (resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
    told = {
        "verdicts": verdicts,
        "wall": time.perf_counter() - began,
        "cpu": own.ru_utime + own.ru_stime + others.ru_utime + others.ru_stime,
        "peak": max(own.ru_maxrss, others.ru_maxrss) / _MB,
        "stages": {name: round(spent, 2) for name, spent in whole_way.SPENT.items()},
    }
    print(json.dumps(told))


def _run(kind: str, folder: Path) -> dict[str, Any]:
    command = [sys.executable, "-m", "bench.planning", "--child", kind, "--folder", str(folder)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr)
    told: dict[str, Any] = json.loads(done.stdout.splitlines()[-1])
    return told


def _measure(rows: int, runs: int, kinds: list[str]) -> dict[str, float]:
    from . import whole_way

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write(folder, rows)
        _run("out", folder)
        told: dict[str, list[dict[str, Any]]] = {kind: [] for kind in kinds}
        for _ in range(runs):
            for kind in kinds:
                if kind == "vexo":
                    whole_way.copied(folder)
                one = _run(kind, folder)
                assert one["verdicts"] == {n: c for n, c in expected(rows).items() if c}, (kind, one["verdicts"])
                told[kind].append(one)
    medians = {}
    for kind, ones in told.items():
        cpu, wall, peak = (statistics.median(one[name] for one in ones) for name in ("cpu", "wall", "peak"))
        medians[kind] = cpu
        beside = "".join(f", {medians['vexo'] / cpu:.2f}x" for _ in (0,) if kind != "vexo" and "vexo" in medians)
        print(f"{rows:>9,} x 20  {kind:7} {cpu:7.2f} CPU s {wall:7.2f} s {peak:6,.0f} MB{beside}")
        if kind == "vexo":
            print(f"           of it {ones[-1]['stages']}")
    return medians


def main() -> None:
    reader = argparse.ArgumentParser(description=__doc__)
    reader.add_argument("--rows", type=int, action="append")
    reader.add_argument("--runs", type=int, default=3)
    reader.add_argument("--only", action="append", choices=["vexo", "polars", "pandas"])
    reader.add_argument("--child")
    reader.add_argument("--folder", type=Path)
    asked = reader.parse_args()
    if asked.child:
        _child(asked.child, asked.folder)
        return
    kinds = asked.only or ["vexo", "polars", "pandas"]
    by_rows = {rows: _measure(rows, asked.runs, kinds) for rows in asked.rows or (10_000, 200_000, 1_000_000)}
    if {200_000, 1_000_000} <= set(by_rows):
        growth = by_rows[1_000_000]["vexo"] / by_rows[200_000]["vexo"]
        print(f"growth from 200,000 to 1,000,000 rows: {growth:.1f}x (most: 5.5)")


main()
