"""Raw cells → the table in them: title rows, the header, columns without a name, blank rows, a total row at the end."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import polars as pl

from ..values import SPACES, count_different
from ..wording import thousands
from .findings import Finding
from .sheet import AS_FOUND, ROW, Choices, Column, SheetError, SheetProfile
from .totals import as_numbers

_TOTAL_WORDS = ("total", "totals", "sum", "grand total", "σ")
_LOOKED_AT = 200
"""Filled rows among which the header is looked for."""
_SUMMED = 3
"""Numbers above a last row from which on it can be their sum: two may agree by chance."""
_FIRST_ROWS = 24
"""Rows that are shown for choosing the header."""
_PREVIEW = 160
"""Characters of such a row."""
_NUMBER = re.compile(r"[-+]?\d[\d ,.']*%?|\d{4}-\d\d-\d\d(T.*)?")
_YEAR = re.compile(r"(19|20)\d\d")
Line = list[str | None]


@dataclass(frozen=True)
class Header:
    """The header: the row it ends in (0 where there is none), its names by column, and what is above it."""

    row: int
    names: tuple[str, ...]
    findings: tuple[Finding, ...] = ()


def column_titles(columns: Sequence[Column]) -> dict[str, str]:
    """Column → what a person calls it: its header, with its letter where another column has the same."""
    times = Counter(column.header for column in columns)
    titles = {}
    for at, column in enumerate(columns):
        twice = column.header and times[column.header] > 1
        titles[column.name] = f"{column.header} (column {column_letters(at + 1)})" if twice else column.header
    return titles


def column_letters(number: int) -> str:
    """The letters of a column, the first being 1."""
    letters = ""
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def _place(name: str) -> str:
    """The letters of a raw column: ``k0`` is A, letters are themselves."""
    return column_letters(int(name[1:]) + 1) if name.startswith("k") else name


def _text(cell: str | None) -> str:
    return (cell or "").strip()


def _is_number(cell: str | None) -> bool:
    return bool(_NUMBER.fullmatch(_text(cell)))


def _filled(line: Line) -> int:
    return sum(1 for cell in line if _text(cell))


def _first_of_table(lines: list[Line]) -> int:
    """The first line that is as wide as a header: lines above it with a cell or two are titles."""
    counts = Counter(_filled(line) for line in lines)
    usual = max(counts, key=lambda width: (counts[width], width))
    return next((at for at, line in enumerate(lines) if _filled(line) > 2 or _filled(line) * 2 >= usual), 0)


def _numbers_below(lines: list[Line], column: int) -> bool:
    below = [line[column] for line in lines if _text(line[column])]
    return bool(below) and sum(map(_is_number, below)) >= 0.8 * len(below)


def _has_none(head: Line, below: list[Line]) -> bool:
    """Whether the first line is a record like those below it: numbers stand over numbers, no word over any."""
    numeric = [at for at in range(len(head)) if _text(head[at]) and _numbers_below(below, at)]
    texts = [_text(head[at]) for at in numeric]
    if not texts or not all(map(_is_number, texts)):
        return False
    return not (all(map(_YEAR.fullmatch, texts)) and len(set(texts)) == len(texts))


def _two_rows(head: Line, second: Line, below: list[Line]) -> bool:
    """Whether the header goes on in a second line: groups with gaps above, one name a column below them."""
    names = [_text(cell) for cell in second]
    gaps = _filled(head) < _filled(second) or len({_text(c) for c in head if _text(c)}) < _filled(head)
    plain = not any(map(_is_number, head)) and not any(map(_is_number, second))
    whole = all(names) and _filled(second) == max(map(_filled, below), default=0)
    return gaps and plain and whole and any(_numbers_below(below, at) for at in range(len(second)))


def _joined(head: Line, second: Line) -> tuple[str, ...]:
    """Names of two header rows: the group, which reaches to the next one, and the name below it."""
    names, group = [], ""
    for above, below in zip(head, second, strict=True):
        group = _text(above) or group
        names.append(f"{group} {_text(below)}".strip() if group != _text(below) else group)
    return tuple(names)


def _said(lines: list[Line], numbers: list[int], row: int) -> Header:
    if row == 0:
        return Header(0, ("",) * len(lines[0]))
    if row not in numbers:
        raise SheetError(f"Row {thousands(row)} has no filled cell to be a header. Choose another row.")
    return Header(row, tuple(_text(cell) for cell in lines[numbers.index(row)]))


def find_header(lines: list[Line], numbers: list[int], said: int | None = None) -> Header:
    """The header of a sheet.

    Args:
        lines: the first filled rows, ``numbers`` their row numbers.
        said: the row that a person chose, 0 for none.

    Raises:
        SheetError: where the chosen row is blank.
    """
    if said is not None:
        return _said(lines, numbers, said)
    first = _first_of_table(lines)
    findings = []
    if first:
        words = (
            f"Row {thousands(numbers[0])} stands"
            if first == 1
            else f"Rows {thousands(numbers[0])} to {thousands(numbers[first - 1])} stand"
        )
        findings.append(
            Finding("title-rows", f"{words} above the header and {'is' if first == 1 else 'are'} not read.", numbers[0])
        )
    head, below = lines[first], lines[first + 1 :]
    if below and _has_none(head, below):
        words = f"Row {thousands(numbers[first])} is a record like those below it: the sheet has no header."
        return Header(0, ("",) * len(head), (*findings, Finding("no-header", words, numbers[first])))
    if len(below) > 1 and numbers[first + 1] == numbers[first] + 1 and _two_rows(head, below[0], below[1:]):
        words = (
            f"Rows {thousands(numbers[first])} and {thousands(numbers[first + 1])} are one header; their "
            "names are put together."
        )
        findings.append(Finding("two-header-rows", words, numbers[first]))
        return Header(numbers[first + 1], _joined(head, below[0]), tuple(findings))
    return Header(numbers[first], tuple(_text(cell) for cell in head), tuple(findings))


def _names(names: list[str], header: Header, numbers: dict[str, int]) -> list[Finding]:
    """Columns that cannot be told by their name."""
    findings = []
    if header.row:
        for name, title in zip(names, header.names, strict=True):
            if not title and numbers[name]:
                cells = "cell" if numbers[name] == 1 else "cells"
                words = f"Column {_place(name)} has no name above its {thousands(numbers[name])} {cells}."
                findings.append(Finding("no-name", words, header.row, _place(name)))
    for title, times in Counter(header.names).items():
        if title and times > 1:
            words = f"{times} columns are named {title!r}."
            findings.append(Finding("same-name", words, header.row, title))
    return findings


class Shaped(NamedTuple):
    """A sheet's table, and what is not in it: ``cells`` (``row``, ``c0``, …), ``aside`` the filled rows that are no
    data, in raw columns, and the profile."""

    cells: pl.DataFrame
    aside: pl.DataFrame
    profile: SheetProfile


def _previews(used: pl.DataFrame, names: list[str]) -> tuple[tuple[int, str], ...]:
    """The first filled rows, each with its cells as one text."""
    return tuple(
        (row, " · ".join(text for cell in cells if (text := _text(cell)))[:_PREVIEW])
        for row, *cells in used.head(_FIRST_ROWS).select(ROW, *names).iter_rows()
    )


def _with_anything(raw: pl.DataFrame, names: list[str]) -> pl.Series:
    """Which rows have a cell that is more than white space. A column is only looked at for rows that none before told
    of."""
    left = pl.int_range(len(raw), eager=True)
    filled = pl.Series([False]).new_from_index(0, len(raw))
    for name in names:
        texts = raw[name] if len(left) == len(raw) else raw[name].gather(left)
        filled_here = texts.str.contains(f"^{SPACES}*$").not_().fill_null(value=False)
        filled = filled_here if len(left) == len(raw) else filled.scatter(left.filter(filled_here), True)
        left = left.filter(~filled_here)
        if left.is_empty():
            break
    return filled


def shape_cells(
    raw: pl.DataFrame, choices: Choices = AS_FOUND, findings: tuple[Finding, ...] = (), **found: Any
) -> Shaped:
    """Find the header, blank rows and a total row, and name the columns ``c0``, ``c1``, …

    Args:
        raw: column ``row`` with the person's row numbers, then text columns; null is blank. Columns named
            ``shown.NAME`` hold another form of column NAME and follow it.
        findings: what was noticed while the file was read.
        found: what the reader of the format knows (format, sheet, encoding, …).

    Raises:
        SheetError: where there is nothing in the sheet, or the chosen header is none.
    """
    names = [name for name in raw.columns if name != ROW and not name.startswith("shown.")]
    if not names or raw.is_empty():
        raise SheetError("The file is empty. Put a header in its first row and the records below it.")
    used = raw.filter(_with_anything(raw, names)).sort(ROW)
    if used.is_empty():
        raise SheetError("The sheet has no filled cell. Put a header in its first row and the records below it.")
    looked_at = used.head(_LOOKED_AT)
    if choices.header and choices.header not in looked_at[ROW]:
        looked_at = used.filter(pl.col(ROW) == choices.header)
    lines = [list(line) for line in looked_at.select(names).iter_rows()]
    header = find_header(lines, looked_at[ROW].to_list(), choices.header)
    start = header.row or int(looked_at[ROW][0]) - 1
    if not header.row and choices.header is None:
        start = next((f.row - 1 for f in header.findings if f.kind == "no-header" and f.row), start)
    body = used.filter(pl.col(ROW) > start)
    kept = [at for at, name in enumerate(names) if header.names[at] or body[name].drop_nulls().len() > 0]
    previews = _previews(used, names)
    names = [names[at] for at in kept]
    header = Header(header.row, tuple(header.names[at] for at in kept), header.findings)
    totals = _total_row(body, names)
    body = body.filter(~pl.col(ROW).is_in(totals[ROW].implode()))
    last = int(used[ROW].max())  # type: ignore[arg-type]
    blank_rows = last - start - len(body) - len(totals)
    renames = {name: f"c{at}" for at, name in enumerate(names)}
    renames |= {f"shown.{name}": f"shown.c{at}" for at, name in enumerate(names) if f"shown.{name}" in raw.columns}
    cells = body.select(pl.col(ROW).cast(pl.UInt32), *[pl.col(old).alias(new) for old, new in renames.items()])
    filled = [cells[f"c{at}"].count() for at in range(len(names))]
    columns = tuple(
        Column(f"c{at}", header.names[at], filled[at], count_different(cells[f"c{at}"])) for at in range(len(names))
    )
    counted = dict(zip(names, filled, strict=True))
    total_findings = [
        Finding("total-row", f"Row {thousands(row)} is a total and is not read.", row) for row in totals[ROW].to_list()
    ]
    profile = SheetProfile(
        columns=columns,
        header_row=header.row,
        rows=len(cells),
        blank_rows=blank_rows,
        total_rows=tuple(totals[ROW].to_list()),
        findings=(*findings, *header.findings, *_names(names, header, counted), *total_findings),
        places=tuple(names),
        first_rows=previews,
        **found,
    )
    aside = pl.concat([used.filter(pl.col(ROW) <= start), totals]) if start or len(totals) else used.head(0)
    return Shaped(cells, aside, profile)


def _total_row(body: pl.DataFrame, names: list[str]) -> pl.DataFrame:
    """The last row where it is a total of those above: it says so, or all that it holds are their sums."""
    first = pl.coalesce([pl.when(pl.col(name).str.strip_chars() != "").then(pl.col(name)) for name in names])
    last = body.tail(1)
    if len(last.filter(first.str.strip_chars(": ").str.to_lowercase().is_in(_TOTAL_WORDS))):
        return last
    held = {name: text for name in names if (text := _text(last[name][0] if len(last) else None))}
    if not held or len(held) * 2 > len(names):
        return last.head(0)
    for name, text in held.items():
        above = as_numbers(body[name].head(len(body) - 1))
        numbers = as_numbers(pl.Series([text]))
        if (
            above is None
            or numbers is None
            or len(above.drop_nulls()) < _SUMMED
            or above.sum() != numbers[0]
            or numbers[0] == 0
        ):
            return last.head(0)
    return last


_OF_SHAPE = ("title-rows", "no-header", "two-header-rows", "no-name", "same-name", "total-row")


def reshape(shaped: Shaped, choices: Choices) -> Shaped:
    """The same sheet with another header, without reading its file again. Raises SheetError."""
    cells, aside, profile = shaped
    back = {f"c{at}": name for at, name in enumerate(profile.places)}
    back |= {f"shown.{new}": f"shown.{old}" for new, old in back.items() if f"shown.{new}" in cells.columns}
    without_aside = cells.rename(back).with_columns(pl.col(ROW).cast(aside[ROW].dtype))
    raw = pl.concat([aside, without_aside], how="diagonal").select(aside.columns)
    return shape_cells(
        raw,
        choices,
        tuple(finding for finding in profile.findings if finding.kind not in _OF_SHAPE),
        format=profile.format,
        sheet=profile.sheet,
        encoding=profile.encoding,
        delimiter=profile.delimiter,
        other_sheets=profile.other_sheets,
        stamp=profile.stamp,
    )
