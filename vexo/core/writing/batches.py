"""The writes of a plan in the order in which they go, cut into batches; no more than one batch is ever unfolded."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from ..cell_parser import parse
from ..keys.claims import in_order
from ..new_records import any_new, row_id_of
from ..planning.absent import FIRST_ABSENT, deletions
from ..planning.frame import FieldColumns
from ..planning.verdicts import WRITTEN, CellAction, Verdict
from ..records import IDENTIFIER, VERSION, Field
from ..sheets.sheet import ROW_ID
from .strategies import NoRecordError, Write, plain

AT = "at"
WHOLE = "whole."


@dataclass(frozen=True)
class Item:
    """A write as it is written down before it goes: its place, its version now, its request's number; ``silences``:
    how often it was sent and no answer came."""

    at: int
    row_id: int
    verdict: str
    identifier: str | None
    version: str | None
    number: str
    tries: int = 0
    resent: bool = False
    silences: int = 0


def freeze(
    plan: pl.DataFrame,
    whole: pl.DataFrame | None = None,
    absent: pl.DataFrame | None = None,
    keys: Sequence[tuple[str, ...]] = (),
    first_steps: Sequence[tuple[int, Field, str]] = (),
    references: Sequence[str] = (),
) -> pl.DataFrame:
    """The rows that a pass sends, in their order, with their place ``at``: creates, updates, deletes, by row; but what
    frees a unique value before what takes it, and records that are deleted before those that they refer to.

    Args:
        keys: groups of fields that are unique together.
        first_steps: rows that are written through another value first, so that a circle opens: a row's number, the
            field, and the value's text.
        whole: the records to be deleted with all their fields, laid beside as ``whole.FIELD``.
        absent: what becomes of records that have no row (``planning.absent``).
        references: fields of ``whole`` that refer to records of the same type.

    Raises:
        NoRecordError: a row would change or delete a record, and names none.
    """
    order = {verdict.value: at for at, verdict in enumerate(WRITTEN)}
    rows = plan.filter(pl.col("verdict").is_in(list(order)))
    if absent is not None:
        rows = pl.concat([rows, deletions(absent)], how="diagonal")
    unnamed = rows.filter((pl.col("verdict") != Verdict.CREATE) & pl.col(IDENTIFIER).is_null())
    if len(unnamed):
        raise NoRecordError(f"Rows {unnamed[ROW_ID].to_list()[:20]} of a plan are to be written, and name no record.")
    rows = rows.sort(_rank(order), ROW_ID)
    parents = _parents(rows)
    before = {**parents, **_children(rows, whole, references)}
    rows = _freeing_first(_by_depth(_opened(rows, first_steps), order, before), keys, before)
    rows = rows.with_columns(pl.int_range(pl.len(), dtype=pl.UInt32).alias(AT))
    rows = _with_last_parents(rows, parents)
    if whole is not None and len(whole):
        beside = whole.drop(VERSION).rename({n: f"{WHOLE}{n}" for n in whole.columns if not n.startswith("@")})
        rows = rows.join(beside.unique(IDENTIFIER), on=IDENTIFIER, how="left", maintain_order="left")
    return rows


SECOND_STEP = "@second_step"
"""Whether a frozen row's record was given another value for a while just before: it goes in a batch after that."""
FIRST_STEP = 2**30
"""Numbers from here on stand for such a first step; less this, it is the number of its row."""


def step_of(row_id: int) -> int | None:
    """The row of which this number stands for the first step; None for rows themselves."""
    return row_id - FIRST_STEP if FIRST_STEP <= row_id < FIRST_ABSENT else None


