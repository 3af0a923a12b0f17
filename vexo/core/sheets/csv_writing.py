"""Cells → delimited text: UTF-8 with a byte order mark, RFC 4180."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from .outgoing import OutgoingColumn, harmless


def write_csv(columns: list[OutgoingColumn], path: Path, delimiter: str = ",") -> None:
    """Write the sheet. Blank cells stay blank; cells with line ends, quotes or the delimiter are quoted."""
    names = [f"c{at}" for at in range(len(columns))]
    header = pl.DataFrame({name: [column.header] for name, column in zip(names, columns, strict=True)})
    body = pl.DataFrame({name: harmless(column) for name, column in zip(names, columns, strict=True)})
    pl.concat([header, body]).write_csv(
        path, include_header=False, include_bom=True, separator=delimiter, line_terminator="\r\n", null_value=""
    )
