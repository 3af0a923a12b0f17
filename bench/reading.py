"""Files to stored cells: seconds and peak memory of the reading process, its start included.

A text file of 1,000,000 rows x 20 columns, beside Polars' and pandas' own bare reading of it as text; a workbook of
100,000 x 20, beside what fastexcel takes, every cell held against what was written.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import polars as pl
import xlsxwriter

from tests.support import temporary_folder
from vexo.core.sheets.readers.sandbox import MEMORY_LIMIT

RUNS = 3
_POLARS = "import polars as pl; pl.read_csv({path!r}, infer_schema=False)"
_PANDAS = "import pandas as pd; pd.read_csv({path!r}, dtype=str)"
_FASTEXCEL = "import fastexcel; fastexcel.read_excel({path!r}).load_sheet(0, dtypes='string').to_polars()"


def once(command: list[str], line: str = "") -> tuple[float, float]:
    """Seconds and peak MB of a process that is given one line."""
    began = time.monotonic()
    process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True)
    assert process.stdin is not None
    process.stdin.write(line)
    process.stdin.close()
    _, status, usage = os.wait4(process.pid, 0)
    if status:
        raise RuntimeError(f"{command[:3]} ended with {status}")
    return time.monotonic() - began, usage.ru_maxrss / 1024


def best(name: str, command: list[str], line: str = "") -> float:
    """The quickest of some runs, told with its memory."""
    seconds, memory = min(once(command, line) for _ in range(RUNS))
    print(f"  {name:28} {seconds:6.2f} s  {memory:6.0f} MB", flush=True)
    return seconds


def ours(path: Path, cells: Path) -> float:
    question = {"file": str(path), "cells": str(cells), "name": path.name, "choices": {}}
    command = [sys.executable, "-m", "vexo.core.sheets.readers.child", str(MEMORY_LIMIT)]
    return best("Vexo, to stored cells", command, json.dumps(question) + "\n")


def table(rows: int, columns: int) -> pl.DataFrame:
    """Texts, numbers, codes and dates."""
    at = pl.int_range(rows, eager=True)
    kinds: list[Callable[[int], pl.Series]] = [
        lambda n: (at * (n + 3) % 9973).cast(pl.String) + ".25",
        lambda n: "B-" + (at % (1000 + n)).cast(pl.String).str.zfill(4),
        lambda n: "some words of row " + (at % 977).cast(pl.String),
        lambda n: (20_454 + at % 900).cast(pl.Int32).cast(pl.Date).cast(pl.String),
    ]
    return pl.DataFrame({f"column {n}": kinds[n % len(kinds)](n) for n in range(columns)})


def make(folder: Path) -> None:
    """The two files; in a process of its own, whose memory is not that of the readers."""
    table(1_000_000, 20).write_csv(folder / "large.csv")
    written = table(100_000, 20)
    numbers = {f"column {n}" for n in range(0, 20, 4)}
    with xlsxwriter.Workbook(folder / "large.xlsx") as book:
        sheet = book.add_worksheet()
        for at, name in enumerate(written.columns):
            sheet.write_string(0, at, name)
            write = sheet.write_number if name in numbers else sheet.write_string
            for row, text in enumerate(written[name].to_list(), 1):
                write(row, at, float(text) if name in numbers else text)


def differing(cells: Path) -> tuple[int, int]:
    """Of the workbook's cells: how many differ from what was written, and how many there are."""
    read, written = pl.read_parquet(cells).drop("row"), table(100_000, 20)
    numbers = {f"column {n}" for n in range(0, 20, 4)}
    differ = 0
    for n, name in enumerate(written.columns):
        wanted = written[name].str.replace(r"\.?0+$", "") if name in numbers else written[name]
        differ += int((read[f"c{n}"] != wanted).sum())
    return differ, read.height * read.width


def main() -> None:
    folder = temporary_folder()
    text, book, cells = folder / "large.csv", folder / "large.xlsx", folder / "cells.parquet"
    apart = multiprocessing.get_context("spawn")
    maker = apart.Process(target=make, args=(folder,))
    maker.start()
    maker.join()
    print(f"CSV, 1,000,000 rows x 20 columns, {text.stat().st_size / 1e6:.0f} MB:", flush=True)
    mine = ours(text, cells)
    plain = best("Polars, bare, as text", [sys.executable, "-c", _POLARS.format(path=str(text))])
    other = best("pandas, bare, as text", [sys.executable, "-c", _PANDAS.format(path=str(text))])
    print(f"  {mine / plain:.1f} times Polars, {mine / other:.2f} times pandas")
    print(f"XLSX, 100,000 rows x 20 columns, {book.stat().st_size / 1e6:.0f} MB:", flush=True)
    mine = ours(book, cells)
    other = best("fastexcel, bare, as text", [sys.executable, "-c", _FASTEXCEL.format(path=str(book))])
    with apart.Pool(1) as pool:
        differ, all_cells = pool.apply(differing, (cells,))
    print(f"  {mine / other:.1f} times fastexcel; {differ:,} of {all_cells:,} cells differ")


if __name__ == "__main__":
    main()