def _opened(rows: pl.DataFrame, first_steps: Sequence[tuple[int, Field, str]]) -> pl.DataFrame:
    """The rows with a first step for each that goes through another value: it writes that value and nothing else."""
    for row_id, field, text in first_steps:
        is_it = pl.col(ROW_ID) == row_id
        columns = FieldColumns(field.name)
        value = parse(field, pl.Series([text])).values.cast(rows.schema[columns.proposed])
        actions = [name for name in rows.columns if name.startswith(FieldColumns("").action)]
        step = rows.filter(is_it).with_columns(
            pl.lit(row_id + FIRST_STEP, pl.UInt32).alias(ROW_ID),
            *[pl.lit(CellAction.NOTHING, rows.schema[name]).alias(name) for name in actions if name != columns.action],
            value.alias(columns.proposed),
        )
        meanwhile = pl.lit(value[0], value.dtype)
        last = pl.when(is_it).then(meanwhile).otherwise(columns.current).alias(columns.current)
        rows = pl.concat([step, rows.with_columns(last, (_is_last(rows) | is_it).alias(SECOND_STEP))], how="diagonal")
    return rows


def _is_last(rows: pl.DataFrame) -> pl.Expr:
    return pl.col(SECOND_STEP).fill_null(value=False) if SECOND_STEP in rows.columns else pl.lit(value=False)


AFTER = "@after"
"""The place of the last of the rows to whose records a frozen row refers, and which make them: it goes in a batch after
that. Only where any row refers to another."""


def _rank(order: Mapping[str, int]) -> pl.Expr:
    return pl.col("verdict").replace_strict(order, return_dtype=pl.UInt8)


def _parents(rows: pl.DataFrame) -> dict[int, set[int]]:
    """Row → the rows whose records it refers to, and which are to make them."""
    parents: dict[int, set[int]] = defaultdict(set)
    for name in _referring(rows):
        proposed = FieldColumns(name).proposed
        written = pl.col(FieldColumns(name).action) == CellAction.WRITE
        for row, other in rows.filter(written).select(ROW_ID, row_id_of(pl.col(proposed))).drop_nulls().iter_rows():
            parents[row].add(other)
    return parents


def _children(rows: pl.DataFrame, whole: pl.DataFrame | None, references: Sequence[str]) -> dict[int, set[int]]:
    """Row that deletes a record → the rows that delete records which refer to it."""
    children: dict[int, set[int]] = defaultdict(set)
    if whole is None:
        return children
    deletes = rows.filter(pl.col("verdict") == Verdict.DELETE).select(IDENTIFIER, ROW_ID)
    for name in references:
        if name not in whole.columns:
            continue
        refers = whole.select(IDENTIFIER, pl.col(name).alias("parent")).drop_nulls("parent")
        pairs = refers.join(deletes, on=IDENTIFIER).join(
            deletes.rename({IDENTIFIER: "parent", ROW_ID: "row of parent"}), on="parent"
        )
        for child, parent in pairs.select(ROW_ID, "row of parent").iter_rows():
            children[parent].add(child)
    return children


def _referring(rows: pl.DataFrame) -> list[str]:
    """The fields in which any row refers to a record that is yet to be made."""
    begins = FieldColumns("").action
    names = [name.removeprefix(begins) for name in rows.columns if name.startswith(begins)]
    return [name for name in names if any_new(rows[FieldColumns(name).proposed])]


def _by_depth(rows: pl.DataFrame, order: Mapping[str, int], before: Mapping[int, set[int]]) -> pl.DataFrame:
    """Rows in their order, but each after those that have to go before it: a level of all trees at a time."""
    if not before:
        return rows
    depth: dict[int, int] = {}
    for row in in_order({*before, *(other for others in before.values() for other in others)}, before):
        depth[row] = max((depth.get(other, 0) + 1 for other in before.get(row, ())), default=0)
    deep = pl.col(ROW_ID).replace_strict(depth, default=0, return_dtype=pl.UInt32)
    return rows.sort(_rank(order), deep, maintain_order=True)


