"""Treatments and carrying, against the same work written straight in Polars, in the same run.

Five treatments on 1,000,000 values: trim, treat as blank, decimal comma, multiply, round. Most: 2 times.
Carrying 1,000,000 x 20: text → typed values with problems, against bare casts. Most: 2 times.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from typing import Any

import polars as pl

from vexo.core.columns.carried_values import Reading, carry
from vexo.core.columns.matches import ColumnMatch, MatchedBy
from vexo.core.columns.treatments import treat, treatment_from_json
from vexo.core.columns.treatments.base import BAD
from vexo.core.records import Field, Kind, RecordType

ROWS = 1_000_000
TREATMENTS = [
    treatment_from_json(one)
    for one in (
        {"do": "trim"},
        {"do": "blank", "texts": ["n/k"]},
        {"do": "number", "written": "1234,5"},
        {"do": "multiply", "by": "0.3048"},
        {"do": "round", "to": 2},
    )
]
_SPACES = "[\\s\u00a0\u2007\u202f\ufeff]"


def best(work: Callable[[], Any], times: int = 3) -> float:
    """The shortest of several runs, in seconds."""
    spent = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent)


def straight(values: pl.Series) -> pl.Series:
    """The five treatments as someone would write them by hand, with the same care for cells that are not numbers."""
    text = (
        pl.col("v")
        .str.replace_all("[ \t\u00a0\u2007\u202f\ufeff]+", " ")
        .str.replace_all(f"^{_SPACES}+|{_SPACES}+$", "")
    )
    frame = values.to_frame("v").with_columns(text.alias("v"))
    frame = frame.with_columns(pl.when(pl.col("v").str.to_lowercase() == "n/k").then(None).otherwise("v").alias("v"))
    plain = pl.col("v").str.extract(r"^([+-]?\d+(?:,\d*)?)$", 1).str.replace(",", ".", literal=True)
    frame = frame.with_columns(plain.cast(pl.Decimal(38, 18), strict=False).alias("n"))
    made = (pl.col("n") * pl.lit("0.3048").cast(pl.Decimal(38, 18))).round(2, mode="half_away_from_zero")
    done = made.cast(pl.Decimal(38, 2)).cast(pl.String)
    lost = pl.col("n").is_null() & pl.col("v").is_not_null()
    return frame.select(pl.when(lost).then(pl.lit(BAD + "no-number-form")).otherwise(done).alias("v"))["v"]


def treatments() -> None:
    at = pl.int_range(ROWS, eager=True)
    for name, different in (("different", ROWS), ("2,000 different", 2000)):
        values = (at % different).cast(pl.String) + "," + (at % 10).cast(pl.String) + " "
        values = values.set(at % 97 == 5, "n/k")
        plain, own = best(partial(straight, values)), best(partial(treat, values, TREATMENTS))
        assert straight(values).equals(treat(values, TREATMENTS), null_equal=True)
        print(f"five treatments, {name:16} straight {plain:6.2f} s, Vexo {own:6.2f} s: {own / plain:.2f}x (most: 2)")


def _cells() -> tuple[pl.DataFrame, list[ColumnMatch], list[Field]]:
    at = pl.int_range(ROWS, eager=True)
    fields, columns = [], {}
    kinds = [Kind.TEXT, Kind.DECIMAL, Kind.DATE, Kind.WHOLE, Kind.TEXT]
    days = pl.select(pl.date(2020, 1, 1) + pl.duration(days=pl.lit(at % 2000))).to_series().cast(pl.String)
    texts = {
        Kind.TEXT: "B-" + at.cast(pl.String),
        Kind.DECIMAL: (at % 9000).cast(pl.String) + ".50",
        Kind.DATE: days,
        Kind.WHOLE: (at % 1000).cast(pl.String),
    }
    for place in range(20):
        kind = kinds[place % 5]
        fields.append(Field(f"f{place}", f"F{place}", kind, scale=2 if kind == Kind.DECIMAL else None, precision=18))
        columns[f"c{place}"] = texts[kind]
    cells = pl.DataFrame({"row_id": at.cast(pl.UInt32), "row": at + 2, **columns})
    matches = [ColumnMatch(f"c{place}", field.label, field, MatchedBy.LABEL) for place, field in enumerate(fields)]
    return cells, matches, fields


def carrying() -> None:
    cells, matches, fields = _cells()
    record_type = RecordType("T", "T", "Ts", "T", "id", tuple(fields))
    casts: dict[Kind, Any] = {
        Kind.TEXT: lambda c: c.str.strip_chars(),
        Kind.DECIMAL: lambda c: c.cast(pl.Decimal(38, 2), strict=False),
        Kind.DATE: lambda c: c.str.to_date("%Y-%m-%d", strict=False),
        Kind.WHOLE: lambda c: c.cast(pl.Int64, strict=False),
    }
    bare = [casts[field.kind](pl.col(m.column)).alias(field.name) for m, field in zip(matches, fields, strict=True)]
    plain = best(lambda: cells.select(bare))
    own = best(lambda: carry(cells, matches, record_type, Reading(), {}))
    print(f"carrying {ROWS:,} x 20         bare casts {plain:6.2f} s, Vexo {own:6.2f} s: {own / plain:.2f}x (most: 2)")


if __name__ == "__main__":
    treatments()
    carrying()
