"""The cells of an XLSX worksheet and its shared strings, by expat.

Source: ECMA-376 part 1, SpreadsheetML; transitional and strict names alike.
"""

from __future__ import annotations

from typing import IO

import polars as pl

from ...wording import thousands
from ..shape import column_letters
from ..sheet import ROW, SheetError
from .xml_events import feed, local, new_parser

_FLUSHED = 50_000
"""Cells that are held as Python's own before they become a column."""
_MOST_CELLS = 60_000_000
"""Cells of a sheet: what the reader's memory holds."""
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


_VALUE, _CELL, _ROW, _FORMULA, _READING_AID, _OTHER = range(6)
_DOES = {"v": _VALUE, "t": _VALUE, "c": _CELL, "row": _ROW, "f": _FORMULA, "rPh": _READING_AID}


class _Names(dict[str, int]):
    """What the callbacks have to do at an element, by its full name."""

    def __missing__(self, name: str) -> int:
        code = self[name] = _DOES.get(local(name), _OTHER)
        return code


def placed(place: pl.Series) -> tuple[pl.Series, pl.Series]:
    """Column and row of cells by their places. Raises SheetError where no sheet has such a place."""
    letters = place.str.strip_chars_end("0123456789")
    known = {one: column_number(one) for one in letters.unique().to_list()}
    column = letters.replace_strict(list(known), list(known.values()), return_dtype=pl.Int64)
    row = place.str.strip_chars_start("ABCDEFGHIJKLMNOPQRSTUVWXYZ").cast(pl.Int64, strict=False)
    wrong = row.is_null() | (column == 0) | (column > _LAST_COLUMN) | (row > _LAST_ROW)
    if wrong.any():
        raise SheetError(f"The sheet has a cell in {place.filter(wrong)[0]}, and no sheet has so many. Save it anew.")
    return column, row


def _next_place(before: str, row: int) -> str:
    """Where a cell is that does not say it: right of the one before it in its row."""
    letters = before.rstrip("0123456789") if before.endswith(str(row)) else ""
    return f"{column_letters(column_number(letters) + 1)}{row}"


def read_cells(stream: IO[bytes]) -> pl.DataFrame:  # noqa: PLR0915 - its callbacks share what they collect
    """The filled cells of a worksheet: place, type, style and stored value (of inline text its runs, joined).

    Each cell is met here in Python, and only here: local names and flat lists, handed on to Polars piece by piece.
    """
    frames: list[pl.DataFrame] = []
    places: list[str] = []
    kinds: list[str] = []
    styles: list[str] = []
    values: list[str] = []
    pieces: list[str] = []
    names = _Names()
    row = aside = total = 0
    place, kind, style, value, formula = "", "n", "0", "", ""
    parser = new_parser()

    def flush() -> None:
        nonlocal total
        total += len(places)
        if total > _MOST_CELLS:
            raise SheetError(f"The sheet has over {thousands(_MOST_CELLS)} cells. Divide it.")
        column, number = placed(pl.Series(places, dtype=pl.String))
        columns = {"column": column, ROW: number, "kind": kinds, "style": styles, "value": values}
        frames.append(pl.DataFrame(columns, schema_overrides=SCHEMA))
        for one in (places, kinds, styles, values):
            one.clear()

    def start(name: str, attributes: dict[str, str]) -> None:
        nonlocal row, place, kind, style, value, formula, aside
        code = names[name]
        if code == _CELL:
            place = attributes.get("r") or _next_place(place, row)
            kind = attributes.get("t", "n")
            style = attributes.get("s", "0")
            value = formula = ""
        elif code in (_VALUE, _FORMULA):
            pieces.clear()
        elif code == _ROW:
            reference = attributes.get("r", "")
            row, place = int(reference) if reference.isdecimal() and len(reference) < 9 else row + 1, ""
            if row > _LAST_ROW:
                raise SheetError(f"The sheet has a row {thousands(row)}, and no sheet has so many. Save it anew.")
        elif code == _READING_AID:
            aside += 1

    def end(name: str) -> None:
        nonlocal value, formula, kind, aside
        code = names[name]
        if code == _VALUE:
            if not aside:
                value += pieces[0] if len(pieces) == 1 else "".join(pieces)
        elif code == _CELL:
            if formula and not value:
                kind, value = UNCALCULATED, f"={formula}"
            if value:
                places.append(place)
                kinds.append(kind)
                styles.append(style)
                values.append(value)
                if len(places) >= _FLUSHED:
                    flush()
        elif code == _FORMULA:
            formula = "".join(pieces)
        elif code == _READING_AID:
            aside -= 1

    parser.StartElementHandler, parser.EndElementHandler, parser.CharacterDataHandler = start, end, pieces.append
    feed(parser, stream, lambda: pieces)
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
    feed(parser, stream, lambda: pieces)
    return strings
