"""Kept copies: taking them, finding the newest, and moving them on after a pass."""

from __future__ import annotations

import uuid

import polars as pl

from vexo.core.records import IDENTIFIER

from ..data_folder import absolute
from .models import KeptCopy, Trip


def newest_copy(trip: Trip) -> pl.DataFrame | None:
    """The records as the sheet's reader may take them to be, or None for a sheet from elsewhere."""
    copy = trip.kept_copies.order_by("-id").first()
    return pl.read_parquet(absolute(copy.path)) if copy else None


def keep_copy(trip: Trip, records: pl.DataFrame) -> KeptCopy:
    """Keep records with the trip. The file is new each time; earlier copies stay as they are."""
    relative = f"files/{trip.pk}/kept-{uuid.uuid4().hex[:12]}.parquet"
    target = absolute(relative)
    target.parent.mkdir(parents=True, exist_ok=True)
    part = target.with_suffix(".part")
    records.write_parquet(part, compression="lz4", row_group_size=16_384)
    part.replace(target)
    return KeptCopy.objects.create(trip=trip, path=relative, rows=len(records))


def moved_on(kept: pl.DataFrame, written: pl.DataFrame, fields: dict[str, list[str]]) -> pl.DataFrame:
    """The kept copy after a pass: the value read back becomes the kept one for each written cell.

    Args:
        written: records read back.
        fields: record ID → names of the fields that were written.
    """
    marks = pl.DataFrame(
        {IDENTIFIER: list(fields), "written": list(fields.values())},
        schema={IDENTIFIER: pl.String, "written": pl.List(pl.String)},
    )
    names = [name for name in kept.columns if name in written.columns and not name.startswith("@")]
    fresh = written.join(marks, on=IDENTIFIER, how="inner").select(
        IDENTIFIER, "written", *[pl.col(name).alias(f"now.{name}") for name in names]
    )
    joined = kept.join(fresh, on=IDENTIFIER, how="left", maintain_order="left")
    moved = joined.with_columns(
        [
            pl.when(pl.col("written").list.contains(name).fill_null(value=False))
            .then(pl.col(f"now.{name}"))
            .otherwise(pl.col(name))
            .alias(name)
            for name in names
        ]
    ).select(kept.columns)
    new = written.filter(~pl.col(IDENTIFIER).is_in(kept[IDENTIFIER].implode()) & pl.col(IDENTIFIER).is_in(list(fields)))
    return (
        pl.concat([moved, new.select([c for c in kept.columns if c in new.columns])], how="diagonal")
        if len(new)
        else moved
    )
