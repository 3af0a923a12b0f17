"""Candidates for a key measured, beside bare group-bys of the same columns.

    python -m bench.planning.measured_keys [--rows 1000000] [--columns 10]

Each column is a candidate by itself. The plain side groups the sheet's column and the application's by value, once
each, and joins nothing. Growth is told at a tenth and a hundredth.
"""

from __future__ import annotations

import argparse
import random
import time
from collections.abc import Callable
from functools import partial

import polars as pl

from vexo.core.columns.carried_columns import CarriedColumns
from vexo.core.columns.marks import VALUE
from vexo.core.keys.candidates import measure
from vexo.core.records import IDENTIFIER, Field, Kind, RecordType


def tables(rows: int, columns: int) -> tuple[RecordType, pl.DataFrame, pl.DataFrame]:
    """A record type of texts, a sheet's carried values, and as many records: one in a hundred values is another."""
    fields = tuple(Field(f"f{at}", f"F{at}", Kind.TEXT) for at in range(columns))
    record_type = RecordType("Thing", "Thing", "Things", "Things", "id", (Field("id", "ID", Kind.TEXT), *fields))
    pick = random.Random(3)
    carried: dict[str, pl.Series] = {}
    records = {IDENTIFIER: pl.int_range(rows, eager=True).cast(pl.String)}
    for at, field in enumerate(fields):
        # From a key of its own for each row down to a few hundred different ones.
        different = max(300, rows // (1 + at * at))
        values = (pl.int_range(rows, eager=True) * 7919 % different).cast(pl.String).str.zfill(9)
        records[field.name] = "V" + values
        strange = pl.Series([pick.random() < 0.01 for _ in range(rows)])
        names = CarriedColumns(field.name)
        letter = pl.when(strange).then(pl.lit("W")).otherwise(pl.lit("V"))
        carried[names.value] = pl.select(letter + values).to_series()
        carried[names.cell_says] = pl.repeat(VALUE, rows, dtype=pl.UInt8, eager=True)
        carried[names.problem] = pl.repeat(None, rows, dtype=pl.String, eager=True)
    return record_type, pl.DataFrame(carried), pl.DataFrame(records)


def timed(work: Callable[[], object]) -> float:
    """The best of three, in seconds."""
    taken = []
    for _ in range(3):
        began = time.perf_counter()
        work()
        taken.append(time.perf_counter() - began)
    return min(taken)


def measured(record_type: RecordType, carried: pl.DataFrame, records: pl.DataFrame, names: list[str]) -> None:
    """All candidates, as Keys measures them."""
    for name in names:
        measure(carried, records, [name], record_type)


def grouped(carried: pl.DataFrame, records: pl.DataFrame, names: list[str]) -> None:
    """The bare group-bys."""
    for name in names:
        carried.lazy().group_by(CarriedColumns(name).value).len().collect()
        records.lazy().group_by(name).len().collect()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=1_000_000)
    parser.add_argument("--columns", type=int, default=10)
    asked = parser.parse_args()
    for part in (100, 10, 1):
        rows = asked.rows // part
        record_type, carried, records = tables(rows, asked.columns)
        names = [field.name for field in record_type.fields if field.name != "id"]
        own = timed(partial(measured, record_type, carried, records, names))
        plain = timed(partial(grouped, carried, records, names))
        ratio = f"bare group-bys {plain:.2f} s ({own / plain:.1f} x)"
        print(f"{len(names)} candidates on {rows:,} rows: {own:.2f} s; {ratio}")


if __name__ == "__main__":
    main()
