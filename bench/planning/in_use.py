"""What a person waits for once a sheet of N x 20 is in, and a small sheet beside 60 large trips.

    python -m bench.planning.in_use [--rows 200000] [--runs 5]

Every line stands beside the plainest way to the same end, in the same run: after an answer or an edit, planning all
rows again; for a window, reading its columns whole; for recognising, reading the keys of every trip.
"""

from __future__ import annotations

import argparse
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any
from unittest.mock import patch

import polars as pl

from . import whole_way
from .records import write

TRIPS = 60


def _timed(work: Callable[[], Any], runs: int) -> float:
    """The median of some runs, in seconds; the first one, which loads what is needed, does not count."""
    times = []
    for _ in range(runs + 1):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return statistics.median(times[1:])


def _line(what: str, vexo: float, plain: float) -> None:
    print(f"{what:48} {vexo * 1000:8,.0f} ms   {plain * 1000:8,.0f} ms")


class _Numbers:
    """A new number each time: of a row that nobody has decided or edited yet."""

    def __init__(self) -> None:
        self.last = 10

    def __call__(self) -> str:
        self.last += 1
        return str(self.last)


def _after_one(data: Path, runs: int) -> None:
    row = _Numbers()
    decide = lambda: whole_way.command(data, "decide", "1", "aside", "--row", row())  # noqa: E731
    edit = lambda: whole_way.command(data, "edit", "1", "--row", row(), "--column", "Field 3", "--value", row())  # noqa: E731

    def treat(name: str, find: str) -> None:
        lanes = data.with_name("lanes.json")
        lanes.write_text(json.dumps({name: {"treatments": [{"do": "replace", "find": find, "put": f"no. {row()}"}]}}))
        whole_way.command(data, "columns", "1", "--lanes", str(lanes))

    works: dict[str, Callable[[], Any]] = {
        "an answer, up to its plan": decide,
        "an edit, up to its plan": edit,
        "a lane that few rows notice, up to its plan": partial(treat, "f4", "text 4 of 12345"),
        "a lane that all rows notice, up to its plan": partial(treat, "f9", "text"),
    }
    for what, work in works.items():
        part = _timed(work, runs)
        with patch("vexo.server.planning.plan_trip.replan", return_value=None):
            _line(what, part, _timed(work, 1))


def _windows(runs: int) -> None:
    from vexo.server import artifacts
    from vexo.server.planning.context import PlanContext, plan_of
    from vexo.server.rows.windows import Source, Wanted, plan_window
    from vexo.server.trips.models import Trip
    from vexo.server.trips.part_view import PartView

    plan = plan_of(PartView.of(Trip.objects.get(pk=1)))
    context = PlanContext.of_plan(plan)
    source = Source(plan.path, context.cells_path)
    middle = len(artifacts.read(plan.path, ["row_id"])) // 2
    for what, wanted, place in (
        ("a window in the middle", Wanted(), middle),
        ("a window of the held rows", Wanted(state="held"), 0),
        ("a window in the order of a column", Wanted(order="-f1"), 100),
        ("a window of the rows with a text", Wanted(text="group 17"), 100),
    ):
        began = time.perf_counter()
        plan_window(context, source, wanted, (place, 60))
        first = time.perf_counter() - began
        again = _timed(partial(plan_window, context, source, wanted, (place, 60)), runs)
        plain = _timed(lambda: artifacts.read(plan.path, ["verdict", "faults", "@id"]), runs)
        _line(f"{what}, first {first * 1000:,.0f} ms, then", again, plain)


def _keys(paths: Sequence[str]) -> list[pl.DataFrame]:
    from vexo.server import artifacts

    return [artifacts.read(path, ["@id"]) for path in paths]


def _recognising(folder: Path, runs: int) -> None:
    from vexo.core.sheets.readers.sandbox import read_sheet
    from vexo.server import artifacts
    from vexo.server.data_folder import absolute
    from vexo.server.recognition.likely_trips import likely_trips
    from vexo.server.trips.models import KeptCopy, Sheet, Trip

    def small(rows: int) -> Callable[[], Any]:
        path = folder / f"small{rows}.csv"
        lines = (folder / "sheet.csv").read_text().splitlines()
        path.write_text("\n".join([lines[0], *lines[500 : 500 + rows]]))
        cells = folder / f"small{rows}.parquet"
        profile, table = read_sheet(path, cells, path.name), pl.read_parquet(cells)
        return lambda: likely_trips(profile, table)

    first = Trip.objects.get(pk=1)
    copy, sheet = first.kept_copies.get(), first.sheets.filter(direction=Sheet.OUT).get()
    for trips in (1, TRIPS):
        for _ in range(trips - Trip.objects.count()):
            trip = Trip.objects.get(pk=1)
            trip.pk, trip._state.adding = None, True
            trip.save()
            path = artifacts.kept_name(trip.pk, "kept")
            absolute(path).parent.mkdir(parents=True, exist_ok=True)
            os.link(absolute(copy.path), absolute(path))
            KeptCopy.objects.create(trip=trip, part=None, path=path, rows=copy.rows)
            Sheet.objects.create(trip=trip, name=sheet.name, direction=Sheet.OUT, path=sheet.path, rows=sheet.rows)
        paths = list(KeptCopy.objects.values_list("path", flat=True))
        keys = _timed(partial(_keys, paths), runs)
        _line(f"recognising 3 rows beside {trips} large trips", _timed(small(3), runs), keys)


def main() -> None:
    reader = argparse.ArgumentParser(description=__doc__)
    reader.add_argument("--rows", type=int)
    reader.add_argument("--runs", type=int, default=5)
    options = reader.parse_args()
    if options.rows is None:
        # A process works in one data folder.
        for rows in ("200000", "1000000"):
            subprocess.run([sys.executable, "-m", "bench.planning.in_use", "--rows", rows], check=True)
        return
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write(folder, options.rows)
        command = [sys.executable, "-m", "bench.planning", "--child", "out", "--folder", str(folder)]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        data = whole_way.copied(folder)
        whole_way.bring_in(folder)
        print(f"{options.rows:>9,} x 20 {'':33} {'Vexo':>11}   {'plainly':>11}", flush=True)
        _after_one(data, options.runs)
        _windows(options.runs)
        _recognising(folder, options.runs)


if __name__ == "__main__":
    main()
