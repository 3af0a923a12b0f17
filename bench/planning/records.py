"""Made-up records of 19 fields, as they went out and as they are now, and an edited sheet of them.

One cell in one row of ten was edited; one record in fifty was changed by others; of the edited cells one in fifty was
changed by others too, so that its row is held.
"""

from __future__ import annotations

from pathlib import Path

import polars as pl

from vexo.core.records import IDENTIFIER, VERSION, Catalogue, Field, Kind, Promises, RecordType

FIELDS = 19
_KINDS = (Kind.TEXT, Kind.DECIMAL, Kind.DATE, Kind.WHOLE, Kind.TEXT)


def fields() -> list[Field]:
    """The carried fields."""
    made = []
    for place in range(FIELDS):
        kind = _KINDS[place % len(_KINDS)]
        scale = 2 if kind == Kind.DECIMAL else None
        made.append(Field(f"f{place}", f"Field {place}", kind, scale=scale, precision=18 if scale else None))
    return made


def catalogue() -> Catalogue:
    """An application with this one type."""
    identifier = Field("id", "Record ID", Kind.TEXT, read_only=True)
    record_type = RecordType(
        "Reading", "Reading", "Readings", "Readings", "id", (identifier, *fields()), versioned=True
    )
    return Catalogue("Bench", (record_type,), Promises(batch=200), "1")


def _value(place: int, at: pl.Expr) -> pl.Expr:
    match _KINDS[place % len(_KINDS)]:
        case Kind.DECIMAL:
            return ((at * (place + 3) % 900_000).cast(pl.Decimal(20, 2)) / 100).cast(pl.Decimal(38, 2))
        case Kind.DATE:
            return pl.date(2015, 1, 1) + pl.duration(days=(at + place) % 4000)
        case Kind.WHOLE:
            return (at * (place + 1)) % 100_000
    # One text in two is a short list of words, the other different in each row.
    few = pl.format("group {}", (at + place) % 200)
    return few if place % 2 else pl.format("text {} of {}", place, at)


def _changed(place: int, column: pl.Expr, step: int) -> pl.Expr:
    match _KINDS[place % len(_KINDS)]:
        case Kind.DECIMAL | Kind.WHOLE:
            return column + step
        case Kind.DATE:
            return column + pl.duration(days=step)
    return pl.format("{} ({})", column, step)


def _table(rows: int, kind: str, clash: int) -> pl.DataFrame:
    at = pl.col("at")
    columns = []
    for place in range(FIELDS):
        value = _value(place, at)
        mine = (at % 10 == 3) & (at // 10 % FIELDS == place)
        others = (at % 50 == 7) & (at // 50 % FIELDS == place)
        both = mine & (at % clash == 3)
        if kind == "sheet":
            value = pl.when(mine).then(_changed(place, value, 1)).otherwise(value)
        elif kind == "now":
            value = (
                pl.when(both)
                .then(_changed(place, value, 3))
                .when(others)
                .then(_changed(place, value, 2))
                .otherwise(value)
            )
        columns.append(value.alias(f"f{place}"))
    version = pl.when((kind == "now") & ((at % 50 == 7) | (at % clash == 3))).then(pl.lit("2")).otherwise(pl.lit("1"))
    identifier = pl.lit("R") + at.cast(pl.String).str.zfill(8)
    frame = pl.DataFrame({"at": pl.int_range(rows, eager=True)})
    return (
        frame.lazy().select(identifier.alias(IDENTIFIER), version.alias(VERSION), *columns).collect(engine="streaming")
    )


def write(folder: Path, rows: int, clash: int = 500) -> None:
    """Write ``then.parquet``, ``now.parquet`` and ``sheet.csv``; of one row in ``clash`` the edited cell was changed by
    others, too."""
    folder.mkdir(parents=True, exist_ok=True)
    for kind in ("then", "now"):
        _table(rows, kind, clash).write_parquet(folder / f"{kind}.parquet", compression="lz4", row_group_size=16_384)
    labels = {IDENTIFIER: "Record ID", **{field.name: field.label for field in fields()}}
    _table(rows, "sheet", clash).drop(VERSION).rename(labels).write_csv(folder / "sheet.csv")


def expected(rows: int) -> dict[str, int]:
    """The verdicts of the plan."""
    held = len(range(3, rows, 500))
    update = len(range(3, rows, 10)) - held
    return {"same": rows - held - update, "update": update, "held": held}
