"""Records → the cells of a sheet that goes out: text that comes back unchanged."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import polars as pl

from ...records import Catalogue, Field, Kind, RecordType
from ...values import SEPARATOR, SPACES, normal, to_text
from ..formula_guard import put_on

MOST_ROWS = 1_048_575
"""Rows that a worksheet holds below its header."""
PIECE = 8_192
"""Rows that a writer has in memory at once."""
_LOOKED_AT = 1000
"""Cells of a column by which its width is chosen."""


@dataclass(frozen=True)
class Head:
    """One column of a sheet to be written, without its cells: its field, header and note; whether its cells are plain
    numbers, it belongs to a key, or is there for reading only; ``width`` in characters."""

    field: Field
    header: str
    note: str
    as_number: bool
    is_key: bool
    reading: bool
    width: int

    @property
    def choices(self) -> list[str]:
        """What a drop-down offers."""
        offers = self.field.kind == Kind.CHOICE and not self.reading
        return [choice.value for choice in self.field.choices] if offers else []


@dataclass(frozen=True)
class OutgoingColumn:
    """One column of a sheet to be written with its text, and whether it is a plain number."""

    field: Field
    header: str
    note: str
    cells: pl.Series
    as_number: bool
    is_key: bool
    reading: bool = False

    @property
    def head(self) -> Head:
        width = _width(self.header, _longest(self.cells.head(_LOOKED_AT)))
        reading = self.reading or self.field.read_only
        return Head(self.field, self.header, self.note, self.as_number, self.is_key, reading, width)


def column_of(field: Field, catalogue: Catalogue) -> str:
    """The column of read records that a field's cells are made of: a reference goes out as people know it."""
    shown = catalogue.shown_field(field) if field.kind == Kind.REFERENCE and field.path is None else None
    return shown.name if shown else field.name


def read_fields(names: Sequence[str], record_type: RecordType, catalogue: Catalogue) -> list[str]:
    """What has to be read for a sheet with these fields: references also as people know them."""
    wanted: list[str] = []
    for name in names:
        field = catalogue.field(record_type, name)
        wanted.append(name)
        if field.kind == Kind.REFERENCE and field.path is None:
            wanted.append(column_of(field, catalogue))
    return list(dict.fromkeys(wanted))


def _note(field: Field, catalogue: Catalogue, reading: str) -> str:
    lines = [field.help] if field.help else []
    if reading:
        lines.append(reading)
    elif field.required:
        lines.append("Required.")
    if field.only_for:
        lines.append(f"For {field.only_for[1]} records only.")
    if field.choices:
        lines.append("Choices: " + ", ".join(choice.value for choice in field.choices) + ".")
    if field.kind == Kind.CHOICES:
        lines.append(f"Several, with '{SEPARATOR} ' between them; a real {SEPARATOR} is written \\{SEPARATOR}.")
    shown = catalogue.shown_field(field) if field.kind == Kind.REFERENCE and field.path is None else None
    if shown:
        lines.append(f"By {shown.label.partition(' › ')[2]}.")
    if not reading:
        lines.append("A blank cell leaves the record as it is; [clear] empties the field.")
    return "\n".join(lines)


def _longest(cells: pl.Series) -> int:
    longest = cells.str.len_chars().max()
    return longest if isinstance(longest, int) else 0


def _width(header: str, longest: int) -> int:
    return max(8, min(48, max(len(header), longest) + 3))


def _fits_a_spreadsheet(cells: pl.Series) -> bool:
    """Whether no number has more than the 15 significant digits that spreadsheets keep."""
    digits = cells.str.replace_all(r"[-.]", "").str.strip_chars_start("0").str.len_chars()
    return not (digits > 15).any()