def _with_last_parents(rows: pl.DataFrame, parents: Mapping[int, set[int]]) -> pl.DataFrame:
    if not parents:
        return rows
    places = dict(rows.select(ROW_ID, AT).iter_rows())
    after = {
        row: max((places[one] for one in others if one in places), default=None) for row, others in parents.items()
    }
    last = pl.col(ROW_ID).replace_strict(after, default=None, return_dtype=pl.UInt32)
    return rows.with_columns(last.alias(AFTER))


def _freeing_first(
    rows: pl.DataFrame, keys: Sequence[tuple[str, ...]], earlier: Mapping[int, set[int]]
) -> pl.DataFrame:
    """Rows in their order, those that take a unique value of another record after that record's own.

    Args:
        earlier: row → the rows that have to go before it anyway.
    """
    waits_for: dict[int, set[int]] = defaultdict(set)
    places, records = rows.with_row_index("place"), rows[IDENTIFIER].fill_null("")
    for key in keys:
        columns = [FieldColumns(name) for name in key if FieldColumns(name).action in rows.columns]
        if not columns:
            continue
        written = pl.any_horizontal([pl.col(c.action) == CellAction.WRITE for c in columns])
        moves = places.filter((written | (pl.col("verdict") == Verdict.DELETE)).fill_null(value=False))
        taken = [pl.when(pl.col(c.action) == CellAction.WRITE).then(c.proposed).otherwise(c.current) for c in columns]
        takes = moves.filter(pl.col("verdict") != Verdict.DELETE)
        names = [c.name for c in columns]
        takes = takes.select("place", *[one.alias(name) for one, name in zip(taken, names, strict=True)])
        frees = moves.select(pl.col("place").alias("before"), *[pl.col(c.current).alias(c.name) for c in columns])
        for place, before in takes.join(frees, on=names).select("place", "before").iter_rows():
            if records[place] != records[before]:
                waits_for[place].add(before)
    if not waits_for:
        return rows
    place_of = dict(places.select(ROW_ID, "place").iter_rows()) if earlier else {}
    for row, others in earlier.items():
        waits_for[place_of[row]] |= {place_of[other] for other in others if other in place_of}
    involved = {*waits_for, *(before for others in waits_for.values() for before in others)}
    free = [place for place in range(len(rows)) if place not in involved]
    return rows[[*free, *in_order(involved, waits_for)]]


def _was_compared(line: Mapping[str, Any], name: str) -> bool:
    """Whether the verdict of a row rests on what its record held of a field; of a check without a value it does not."""
    columns = FieldColumns(name)
    checked = columns.action not in line
    return columns.current in line and (not checked or line.get(columns.agrees) is not None)


def writes_of(
    rows: pl.DataFrame, carried: Sequence[str], rested_on: Sequence[str], items: Sequence[Item]
) -> list[Write]:
    """The writes of one batch, in the order of its items.

    Args:
        rows: the frozen rows of these items, in any order.
        rested_on: fields of which the verdicts rest on what the record held, beside those that are written: the key's,
            and checks where they were compared.
    """
    by_place = {line[AT]: line for line in rows.iter_rows(named=True)}
    whole = [name for name in rows.columns if name.startswith(WHOLE)]
    writes = []
    for item in items:
        line, verdict = by_place[item.at], Verdict(item.verdict)
        written = [name for name in carried if line[FieldColumns(name).action] == CellAction.WRITE]
        compared = [name for name in dict.fromkeys([*written, *rested_on]) if _was_compared(line, name)]
        values = {name: plain(line[FieldColumns(name).proposed]) for name in written}
        before = {name: plain(line[FieldColumns(name).current]) for name in compared}
        if verdict == Verdict.DELETE:
            values, before = {}, {name.removeprefix(WHOLE): plain(line[name]) for name in whole}
        if verdict == Verdict.CREATE:
            before = {}
        writes.append(
            Write(
                item.at,
                item.row_id,
                verdict,
                item.identifier,
                item.version,
                values,
                before,
                item.number,
                item.resent,
            )
        )
    return writes
