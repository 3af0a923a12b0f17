"""Text → records of cells: the delimiter from the content, quoting as it is, ragged and broken rows kept and told.

What is regular is cut by Polars, rows of unequal length by the csv module; only text whose quotation marks fit no rule
is cut by hand.
"""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass, field

import polars as pl

from ...wording import thousands
from ..findings import Finding, each_row
from ..sheet import SheetError

DELIMITERS = ",;\t|"
_SELDOM = "^~\x1f"
_SAMPLE = 64 * 1024
"""Characters by which a separator is told."""
_MOST_COLUMNS = 16_384
"""Columns of a text file: as many as a spreadsheet has."""
_LONGEST_QUOTE = 64 * 1024
"""Characters between two quotation marks: further on, the first one was a slip."""
SEPARATOR_LINE = re.compile(r'\ufeff?"?sep=(.)"?(?:\r\n|\r|\n|$)', re.IGNORECASE)


@dataclass
class Cut:
    """The cells of a text, ``k0``, ``k1``, … without row numbers, and what was noticed on the way."""

    cells: pl.DataFrame
    findings: list[Finding] = field(default_factory=list)


def find_delimiter(text: str) -> str:
    """The delimiter that cuts most of the first lines into the same number of cells, the header before all."""
    sample = text[:_SAMPLE]

    def fitness(delimiter: str) -> tuple[bool, int, int]:
        lines = list(csv.reader(io.StringIO(sample, newline=""), delimiter=delimiter))[:50]
        widths = [len(line) for line in lines if line]
        usual = max(set(widths), key=widths.count) if widths else 1
        return (widths[0] == usual, widths.count(usual), usual) if usual > 1 else (False, 0, 0)

    usual = max(DELIMITERS, key=fitness)
    if fitness(usual)[2] > 1:
        return usual
    seldom = max(_SELDOM, key=fitness)
    return seldom if fitness(seldom)[0] and fitness(seldom)[2] > 1 else ","


def _regular_quotes(text: str, delimiter: str) -> bool:
    """Whether every quotation mark opens or closes a whole cell, or is doubled inside one."""
    if '"' not in text:
        return True
    mark = re.escape(delimiter)
    cell = rf'(?:"[^"]*+(?:""[^"]*+)*+"|[^"{mark}\r\n]*+)'
    return re.compile(rf"(?:{cell}(?:{mark}|\r\n|\r|\n))*+{cell}\Z").match(text) is not None


def _by_polars(text: str, delimiter: str, content: bytes | None) -> pl.DataFrame | None:
    """The cells, where all records are of one length and none is blank; else None.

    Args:
        content: the same as bytes in UTF-8, where they are at hand.
    """
    quotes = '"' in text
    content = content if content is not None else text.encode("utf-8")
    ends, marks = (content.count(mark.encode()) for mark in ("\n", delimiter))
    if not text.endswith("\n"):
        content, ends = content + b"\n", ends + 1
    try:
        cells = pl.read_csv(
            content,
            has_header=False,
            infer_schema=False,
            separator=delimiter,
            quote_char='"' if quotes else None,
            encoding="utf8",
            raise_if_empty=False,
        )
    except (pl.exceptions.PolarsError, ValueError):
        return None
    if quotes:
        ends -= sum(int(cells[name].str.count_matches("\n", literal=True).sum() or 0) for name in cells.columns)
        marks -= sum(int(cells[name].str.count_matches(delimiter, literal=True).sum() or 0) for name in cells.columns)
    if len(cells) != ends or marks != ends * (len(cells.columns) - 1) or len(cells.columns) > _MOST_COLUMNS:
        return None
    return cells.rename({name: f"k{at}" for at, name in enumerate(cells.columns)})


