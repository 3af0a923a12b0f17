"""Records → the cells of a sheet that goes out: text that comes back unchanged."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from ..records import Catalogue, Field, Kind, RecordType
from ..values import SEPARATOR, SPACES, normal, to_text

FORMULA_BEGIN = r"^[=+\-@\t\r']"
PREFIX = "'"


@dataclass(frozen=True)
class OutgoingColumn:
    """One column of a sheet to be written: its field, header, note and text, and whether it is a plain number."""

    field: Field
    header: str
    note: str
    cells: pl.Series
    as_number: bool
    is_key: bool


def column_of(field: Field, catalogue: Catalogue) -> str:
    """The column of read records that a field's cells are made of: a reference goes out as people know it."""
    shown = catalogue.shown_field(field) if field.kind == Kind.REFERENCE and field.path is None else None
    return shown.name if shown else field.name


def _note(field: Field, catalogue: Catalogue) -> str:
    lines = [field.help] if field.help else []
    if field.read_only:
        lines.append("For reading: changes here are not carried back.")
    elif field.required:
        lines.append("Required.")
    if field.choices:
        lines.append("Choices: " + ", ".join(choice.value for choice in field.choices) + ".")
    if field.kind == Kind.CHOICES:
        lines.append(f"Several, with '{SEPARATOR} ' between them; a real {SEPARATOR} is written \\{SEPARATOR}.")
    shown = catalogue.shown_field(field) if field.kind == Kind.REFERENCE and field.path is None else None
    if shown:
        lines.append(f"By {shown.label.partition(' › ')[2]}.")
    if not field.read_only:
        lines.append("A blank cell leaves the record as it is; [clear] empties the field.")
    return "\n".join(lines)


def _fits_a_spreadsheet(cells: pl.Series) -> bool:
    """Whether no number has more than the 15 significant digits that spreadsheets keep."""
    digits = cells.str.replace_all(r"[-.]", "").str.strip_chars_start("0").str.len_chars()
    return not (digits > 15).any()


def outgoing_columns(
    fields: list[Field], records: pl.DataFrame, record_type: RecordType, catalogue: Catalogue
) -> list[OutgoingColumn]:
    """The columns of a sheet of these records, in the order of the fields."""
    keys = {name for key in record_type.keys[:1] for name in key} | {record_type.identifier}
    columns = []
    for field in fields:
        own = catalogue.field(record_type, column_of(field, catalogue)) if field.path is None else field
        values = records[own.name]
        if own.kind == Kind.CHOICES and not field.read_only:
            values = values.list.eval(pl.element().str.replace(rf"^({SPACES}*)\[", "${1}[["))
        cells = to_text(own, values)
        if own.kind in (Kind.TEXT, Kind.REFERENCE, Kind.CHOICE):
            cells = normal(cells)
            if not field.read_only:
                cells = cells.str.replace(rf"^({SPACES}*)\[", "${1}[[")
        number = field.is_number and _fits_a_spreadsheet(cells)
        note = _note(field, catalogue)
        columns.append(OutgoingColumn(field, field.label, note, cells, number, field.name in keys))
    return columns


def harmless(column: OutgoingColumn) -> pl.Series:
    """Text that a spreadsheet opening a delimited file would run as a formula gets a prefix, told apart by doubling."""
    if column.field.is_number or column.field.kind in (Kind.DATE, Kind.MOMENT, Kind.YES_NO):
        return column.cells
    return column.cells.str.replace(FORMULA_BEGIN, PREFIX + "$0")
