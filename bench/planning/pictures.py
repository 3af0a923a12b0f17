"""Figures and charts of a plan's columns, beside the bare group-bys that they are made of.

    python -m bench.planning.pictures [--rows 1000000] [--columns 20]

The plain side counts each column's values before and after, and its changes, with one group-by each.
"""

from __future__ import annotations

import argparse
import datetime as dt
import random
from functools import partial

import polars as pl

from bench.planning.measured_keys import timed
from vexo.core.planning.frame import VERDICT, FieldColumns
from vexo.core.planning.pictures import columns_of_picture, picture_of
from vexo.core.planning.verdicts import CellAction, Verdict
from vexo.core.records import Choice, Field, Kind
from vexo.core.values import dtype

CHOICES = tuple(Choice(name, name) for name in ("free", "let", "closed", "retired"))


def fields(columns: int) -> list[Field]:
    """Numbers, days, choices and texts in turn."""
    kinds = [
        lambda at: Field(f"f{at}", f"F{at}", Kind.DECIMAL, precision=12, scale=2),
        lambda at: Field(f"f{at}", f"F{at}", Kind.DATE),
        lambda at: Field(f"f{at}", f"F{at}", Kind.CHOICE, choices=CHOICES),
        lambda at: Field(f"f{at}", f"F{at}", Kind.TEXT),
    ]
    return [kinds[at % 4](at) for at in range(columns)]


def values(field: Field, rows: int, pick: random.Random) -> pl.Series:
    """Values of a field, some hundred different ones."""
    at = pl.Series(pick.choices(range(400), k=rows))
    if field.kind == Kind.DECIMAL:
        return (at * 25).cast(pl.Decimal(14, 2)) / 100
    if field.kind == Kind.DATE:
        return (
            pl.Series([dt.date(2026, 1, 1)]).new_from_index(0, rows)
            + pl.select(pl.duration(days=pl.lit(at))).to_series()
        )
    if field.kind == Kind.CHOICE:
        return pl.Series([choice.value for choice in CHOICES]).gather(at % len(CHOICES))
    return "text " + at.cast(pl.String)


def plan(rows: int, asked: list[Field]) -> pl.DataFrame:
    """A plan of which one cell in ten is changed."""
    pick = random.Random(7)
    columns = [pl.Series(VERDICT, pick.choices([Verdict.UPDATE.value, Verdict.SAME.value], k=rows))]
    for field in asked:
        names = FieldColumns(field.name)
        action = pl.Series(pick.choices([CellAction.NOTHING, CellAction.WRITE], [9, 1], k=rows), dtype=pl.UInt8)
        columns += [
            action.alias(names.action),
            values(field, rows, pick).cast(dtype(field)).alias(names.current),
            values(field, rows, pick).cast(dtype(field)).alias(names.proposed),
        ]
    return pl.DataFrame(columns)


def pictures(table: pl.DataFrame, asked: list[Field]) -> None:
    """All pictures, as Review asks for them."""
    for field in asked:
        picture_of(table.select(columns_of_picture(field.name)), field)


def grouped(table: pl.DataFrame, asked: list[Field]) -> None:
    """The bare group-bys."""
    for field in asked:
        names = FieldColumns(field.name)
        writes = (pl.col(VERDICT) == Verdict.UPDATE) & (pl.col(names.action) == CellAction.WRITE)
        after = pl.when(writes).then(names.proposed).otherwise(names.current)
        pl.collect_all(
            [
                table.lazy().group_by(names.current).len(),
                table.lazy().group_by(after.alias("after")).len(),
                table.lazy().filter(writes).group_by(names.current, names.proposed).len(),
            ]
        )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=1_000_000)
    parser.add_argument("--columns", type=int, default=20)
    asked = parser.parse_args()
    for part in (100, 10, 1):
        rows = asked.rows // part
        own_fields = fields(asked.columns)
        table = plan(rows, own_fields)
        own = timed(partial(pictures, table, own_fields))
        plain = timed(partial(grouped, table, own_fields))
        ratio = f"bare group-bys {plain:.2f} s ({own / plain:.1f} x)"
        print(f"{rows:>9,} rows, {asked.columns} columns: pictures {own:.2f} s, {ratio}", flush=True)


if __name__ == "__main__":
    main()
