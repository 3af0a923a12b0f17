"""What became of each row, as a sheet: the receipt, and the rows that are not in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ..planning.frame import FieldColumns, beside
from ..planning.verdicts import LANDED, RowState
from ..records import IDENTIFIER, Field, Kind
from ..sheets import SheetProfile
from ..sheets.overlay.versions import (
    OF_FIELD,
    PASS_HEADER,
    READ_BACK_HEADER,
    REASON_HEADER,
    RECORD_HEADER,
    ROW_HEADER,
    STATE_HEADER,
    WHY_HEADER,
)
from ..sheets.shape import column_titles
from ..sheets.sheet import ROW, ROW_ID
from ..sheets.writers.outgoing import OutgoingColumn
from ..values import dtype, to_text
from .ledger import STATE

NOT_IN = ("refused", "unclear", "held", "rejected", "waiting")


def text_column(name: str, header: str, cells: pl.Series) -> OutgoingColumn:
    """A column of texts as they are."""
    return OutgoingColumn(Field(name, header, Kind.TEXT), header, "", cells.cast(pl.String), False, False)


def _sheet_columns(cells: pl.DataFrame, profile: SheetProfile) -> list[OutgoingColumn]:
    return [text_column(column.name, column.header, cells[column.name]) for column in profile.columns]


@dataclass(frozen=True)
class Evidence:
    """What one pass did, for a receipt: its number, its page of the ledger (``ledger.page_of``), and the records that
    its rows deleted, each with the ``row_id`` of its row and all its fields."""

    number: int
    page: pl.DataFrame
    deleted: pl.DataFrame


def receipt(
    cells: pl.DataFrame,
    profile: SheetProfile,
    states: pl.DataFrame,
    passes: Sequence[Evidence],
    fields: Sequence[Field],
    read_back: pl.DataFrame,
) -> list[OutgoingColumn]:
    """The sheet's columns in their order, then row, what became of it, reason, record ID, pass, what reading back found
    where anything is not as sent, and of each field what the record held before the first pass that wrote it, and holds
    by the last one's own answer.

    Args:
        states: ``row_id``, ``state``, ``reason`` and ``@id`` of every row.
        passes: the oldest first.
        read_back: ``row_id`` and ``read_back``, in words, of rows of which something is not as sent.
    """
    reasons = states.select(ROW_ID, "state", "reason", IDENTIFIER)
    joined = cells.join(reasons, on=ROW_ID, how="left", maintain_order="left")
    columns = _sheet_columns(joined, profile)
    columns += [
        text_column("row", ROW_HEADER, joined[ROW]),
        text_column("state", STATE_HEADER, joined["state"]),
        text_column("reason", WHY_HEADER, joined["reason"]),
        text_column("id", RECORD_HEADER, joined[IDENTIFIER]),
        text_column("pass", PASS_HEADER, beside(joined[ROW_ID], _numbers(passes))["pass"]),
    ]
    if not read_back.is_empty():
        columns.append(text_column("read_back", READ_BACK_HEADER, beside(joined[ROW_ID], read_back)["read_back"]))
    for field in fields:
        before_and_now = _before_and_now(field, passes)
        if before_and_now.is_empty():
            continue
        texts = beside(joined[ROW_ID], before_and_now)
        names = ("before", "now")
        columns += [
            text_column(f"{name}.{field.name}", field.label + behind, texts[name])
            for name, behind in zip(names, OF_FIELD, strict=True)
        ]
    return columns


LINES = {
    "row": pl.UInt32(),
    "state": pl.String(),
    "reason": pl.String(),
    "record_id": pl.String(),
    "pass": pl.Int32(),
    "read_back": pl.String(),
    "changes": pl.List(pl.Struct({"field": pl.String, "before": pl.String, "now": pl.String})),
}
"""What a line of a receipt holds beside the sheet's own cells (``sheet``, by header): of each field that was written
what the record held before all passes, and now."""


def lines_of(columns: Sequence[OutgoingColumn], profile: SheetProfile) -> pl.DataFrame:
    """A receipt as lines of data, one a row: ``LINES`` and ``sheet``.

    Args:
        columns: as ``receipt`` gives them.
    """
    titles = column_titles(profile.columns)
    cells = {column.field.name: column.cells for column in columns}
    names = [name.removeprefix("before.") for name in cells if name.startswith("before.")]
    table = pl.DataFrame([texts.alias(name) for name, texts in cells.items()])
    headers = [pl.col(name).alias(titles[name] or name) for name in (column.name for column in profile.columns)]
    return table.select(
        pl.col("row").cast(LINES["row"]),
        "state",
        "reason",
        pl.col("id").alias("record_id"),
        pl.col("pass").cast(LINES["pass"]),
        pl.col("read_back") if "read_back" in cells else pl.lit(None, pl.String).alias("read_back"),
        _changes([(name, pl.col(f"before.{name}"), pl.col(f"now.{name}")) for name in names]),
        pl.struct(headers).alias("sheet"),
    )


def lines_of_absent(page: pl.DataFrame, reasons: pl.Series, number: int, fields: Sequence[Field]) -> pl.DataFrame:
    """The same of records that the sheet does not have, and that a pass was to delete; those that are gone say all that
    they held.

    Args:
        page: its page about these (``ledger.absent_page``).
        reasons: why each is not gone, in words.
    """
    held = pl.DataFrame([to_text(field, page[field.name]).alias(field.name) for field in fields])
    gone = page[STATE] == RowState.DELETED
    changes = held.select(_changes([(name, pl.col(name), pl.lit(None, pl.String)) for name in held.columns]))
    none = pl.Series([[]], dtype=LINES["changes"]).new_from_index(0, len(page))
    return pl.DataFrame(
        [
            pl.repeat(None, len(page), dtype=LINES["row"], eager=True).alias("row"),
            page[STATE].cast(pl.String).alias("state"),
            reasons.alias("reason"),
            page[IDENTIFIER].alias("record_id"),
            pl.repeat(number, len(page), dtype=LINES["pass"], eager=True).alias("pass"),
            changes["changes"].zip_with(gone, none),
        ]
    )


def _changes(values: Sequence[tuple[str, pl.Expr, pl.Expr]]) -> pl.Expr:
    """The fields of which either value is there, with both."""
    if not values:
        return pl.lit([], dtype=LINES["changes"]).alias("changes")
    each = [
        pl.when(before.is_not_null() | now.is_not_null()).then(
            pl.struct(pl.lit(name).alias("field"), before.alias("before"), now.alias("now"))
        )
        for name, before, now in values
    ]
    return pl.concat_list(each).list.drop_nulls().alias("changes")


def _numbers(passes: Sequence[Evidence]) -> pl.DataFrame:
    """The last pass that wrote each row."""
    wrote = pl.col("state").is_in(list(LANDED))
    lines = [one.page.filter(wrote).select(ROW_ID, pl.lit(one.number).alias("pass")) for one in passes]
    none = pl.DataFrame(schema={ROW_ID: pl.UInt32, "pass": pl.Int32})
    return pl.concat([none, *lines]).unique(ROW_ID, keep="last", maintain_order=True)


def _before_and_now(field: Field, passes: Sequence[Evidence]) -> pl.DataFrame:
    """Of each row that wrote a field, or deleted its record: what was there before all passes, and what is now."""
    columns, kind = FieldColumns(field.name), dtype(field)
    parts = []
    for one in passes:
        if columns.wrote in one.page.columns:
            wrote = pl.col(columns.wrote) & pl.col("state").is_in([RowState.CREATED, RowState.UPDATED])
            values = (pl.col(columns.before).cast(kind), pl.col(columns.base_app).cast(kind))
            parts.append(one.page.filter(wrote).select(ROW_ID, values[0].alias("before"), values[1].alias("now")))
        if field.name in one.deleted.columns:
            held = one.deleted.select(ROW_ID, pl.col(field.name).cast(kind, strict=False).alias("before"))
            parts.append(held.drop_nulls("before").with_columns(pl.lit(None, kind).alias("now")))
    if not parts:
        return pl.DataFrame()
    of_row = pl.concat(parts).group_by(ROW_ID, maintain_order=True).agg(pl.col("before").first(), pl.col("now").last())
    return of_row.with_columns(to_text(field, of_row[name]).alias(name) for name in ("before", "now"))


def not_in(cells: pl.DataFrame, profile: SheetProfile, states: pl.DataFrame) -> list[OutgoingColumn]:
    """The rows that did not go in, as they came, with their row and the reason in the last columns."""
    reasons = states.select(ROW_ID, "state", "reason")
    joined = cells.join(reasons, on=ROW_ID, how="inner", maintain_order="left").filter(pl.col("state").is_in(NOT_IN))
    return [
        *_sheet_columns(joined, profile),
        text_column("row", ROW_HEADER, joined[ROW]),
        text_column("reason", REASON_HEADER, joined["reason"]),
    ]