def _by_hand(text: str, delimiter: str) -> tuple[list[list[str]], list[int]]:
    """Records of a text whose quotation marks fit no rule; the rows (from 1) where one opens and never closes.

    A cell in quotation marks ends where its closing mark stands before a delimiter or the end of a line; where there is
    none, the mark is a character like any other and the cell ends with its line.
    """
    mark = re.escape(delimiter)
    quoted = re.compile(rf'"((?:[^"]|""){{0,{_LONGEST_QUOTE}}}?)"(?={mark}|[\r\n]|\Z)')
    plain = re.compile(rf"[^{mark}\r\n]*")
    line_end = re.compile(r"\r\n|\r|\n")
    closes = re.compile(rf'"(?={mark}|[\r\n]|\Z)')
    last_close = max((m.start() for m in closes.finditer(text)), default=-1)
    records: list[list[str]] = [[]]
    broken: list[int] = []
    at, end = 0, len(text)
    while True:
        opens = text.startswith('"', at)
        match = quoted.match(text, at) if opens and at < last_close else None
        # A mark that only closes where another cell opens (`,"` or a line's first) has swallowed that cell.
        if match is not None and re.search(rf'(?:^|{mark}|[\r\n])"(?!"|{mark}|[\r\n])', match[1]):
            match = None
        if match is not None:
            records[-1].append(match[1].replace('""', '"'))
        else:
            match = plain.match(text, at)
            assert match is not None
            records[-1].append(match.group())
            if opens:
                broken.append(len(records))
        at = match.end()
        if at >= end:
            return records, broken
        ending = line_end.match(text, at)
        if ending:
            at = ending.end()
            if at >= end:
                return records, broken
            records.append([])
        else:
            at += len(delimiter)


def _as_columns(records: list[list[str]], name: str) -> pl.DataFrame:
    width = max((len(record) for record in records), default=0)
    if width == 0:
        raise SheetError(f"{name} is empty. Put a header in its first row and the records below it.")
    if width > _MOST_COLUMNS or width * len(records) > 50 * sum(map(len, records)) + 100_000:
        raise SheetError(
            f"{name} has a line of {thousands(width)} cells, far more than its other lines. Mend that line."
        )
    padded = [record + [""] * (width - len(record)) for record in records]
    columns = zip(*padded, strict=True)
    return pl.DataFrame({f"k{at}": pl.Series(column, dtype=pl.String) for at, column in enumerate(columns)})


def _unequal(records: list[list[str]], header: int) -> list[Finding]:
    """Rows with more or fewer cells than the header has; blank ones say nothing."""
    width = len(records[header])
    odd = [(at + 1, len(r)) for at, r in enumerate(records) if at > header and r not in ([], [""]) and len(r) != width]
    says = [
        f"Row {thousands(row)} has {thousands(count)} cells, the header has {thousands(width)}: "
        + ("the cells beyond it have no header." if count > width else "those at its end are empty.")
        for row, count in odd
    ]
    return each_row("ragged", [row for row, _ in odd], says)


def cut(text: str, delimiter: str, name: str, content: bytes | None = None) -> Cut:
    """Cut a text into cells.

    Args:
        content: the same as bytes in UTF-8, where they are at hand.

    Raises:
        SheetError: where it has no cells, or a line that no sheet has.
    """
    csv.field_size_limit(64 * 1024 * 1024)
    regular = _regular_quotes(text, delimiter)
    if regular:
        # A lone CR ends a line for nobody but old programs; a mark of the byte order in the text itself Polars drops.
        if not text.startswith("\ufeff") and ("\r" not in text or text.count("\r") == text.count("\r\n")):
            cells = _by_polars(text, delimiter, content)
            if cells is not None:
                return Cut(cells.with_columns(pl.all().replace("", None)) if '"' in text else cells)
        try:
            records = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))
        except csv.Error as error:
            raise SheetError(f"{name} cannot be read as delimited text: {error}.") from error
        broken: list[int] = []
    else:
        records, broken = _by_hand(text, delimiter)
    filled = [at for at, record in enumerate(records) if any(cell.strip() for cell in record)]
    widths = [len(records[at]) for at in filled]
    usual = max(set(widths), key=lambda width: widths.count(width) * width) if widths else 1
    header = next((at for at in filled if len(records[at]) >= usual), filled[0] if filled else 0)
    says = [
        f"A quotation mark opens in row {thousands(row)} and never closes; it is read as it stands." for row in broken
    ]
    findings = [*each_row("quote", broken, says), *(_unequal(records, header) if records else [])]
    return Cut(_as_columns(records, name).with_columns(pl.all().replace("", None)), findings)
