"""Rows of a trip that come back in a sheet of their own, laid over the sheet they came from; and what two versions of a
sheet differ in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

import polars as pl

from ...wording import thousands
from ..formula_guard import take_off
from ..sheet import ROW, ROW_ID, Column, SheetError, SheetProfile

ROW_HEADER = "Row"
STATE_HEADER = "What became of it"
READ_BACK_HEADER = "Read back"
REASON_HEADER = "Why it is not in"
WHY_HEADER, RECORD_HEADER, PASS_HEADER = "Reason", "Record ID in the application", "Pass"
"""Further columns of a receipt; then those of each field, its label with one of ``OF_FIELD`` behind it."""
OF_FIELD = (", before", ", now")
_SHOWN = 40
"""Differing cells that are shown; all are counted."""


def row_column(profile: SheetProfile) -> int | None:
    """Which column of a sheet of refused rows, or of a receipt, says the rows that it came from; None in others."""
    headers = [column.header for column in profile.columns]
    last = next((at for at, header in enumerate(headers) if header in (STATE_HEADER, REASON_HEADER)), None)
    if last is None or ROW_HEADER not in headers:
        return None
    return max(at for at, header in enumerate(headers) if header == ROW_HEADER)


def own_columns(profile: SheetProfile) -> dict[str, str]:
    """The columns that a receipt, or a sheet of refused rows, has beside those of the sheet that it is of: column →
    header. None in other sheets."""
    first = row_column(profile)
    if first is None:
        return {}
    known = {ROW_HEADER, STATE_HEADER, REASON_HEADER, WHY_HEADER, RECORD_HEADER, PASS_HEADER, READ_BACK_HEADER}
    return {
        column.name: column.header
        for column in profile.columns[first:]
        if column.header in known or column.header.endswith(OF_FIELD)
    }


def told_apart(columns: Sequence[Column]) -> dict[tuple[str, int], str]:
    """Columns by header, and by place among those of the same header."""
    seen: Counter[str] = Counter()
    by_header = {}
    for column in columns:
        by_header[column.header, seen[column.header]] = column.name
        seen[column.header] += 1
    return by_header


def _numbers(rows: pl.DataFrame, column: str, known: pl.Series) -> pl.Series:
    """The rows that are said. Raises SheetError where one is missing, unknown or there twice."""
    numbers = rows[column].str.strip_chars().cast(pl.UInt32, strict=False)
    wrong = numbers.is_null() | ~numbers.is_in(known.implode()) | ~numbers.is_first_distinct()
    if wrong.any():
        place = int(wrong.arg_true()[0])
        number_text = rows[column][place]
        raise SheetError(
            f"Row {thousands(int(rows[ROW][place]))} of the file says {number_text or 'nothing'} under {ROW_HEADER!r}. "
            "Each row must "
            "say once which row of the sheet it continues; bring new rows in with the whole sheet."
        )
    return numbers


def lay_over(
    base: pl.DataFrame, columns: Sequence[Column], rows: pl.DataFrame, profile: SheetProfile
) -> tuple[pl.DataFrame, int]:
    """A sheet with some of its rows as they came back; the others stay as they were.

    Args:
        base: the cells of the newest sheet of the trip, ``columns`` its columns.
        rows: the cells of the sheet of rows, ``profile`` what was found in it.

    Returns:
        the cells, and how many rows were laid over.

    Raises:
        SheetError: where a row does not say which one it continues.
    """
    at = row_column(profile)
    if at is None:
        raise SheetError(f"The sheet has no column {ROW_HEADER!r} that says which rows it continues.")
    headers = told_apart(profile.columns[:at])
    numbers = _numbers(rows, profile.columns[at].name, base[ROW])
    pairs = {name: headers[place] for place, name in told_apart(columns).items() if place in headers}
    texts = {
        f"new.{name}": take_off(rows[source]) if profile.format in ("csv", "tsv") else rows[source]
        for name, source in pairs.items()
    }
    laid = base.join(
        pl.DataFrame({ROW: numbers.cast(base[ROW].dtype), **texts}).with_columns(pl.lit(value=True).alias("laid")),
        on=ROW,
        how="left",
        maintain_order="left",
    )
    for name in pairs:
        new, shown = f"new.{name}", f"shown.{name}"
        changed = pl.col("laid").fill_null(value=False) & pl.col(new).ne_missing(pl.col(name))
        if shown in base.columns:
            laid = laid.with_columns(pl.when(changed).then(None).otherwise(pl.col(shown)).alias(shown))
        laid = laid.with_columns(pl.when(changed).then(pl.col(new)).otherwise(pl.col(name)).alias(name))
    return laid.select(base.columns), len(rows)


def share_as_they_were(
    base: pl.DataFrame, columns: Sequence[Column], rows: pl.DataFrame, profile: SheetProfile
) -> tuple[int, int]:
    """Of the filled cells of a sheet of rows: how many stand so in the sheet it may come from, and how many it has."""
    at = row_column(profile)
    if at is None:
        return 0, 0
    headers = told_apart(profile.columns[:at])
    numbers = rows[profile.columns[at].name].str.strip_chars().cast(base[ROW].dtype, strict=False)
    met = rows.with_columns(numbers.alias(ROW)).join(base, on=ROW, how="left", suffix=".base", maintain_order="left")
    equal = filled = 0
    for place, name in told_apart(columns).items():
        if place not in headers:
            continue
        texts, theirs = met[headers[place]], met[f"{name}.base" if name in rows.columns else name]
        filled += int(texts.is_not_null().sum())
        equal += int(((texts == theirs) | (take_off(texts) == theirs)).sum())
    return equal, filled


def alike_cells(
    cells: pl.DataFrame, columns: Sequence[Column], before: pl.DataFrame, before_columns: Sequence[Column]
) -> tuple[int, int]:
    """How many of the filled cells of a sheet stand in the same column of another one, whatever their rows, each once;
    and of how many: the filled cells of the larger of both."""
    by_place = told_apart(before_columns)
    equal = filled = other = 0
    for place, name in told_apart(columns).items():
        counts = cells[name].drop_nulls().value_counts(name="times").rename({name: "text"})
        filled += int(counts["times"].sum())
        if place not in by_place:
            continue
        theirs = before[by_place[place]].drop_nulls().value_counts(name="times").rename({by_place[place]: "text"})
        other += int(theirs["times"].sum())
        both = counts.join(theirs, on="text", how="inner", suffix=".before")
        equal += int(both.select(pl.min_horizontal("times", "times.before").sum()).item() or 0)
    return equal, max(filled, other)


def differences(
    before: pl.DataFrame, before_columns: Sequence[Column], after: pl.DataFrame, after_columns: Sequence[Column]
) -> dict[str, Any]:
    """What a newer version of a sheet differs in: rows that are new or left out, and cells by column, the first ones
    with both texts. Rows are met by their number in the trip."""
    old, new = told_apart(before_columns), told_apart(after_columns)
    both = [(place, old[place], new[place]) for place in new if place in old]
    met = after.join(before, on=ROW_ID, how="inner", suffix=".before", maintain_order="left")
    columns, shown, changed_rows = [], [], pl.Series([], dtype=after[ROW].dtype)
    for (header, _), was, now in both:
        differs = met.filter(pl.col(now).ne_missing(pl.col(f"{was}.before" if was in after.columns else was)))
        if differs.is_empty():
            continue
        columns.append({"header": header, "cells": len(differs)})
        changed_rows = pl.concat([changed_rows, differs[ROW]])
        earlier = f"{was}.before" if was in after.columns else was
        for row, text, then in differs.head(_SHOWN).select(ROW, now, earlier).iter_rows():
            shown.append({"row": row, "header": header, "before": then, "after": text})
    return {
        "cells": sum(column["cells"] for column in columns),
        "rows": changed_rows.n_unique(),
        "new_rows": len(after) - len(met),
        "left_out": len(before) - len(met),
        "columns": columns,
        "new_columns": [header for header, at in new if (header, at) not in old],
        "columns_left_out": [header for header, at in old if (header, at) not in new],
        "first": sorted(shown, key=lambda one: one["row"])[:_SHOWN],
    }
