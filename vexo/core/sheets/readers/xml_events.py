"""XML read as a stream by expat: no document types, no entities, no endless tokens."""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO, Any
from xml.parsers import expat

from ..long_cells import MOST_CHARACTERS, TOO_LONG
from ..sheet import SheetError

_CHUNK = 1024 * 1024
"""Bytes that the parser is given at once."""
SEPARATOR = " "


def local(name: str) -> str:
    """A name without its namespace."""
    return name.rpartition(SEPARATOR)[2]


def _refuse(*_: Any) -> None:
    raise SheetError("The file declares entities of its own, which no spreadsheet writes. Save it anew.")


def new_parser() -> expat.XMLParserType:
    """A parser whose names are ``namespace local``, and that refuses what no spreadsheet writes."""
    parser = expat.ParserCreate(namespace_separator=SEPARATOR)
    parser.buffer_text = True
    parser.StartDoctypeDeclHandler = _refuse
    parser.EntityDeclHandler = _refuse
    return parser


@contextmanager
def _no_collecting() -> Iterator[None]:
    """Without the garbage collector, which would look through millions of new texts again and again."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def feed(parser: expat.XMLParserType, stream: IO[bytes], pieces: Callable[[], list[str]] = list) -> None:
    """Read a stream to its end.

    Args:
        pieces: gives the pieces of the text that is being read, where that is one of a cell.

    Raises:
        SheetError: where it is not XML, holds a text that no sheet can hold, or a token of over a megabyte: such a one
            is looked through again with every piece.
    """
    stuck, reached = 0, -1
    with _no_collecting():
        try:
            while chunk := stream.read(_CHUNK):
                parser.Parse(chunk, False)
                # Expat from 2.6 on waits for more of a long token, and tells -1 meanwhile.
                stuck = 0 if parser.CurrentByteIndex > reached else stuck + 1
                reached = max(reached, parser.CurrentByteIndex)
                if sum(map(len, pieces())) > MOST_CHARACTERS:
                    raise SheetError(TOO_LONG)
                if stuck > 1:
                    raise SheetError("The file holds one piece of over a megabyte, which no spreadsheet writes.")
            parser.Parse(b"", True)
        except (expat.ExpatError, LookupError, ValueError) as error:
            raise SheetError(f"The file is damaged ({error}). Open it in a spreadsheet and save it anew.") from error
