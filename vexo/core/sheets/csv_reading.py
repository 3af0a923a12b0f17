"""Delimited text → cells, exactly as stored."""

from __future__ import annotations

import csv
import io
from itertools import zip_longest
from pathlib import Path
from typing import Any

import polars as pl
from charset_normalizer import from_bytes

from .sheet import ROW, SheetError

_DELIMITERS = ",;\t|"
_SAMPLE = 64 * 1024
_MOST_COLUMNS = 16_384


def _decode(content: bytes, name: str) -> tuple[str, str]:
    for mark, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if content.startswith(mark):
            return content.decode(encoding), encoding
    if b"\x00" in content[:_SAMPLE]:
        raise SheetError(f"{name} is no sheet: it holds bytes that are no text. Save it as XLSX or CSV.")
    try:
        return content.decode("utf-8"), "utf-8"
    except UnicodeDecodeError:
        pass
    candidates = from_bytes(content[:_SAMPLE], cp_isolation=["cp1252", "cp1250", "cp1251", "mac_roman", "shift_jis"])
    best = candidates.best()
    encoding = best.encoding if best else "cp1252"
    return content.decode(encoding, errors="replace"), encoding


def _delimiter(text: str) -> str:
    """The delimiter that cuts most of the first lines into the same number of cells, the header before all."""
    sample = text[:_SAMPLE]

    def fitness(delimiter: str) -> tuple[bool, int, int]:
        lines = list(csv.reader(io.StringIO(sample), delimiter=delimiter))[:50]
        widths = [len(line) for line in lines if line]
        usual = max(set(widths), key=widths.count) if widths else 1
        return (widths[0] == usual, widths.count(usual), usual) if usual > 1 else (False, 0, 0)

    return max(_DELIMITERS, key=fitness)


def read_csv(path: Path, name: str = "The file") -> tuple[pl.DataFrame, dict[str, Any]]:
    """The raw cells and what was found: format, encoding and delimiter.

    Raises:
        SheetError: where the content is no text, or has no cells.
    """
    csv.field_size_limit(32 * 1024 * 1024)
    text, encoding = _decode(path.read_bytes(), name)
    delimiter = _delimiter(text)
    try:
        lines = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))
    except csv.Error as error:
        raise SheetError(f"{name} cannot be read as delimited text: {error}.") from error
    width = max((len(line) for line in lines), default=0)
    if width == 0:
        raise SheetError(f"{name} is empty. Put a header in its first row and the records below it.")
    if width > _MOST_COLUMNS or width * len(lines) > 50 * sum(map(len, lines)) + 100_000:
        raise SheetError(f"{name} has a line of {width:,} cells, far more than its other lines. Mend that line.")
    columns = zip_longest(*lines, fillvalue="")
    data: dict[str, Any] = {ROW: pl.int_range(1, len(lines) + 1, dtype=pl.UInt32, eager=True)}
    data |= {f"k{at}": pl.Series(column, dtype=pl.String).replace("", None) for at, column in enumerate(columns)}
    found = {"format": "tsv" if delimiter == "\t" else "csv", "encoding": encoding, "delimiter": delimiter}
    return pl.DataFrame(data), found
