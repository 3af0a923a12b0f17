"""K, the base of the three-way comparison, as a pair: what the sheet said, and what the application then held.

It comes from the kept copy, where both are the value sent out, and from the ledger of passes, which is newer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ..records import IDENTIFIER, Field
from ..sheets.sheet import ROW_ID
from ..values import dtype, to_text

LEDGER = {
    ROW_ID: pl.UInt32(),
    "state": pl.String(),
    IDENTIFIER: pl.String(),
    "pass": pl.UInt32(),
}


def said_column(name: str) -> str:
    """Where the value is that the sheet said then."""
    return f"said.{name}"


def held_column(name: str) -> str:
    """Where the value is that the application then held."""
    return f"held.{name}"


def has_column(name: str) -> str:
    """Where it is told whether a cell has such a pair at all."""
    return f"has.{name}"


@dataclass(frozen=True)
class Ledger:
    """What passes have done, merged over all of a trip's.

    ``rows``: one line a row that a pass bound or left in doubt: ``state`` (created, updated, deleted or unclear),
    ``@id`` and ``pass``. ``pairs``: field name → ``row_id``, ``@id``, ``said``, ``held``.
    """

    rows: pl.DataFrame
    pairs: dict[str, pl.DataFrame]

    @classmethod
    def empty(cls) -> Ledger:
        return cls(pl.DataFrame(schema=LEDGER), {})

    @classmethod
    def merged(cls, pages: Sequence[pl.DataFrame]) -> Ledger:
        """All pages as one, the oldest first; of each row the newest state that tells something counts, of each cell
        the newest pair.

        Args:
            pages: ``row_id``, ``state``, ``@id``, ``pass`` and ``said.``, ``held.``, ``has.`` of the fields of a pass.
        """
        if not pages:
            return cls.empty()
        states = ["created", "updated", "deleted", "unclear"]
        rows = pl.concat([page.select(*LEDGER) for page in pages]).filter(pl.col("state").is_in(states))
        names = dict.fromkeys(c[4:] for page in pages for c in page.columns if c.startswith("has."))
        pairs = {name: _pairs_of(name, pages) for name in names}
        return cls(rows.unique(ROW_ID, keep="last", maintain_order=True), pairs)


def _pairs_of(name: str, pages: Sequence[pl.DataFrame]) -> pl.DataFrame:
    own = [page for page in pages if has_column(name) in page.columns]
    newest = own[-1].schema[said_column(name)]
    parts = [
        page.filter(pl.col(has_column(name))).select(
            ROW_ID,
            IDENTIFIER,
            pl.col(said_column(name)).cast(newest, strict=False).alias("said"),
            pl.col(held_column(name)).cast(newest, strict=False).alias("held"),
        )
        for page in own
    ]
    return pl.concat(parts).unique(ROW_ID, keep="last", maintain_order=True)


def out_text(field: Field, kept: pl.DataFrame, shown: str | None) -> pl.Series:
    """A field's kept values as they were written out: a reference as people know the other record."""
    if shown and shown in kept.columns:
        return kept[shown].cast(pl.String)
    values = kept[field.name]
    return to_text(field, values.cast(dtype(field), strict=False))


def lay_pairs(
    frame: pl.DataFrame, kept: pl.DataFrame | None, ledger: Ledger, field: Field, shown: str | None
) -> pl.DataFrame:
    """Add ``said.``, ``held.``, ``has.`` and ``out.`` of one field, for each row's record (``@id``)."""
    name, own = field.name, dtype(field)
    said, held, has = said_column(name), held_column(name), has_column(name)
    if kept is not None and name in kept.columns:
        columns = [
            kept[IDENTIFIER],
            kept[name].cast(own, strict=False).alias("kept"),
            out_text(field, kept, shown).alias(f"out.{name}"),
        ]
        base = pl.DataFrame(columns).unique(IDENTIFIER).with_columns(pl.lit(value=True).alias("in"))
        frame = frame.join(base, on=IDENTIFIER, how="left", maintain_order="left")
    else:
        none = [pl.lit(None, own).alias("kept"), pl.lit(None, pl.String).alias(f"out.{name}"), pl.lit(None).alias("in")]
        frame = frame.with_columns(none)
    pairs = ledger.pairs.get(name)
    if pairs is None or pairs.is_empty():
        return frame.with_columns(
            pl.col("kept").alias(said), pl.col("kept").alias(held), pl.col("in").is_not_null().alias(has)
        ).drop("kept", "in")
    newer = pairs.select(
        ROW_ID,
        pl.col(IDENTIFIER).alias("pair"),
        pl.col("said").cast(own, strict=False).alias("l.said"),
        pl.col("held").cast(own, strict=False).alias("l.held"),
    )
    frame = frame.join(newer, on=ROW_ID, how="left", maintain_order="left")
    counts = pl.col("pair").is_not_null() & pl.col("pair").eq_missing(pl.col(IDENTIFIER))
    return frame.with_columns(
        pl.when(counts).then("l.said").otherwise("kept").alias(said),
        pl.when(counts).then("l.held").otherwise("kept").alias(held),
        (counts | pl.col("in").is_not_null()).alias(has),
        pl.when(counts).then(None).otherwise(pl.col(f"out.{name}")).alias(f"out.{name}"),
    ).drop("kept", "in", "pair", "l.said", "l.held")
