"""The process that looks for a pattern in much text: a line of JSON (pattern, replacement) and a table in the Arrow IPC
format come in, the table with the texts replaced goes out."""

from __future__ import annotations

import io
import json
import sys

import polars as pl


def main() -> None:
    """Replace, once."""
    pattern, put = json.loads(sys.stdin.buffer.readline())
    texts = pl.read_ipc(io.BytesIO(sys.stdin.buffer.read()))
    texts.select(pl.col("texts").str.replace_all(pattern, put)).write_ipc(sys.stdout.buffer)


if __name__ == "__main__":
    main()
