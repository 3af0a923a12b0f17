"""The merge base of the three-way comparison, a pair for each cell: what the sheet said, and what the application held.

It comes from the kept copy, where both are the value sent out, and from the ledger of passes, which is newer. Rules:
``semantics.md`` 3.4.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import field as default

import polars as pl

from ..records import IDENTIFIER, VERSION, Field
from ..sheets.sheet import ROW_ID
from ..values import dtype, to_text
from .frame import FieldColumns, beside

LEDGER = {
    ROW_ID: pl.UInt32(),
    "state": pl.String(),
    IDENTIFIER: pl.String(),
    "pass": pl.UInt32(),
}
_VERSIONS = {ROW_ID: pl.UInt32(), IDENTIFIER: pl.String(), VERSION: pl.String()}
MOVED = "changed-meanwhile"
"""Why a row is refused whose record is no longer as it was reviewed."""
_STATES = ("created", "updated", "deleted", "unclear")
"""States of a row by which a pass bound it to a record, or left it in doubt."""


@dataclass(frozen=True)
class Ledger:
    """What passes have done, merged over all of a trip's.

    Attributes:
        versions: ``row_id``, ``@id`` and ``@version``: the version with which each row's record was last known here, by
            a pass that wrote it, or as it was reviewed for one that it was refused in since someone had changed it.
        rows: one line a row that a pass bound or left in doubt: ``state`` (created, updated, deleted or unclear),
            ``@id`` and ``pass``.
        bases: field name → ``row_id``, ``@id``, ``sent`` and ``app``, the two sides of the cells' merge bases.
    """

    rows: pl.DataFrame
    bases: dict[str, pl.DataFrame]
    versions: pl.DataFrame = default(default_factory=lambda: pl.DataFrame(schema=_VERSIONS))

    @classmethod
    def empty(cls) -> Ledger:
        """The ledger of a trip without a pass."""
        return cls(pl.DataFrame(schema=LEDGER), {})

    @classmethod
    def merged(cls, pages: Sequence[pl.DataFrame]) -> Ledger:
        """All pages as one, the oldest first; of each row the newest state that tells something counts, of each cell
        the newest base.

        Args:
            pages: ``row_id``, ``state``, ``@id``, ``pass`` and the merge base of the fields of a pass.
        """
        if not pages:
            return cls.empty()
        rows = pl.concat([page.select(*LEDGER) for page in pages]).filter(pl.col("state").is_in(_STATES))
        prefix = FieldColumns("").has_base
        names = dict.fromkeys(c.removeprefix(prefix) for page in pages for c in page.columns if c.startswith(prefix))
        bases = {name: _bases_of(FieldColumns(name), pages) for name in names}
        newest = rows if len(pages) == 1 else rows.unique(ROW_ID, keep="last", maintain_order=True)
        return cls(newest, bases, _versions_of(pages))


def _versions_of(pages: Sequence[pl.DataFrame]) -> pl.DataFrame:
    known = pl.col("state").is_in(["created", "updated"]) | (pl.col("code") == MOVED)
    parts = [page.filter(known).select(*_VERSIONS) for page in pages if {VERSION, "code"}.issubset(page.columns)]
    none = pl.DataFrame(schema=_VERSIONS)
    return pl.concat([none, *parts]).unique(ROW_ID, keep="last", maintain_order=True) if parts else none


def _bases_of(columns: FieldColumns, pages: Sequence[pl.DataFrame]) -> pl.DataFrame:
    with_field = [page for page in pages if columns.has_base in page.columns]
    newest = with_field[-1].schema[columns.base_sent]
    parts = [
        page.filter(pl.col(columns.has_base)).select(
            ROW_ID,
            IDENTIFIER,
            pl.col(columns.base_sent).cast(newest, strict=False).alias("sent"),
            pl.col(columns.base_app).cast(newest, strict=False).alias("app"),
        )
        for page in with_field
    ]
    # A page has each row once.
    return parts[0] if len(parts) == 1 else pl.concat(parts).unique(ROW_ID, keep="last", maintain_order=True)


def sent_text(field: Field, kept: pl.DataFrame, shown: str | None) -> pl.Series:
    """A field's kept values as they were written out: a reference as people know the other record."""
    if shown and shown in kept.columns:
        return kept[shown].cast(pl.String)
    return to_text(field, kept[field.name].cast(dtype(field), strict=False))


def _from_kept_copy(
    frame: pl.DataFrame, kept: pl.DataFrame | None, fields: Sequence[Field], shown: dict[str, str]
) -> pl.DataFrame:
    """``base_sent`` and ``sent_text`` of each field, and whether the kept copy has the row's record (``has_base``)."""
    missing: list[pl.Series | pl.Expr] = []
    nothing = pl.Series([None], dtype=pl.String).new_from_index(0, len(frame))
    there: list[pl.Series] = []
    for field in fields:
        columns = FieldColumns(field.name)
        if kept is not None and field.name in kept.columns:
            there += [
                kept[field.name].cast(dtype(field), strict=False).alias(columns.base_sent),
                pl.repeat(value=True, n=len(kept), eager=True).alias(columns.has_base),
            ]
            # Only a cell that cannot be read is held against a text.
            if frame[columns.problem].null_count() < len(frame):
                there.append(sent_text(field, kept, shown.get(field.name)).alias(columns.sent_text))
            else:
                missing.append(nothing.alias(columns.sent_text))
        else:
            missing += [
                pl.lit(None, dtype(field)).alias(columns.base_sent),
                nothing.alias(columns.sent_text),
                pl.lit(value=False).alias(columns.has_base),
            ]
    if kept is not None and there:
        frame = frame.hstack(beside(frame[IDENTIFIER], pl.DataFrame([kept[IDENTIFIER], *there])))
    return frame.with_columns(missing) if missing else frame


def add_merge_base(
    frame: pl.DataFrame, kept: pl.DataFrame | None, ledger: Ledger, fields: Sequence[Field], shown: dict[str, str]
) -> pl.DataFrame:
    """Add ``base_sent``, ``base_app``, ``has_base`` and ``sent_text`` of each field, for each row's record (``@id``).

    Args:
        shown: for each reference the column of the kept copy with which it was written out.
    """
    frame = _from_kept_copy(frame, kept, fields, shown)
    changes: list[pl.Expr] = []
    temporary: list[str] = []
    for field in fields:
        columns, bases = FieldColumns(field.name), ledger.bases.get(field.name)
        has_base = pl.col(columns.has_base).fill_null(value=False)
        if bases is None or bases.is_empty():
            changes += [pl.col(columns.base_sent).alias(columns.base_app), has_base.alias(columns.has_base)]
            continue
        record, sent, app = (f"ledger.{what}.{field.name}" for what in ("record", "sent", "app"))
        newer = bases.select(
            ROW_ID,
            pl.col(IDENTIFIER).alias(record),
            pl.col("sent").cast(dtype(field), strict=False).alias(sent),
            pl.col("app").cast(dtype(field), strict=False).alias(app),
        )
        frame = frame.hstack(beside(frame[ROW_ID], newer))
        temporary += [record, sent, app]
        counts = pl.col(record).is_not_null() & pl.col(record).eq_missing(pl.col(IDENTIFIER))
        changes += [
            pl.when(counts).then(sent).otherwise(columns.base_sent).alias(columns.base_sent),
            pl.when(counts).then(app).otherwise(columns.base_sent).alias(columns.base_app),
            (counts | has_base).alias(columns.has_base),
            pl.when(counts).then(None).otherwise(columns.sent_text).alias(columns.sent_text),
        ]
    return frame.with_columns(changes).drop(temporary) if fields else frame
