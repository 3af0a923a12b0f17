"""Cells → delimited text: UTF-8 with a byte order mark, RFC 4180."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

import polars as pl

from ..formula_guard import FORMULA_BEGIN, PREFIX
from .outgoing import Head, OutgoingColumn, harmless, in_pieces


def fill_csv(heads: Sequence[Head], pieces: Iterable[pl.DataFrame], path: Path, delimiter: str = ",") -> None:
    """Write the sheet piece by piece. Blank cells stay blank; cells with line ends, quotes or delimiters are quoted."""

    def put(frame: pl.DataFrame, *, bom: bool = False) -> None:
        frame.write_csv(
            file, include_header=False, include_bom=bom, separator=delimiter, line_terminator="\r\n", null_value=""
        )

    header = pl.DataFrame({f"c{at}": [head.header] for at, head in enumerate(heads)})
    with path.open("wb") as file:
        put(header.with_columns(pl.all().str.replace(FORMULA_BEGIN, PREFIX + "$0")), bom=True)
        for piece in pieces:
            put(pl.DataFrame([harmless(head, piece[f"c{at}"]) for at, head in enumerate(heads)]))


def write_csv(columns: Sequence[OutgoingColumn], path: Path, delimiter: str = ",") -> None:
    """Write columns that are there as a whole."""
    fill_csv([column.head for column in columns], in_pieces(columns), path, delimiter)


def write_rows(rows: pl.DataFrame, path: Path, delimiter: str, encoding: str) -> None:
    """Write rows as they stand, in the encoding of the file that they come from.

    Raises:
        UnicodeEncodeError: for a character that the encoding has no sign for.
        LookupError: for an encoding that is not known.
    """
    plain = rows.write_csv(include_header=False, separator=delimiter, line_terminator="\r\n", null_value="")
    mark = encoding.lower().replace("_", "-") in ("utf-8", "utf-8-sig", "utf8")
    path.write_bytes(plain.encode("utf-8-sig" if mark else encoding))
