"""Delimited text → raw cells, exactly as stored."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import polars as pl

from ...values import NOT_ASCII
from ...wording import thousands
from ..findings import Finding, each_row
from ..shape import column_letters
from ..sheet import AS_FOUND, ROW, UNKNOWN, Choices, SheetError
from .encodings import STRAY, decode, known_as
from .text_records import SEPARATOR_LINE, cut, find_delimiter

_TELLING_RE = re.compile(NOT_ASCII)


def _unknown(cells: pl.DataFrame) -> list[Finding]:
    """Cells with a character that could not be read here, or was lost before the file came."""
    findings = []
    for at, name in enumerate(name for name in cells.columns if name != ROW):
        rows = cells.filter(pl.col(name).str.contains(UNKNOWN, literal=True))[ROW].to_list()
        place = column_letters(at + 1)
        says = (
            f"Row {thousands(row)}, column {place}: a character cannot be read, here or already before." for row in rows
        )
        findings += [Finding(f.kind, f.text, f.row, place) for f in each_row("bad-byte", rows, says)]
    return findings


def _guessed(cells: pl.DataFrame, encoding: str) -> list[Finding]:
    """The first cell by which a person can see whether the encoding was guessed rightly."""
    for row, *texts in cells.filter(pl.any_horizontal(pl.exclude(ROW).str.contains(NOT_ASCII))).head(1).iter_rows():
        at = next(at for at, text in enumerate(texts) if text and _TELLING_RE.search(text))
        place, shown = column_letters(at + 1), texts[at][:40]
        words = f"Read as {known_as(encoding)}, row {thousands(row)}, column {place} is “{shown}”."
        says = f"The file does not say its encoding. {words}"
        return [Finding("encoding", says, row, place)]
    return []


def read_text(path: Path, name: str = "The file", choices: Choices = AS_FOUND) -> tuple[pl.DataFrame, dict[str, Any]]:
    """The raw cells and what was found: format, encoding, delimiter and findings.

    Rows are numbered as a spreadsheet shows them: a line that only says the delimiter (``sep=;``) is not counted.

    Raises:
        SheetError: where the content is not text, or has no cells.
    """
    if choices.delimiter and (len(choices.delimiter) != 1 or choices.delimiter in '"\r\n\ufeff'):
        raise SheetError("A delimiter is one character, and no quotation mark or end of a line.")
    content = path.read_bytes()
    decoded = decode(content, name, choices.encoding)
    text = decoded.text
    strays = not decoded.clean and STRAY.search(text) is not None
    if strays:
        text = STRAY.sub(UNKNOWN, text)
    separator_line = SEPARATOR_LINE.match(text)
    if separator_line:
        text = text[separator_line.end() :]
    delimiter = choices.delimiter or (separator_line[1] if separator_line else find_delimiter(text))
    as_it_is = decoded.encoding == "utf-8" and not strays and not separator_line
    raw = cut(text, delimiter, name, content if as_it_is else None)
    cells = raw.cells.with_row_index(ROW, offset=1)
    facts = {
        "format": "tsv" if delimiter == "\t" else "csv",
        "encoding": decoded.encoding,
        "delimiter": delimiter,
        "findings": (
            *(_guessed(cells, decoded.encoding) if decoded.guessed else []),
            *raw.findings,
            *(_unknown(cells) if UNKNOWN in text else []),
        ),
    }
    return cells, facts