def for_reading(fields: Sequence[Field], record_type: RecordType) -> dict[str, str]:
    """The fields that go out only to be read, and why: what cannot be written, and of fields that set one value all but
    the first."""
    why: dict[str, str] = {}
    for at, field in enumerate(fields):
        before = {f.name: f.label for f in fields[:at] if f.name not in why}
        other = next((before[name] for name in record_type.instead_of(field.name) if name in before), None)
        if field.read_only:
            why[field.name] = "For reading: changes here are not carried back."
        elif other:
            why[field.name] = f"For reading: it sets the same value as {other}, which is carried back."
    return why


def cells_of(
    fields: Sequence[Field], records: pl.DataFrame, record_type: RecordType, catalogue: Catalogue
) -> pl.DataFrame:
    """The text of records as a sheet says it: a column ``c0``, ``c1``, … for each field."""
    columns = []
    for at, field in enumerate(fields):
        shown_field = catalogue.field(record_type, column_of(field, catalogue)) if field.path is None else field
        values = records[shown_field.name]
        if shown_field.kind == Kind.CHOICES and not field.read_only:
            values = values.list.eval(pl.element().str.replace(rf"^({SPACES}*)\[", "${1}[["))
        cells = to_text(shown_field, values)
        if shown_field.kind in (Kind.TEXT, Kind.REFERENCE, Kind.CHOICE):
            cells = normal(cells)
            if not field.read_only:
                cells = cells.str.replace(rf"^({SPACES}*)\[", "${1}[[")
        columns.append(cells.alias(f"c{at}"))
    return pl.DataFrame(columns)


class Heads:
    """The heads of a sheet's columns, made while its cells pass by."""

    def __init__(self, fields: Sequence[Field], record_type: RecordType, catalogue: Catalogue) -> None:
        self._fields, self._catalogue = list(fields), catalogue
        self._why = for_reading(fields, record_type)
        self._keys = {name for key in record_type.keys[:1] for name in key} | {record_type.identifier}
        self._longest = [0] * len(self._fields)
        self._numbers = [field.is_number for field in self._fields]
        self._seen = 0

    def look(self, cells: pl.DataFrame) -> None:
        """Take some more rows into account."""
        for at in range(len(self._fields)):
            texts = cells[f"c{at}"]
            if self._numbers[at]:
                self._numbers[at] = _fits_a_spreadsheet(texts)
            if self._seen < _LOOKED_AT:
                self._longest[at] = max(self._longest[at], _longest(texts.head(_LOOKED_AT)))
        self._seen += len(cells)

    def made(self) -> list[Head]:
        """The heads by all that was seen."""
        return [
            Head(
                field,
                field.label,
                _note(field, self._catalogue, self._why.get(field.name, "")),
                self._numbers[at],
                field.name in self._keys,
                field.name in self._why,
                _width(field.label, self._longest[at]),
            )
            for at, field in enumerate(self._fields)
        ]


def outgoing_columns(
    fields: list[Field], records: pl.DataFrame, record_type: RecordType, catalogue: Catalogue
) -> list[OutgoingColumn]:
    """The columns of a sheet of these records, in the order of the fields."""
    cells, heads = cells_of(fields, records, record_type, catalogue), Heads(fields, record_type, catalogue)
    heads.look(cells)
    return [
        OutgoingColumn(h.field, h.header, h.note, cells[f"c{at}"].alias(h.field.name), h.as_number, h.is_key, h.reading)
        for at, h in enumerate(heads.made())
    ]


def in_pieces(columns: Sequence[OutgoingColumn]) -> Iterator[pl.DataFrame]:
    """Columns as pieces of rows, to be written one by one."""
    whole = pl.DataFrame([column.cells.alias(f"c{at}") for at, column in enumerate(columns)])
    return whole.iter_slices(PIECE)


def harmless(head: Head, cells: pl.Series) -> pl.Series:
    """Text that a spreadsheet opening a delimited file would run as a formula gets a prefix, told apart by doubling."""
    if head.field.is_number or head.field.kind in (Kind.DATE, Kind.MOMENT, Kind.YES_NO):
        return cells
    return put_on(cells)
