"""The cells of an XLSX worksheet and its shared strings, by expat.

Source: ECMA-376 part 1, SpreadsheetML; transitional and strict names alike.
"""

from __future__ import annotations

from typing import IO

import polars as pl

from .sheet import ROW, SheetError
from .xml_events import feed, local, new_parser

_FLUSHED = 50_000
_MOST_CELLS = 60_000_000
_LAST_ROW, _LAST_COLUMN = 1_048_576, 16_384
UNCALCULATED = "f"
"""The kind of a cell whose formula was saved without its value; the formula stands for it."""
SCHEMA = {"column": pl.UInt16, ROW: pl.UInt32, "kind": pl.String, "style": pl.String, "value": pl.String}


def column_number(letters: str) -> int:
    """The number of a column by its letters, the first being 1; 0 where they are none."""
    number = 0
    for letter in letters:
        if not "A" <= letter <= "Z":
            return 0
        number = number * 26 + ord(letter) - 64
    return number


def _place(said: str, letters: str, row: int) -> int:
    """The row that a cell's own place says, where its row says another."""
    number = said[len(letters) :]
    return int(number) if number.isdecimal() and len(number) < 9 else row


def read_cells(stream: IO[bytes]) -> pl.DataFrame:  # noqa: PLR0915 - its callbacks share what they collect
    """The filled cells of a worksheet: place, type, style and stored value (of inline text its runs, joined).

    Each cell is met here in Python, and only here: local names and flat lists, handed on to Polars piece by piece.
    """
    frames: list[pl.DataFrame] = []
    columns: list[int] = []
    rows: list[int] = []
    kinds: list[str] = []
    styles: list[str] = []
    values: list[str | None] = []
    lists = (columns, rows, kinds, styles, values)
    pieces: list[str] = []
    codes: dict[str, str] = {}
    numbers: dict[str, int] = {}
    row = column = begin = aside = total = 0
    row_text, kind, style, value, formula = "0", "n", "0", "", ""
    parser = new_parser()

    def flush() -> None:
        nonlocal total
        total += len(columns)
        if total > _MOST_CELLS:
            raise SheetError(f"The sheet has over {_MOST_CELLS:,} cells. Divide it.")
        frames.append(pl.DataFrame(dict(zip(SCHEMA, lists, strict=True)), schema=SCHEMA))
        for one in lists:
            one.clear()

    def start(name: str, attributes: dict[str, str]) -> None:
        nonlocal row, row_text, column, kind, style, value, formula, begin, aside
        code = codes.get(name)
        if code is None:
            code = codes[name] = local(name)
        if code == "c":
            said = attributes.get("r")
            if said is None:
                column += 1
            else:
                letters = said.rstrip("0123456789")
                number = numbers.get(letters)
                if number is None:
                    number = numbers[letters] = column_number(letters)
                column = number or column + 1
                if not said.endswith(row_text) or len(said) != len(letters) + len(row_text):
                    row = _place(said, letters, row)
                    row_text = str(row)
            kind = attributes.get("t", "n")
            style = attributes.get("s", "0")
            value = formula = ""
            pieces.clear()
        elif code in ("v", "t", "f"):
            begin = len(pieces)
        elif code == "row":
            said = attributes.get("r", "")
            row = int(said) if said.isdecimal() and len(said) < 9 else row + 1
            row_text, column = str(row), 0
            if row > _LAST_ROW:
                raise SheetError(f"The sheet has a row {row:,}, and no sheet has so many. Save it anew.")
        elif code == "rPh":
            aside += 1

    def end(name: str) -> None:
        nonlocal value, formula, kind, aside
        code = codes[name]
        if code == "v" or (code == "t" and not aside):
            value += "".join(pieces[begin:])
        elif code == "f":
            formula = "".join(pieces[begin:])
        elif code == "c":
            if formula and not value:
                kind, value = UNCALCULATED, f"={formula}"
            if value:
                if column > _LAST_COLUMN or row > _LAST_ROW:
                    raise SheetError(
                        f"The sheet has a cell in column {column:,}, and no sheet has so many. Save it anew."
                    )
                columns.append(column)
                rows.append(row)
                kinds.append(kind)
                styles.append(style)
                values.append(value)
                if len(columns) >= _FLUSHED:
                    flush()
        elif code == "rPh":
            aside -= 1

    parser.StartElementHandler, parser.EndElementHandler, parser.CharacterDataHandler = start, end, pieces.append
    feed(parser, stream)
    flush()
    return pl.concat(frames)


def read_strings(stream: IO[bytes]) -> list[str]:
    """Shared strings in order: runs joined, reading aids left out."""
    strings: list[str] = []
    pieces: list[str] = []
    aside = 0
    parser = new_parser()

    def start(name: str, _: dict[str, str]) -> None:
        nonlocal aside
        code = local(name)
        if code == "si":
            pieces.clear()
        elif code == "rPh":
            aside += 1
        elif code == "t" and not aside:
            parser.CharacterDataHandler = pieces.append

    def end(name: str) -> None:
        nonlocal aside
        code = local(name)
        if code == "t":
            parser.CharacterDataHandler = None
        elif code == "rPh":
            aside -= 1
        elif code == "si":
            strings.append("".join(pieces))

    parser.StartElementHandler, parser.EndElementHandler = start, end
    feed(parser, stream)
    return strings
