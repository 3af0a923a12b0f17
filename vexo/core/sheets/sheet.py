"""What a sheet is once read: its cells, all text, and what was found out about it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from ..errors import MendableError
from .findings import Finding

ROW = "row"
ROW_ID = "row_id"
UNKNOWN = "\ufffd"
"""What stands in a cell for a byte that fits no character."""
STAMP_PROPERTY = "vexo-stamp-"


class SheetError(MendableError):
    """A file that cannot be read as a sheet; the message says why and what to do."""


@dataclass(frozen=True)
class Stamp:
    """What a sheet carries to be recognised by: the trip and part it belongs to, and what its columns were.

    ``rows`` is set where it is not the trip's sheet but some of its rows: those not in, or a receipt.
    """

    trip: int
    part: int
    origin: str
    application: str
    stage: str
    record_type: str
    columns: tuple[tuple[str, str], ...]
    rows: bool = False

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Stamp:
        columns = tuple((str(field), str(header)) for field, header in data["columns"])
        origin, application = str(data["origin"]), str(data["application"])
        return cls(
            int(data["trip"]),
            int(data["part"]),
            origin,
            application,
            str(data["stage"]),
            str(data["record_type"]),
            columns,
            bool(data.get("rows", False)),
        )

    def to_json(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True)
class Column:
    """One column of a sheet. ``name`` is its column in the cells, ``header`` what the person wrote above it."""

    name: str
    header: str
    filled: int
    different: int


@dataclass(frozen=True)
class SheetProfile:
    """What was found: ``rows`` are those below the header with a non-blank cell, a total row at the end excepted.

    ``header_row`` is 0 where the sheet has none. ``first_rows`` are its first filled rows, each as one text, for a
    person to find the header among; ``places`` what the columns are called before they are shaped.
    """

    format: str
    columns: tuple[Column, ...]
    header_row: int
    rows: int
    blank_rows: int
    total_rows: tuple[int, ...]
    sheet: str = ""
    encoding: str = ""
    delimiter: str = ""
    other_sheets: tuple[str, ...] = ()
    stamp: Stamp | None = None
    findings: tuple[Finding, ...] = ()
    places: tuple[str, ...] = ()
    first_rows: tuple[tuple[int, str], ...] = ()

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> SheetProfile:
        return cls(
            **{
                **data,
                "columns": tuple(Column(**column) for column in data["columns"]),
                "total_rows": tuple(data["total_rows"]),
                "other_sheets": tuple(data["other_sheets"]),
                "stamp": Stamp.from_json(data["stamp"]) if data["stamp"] else None,
                "findings": tuple(Finding.from_json(one) for one in data["findings"]),
                "places": tuple(data["places"]),
                "first_rows": tuple((int(row), str(text)) for row, text in data["first_rows"]),
            }
        )


@dataclass(frozen=True)
class Choices:
    """How a person wants a file read; what is not said is found.

    Attributes:
        header: the row of the header, 0 for none.
        prefix: what becomes of the apostrophe that guards cells against being run as formulas: ``off`` or ``keep``.
        marks: whether marks count in a sheet that did not go out from here.
    """

    worksheet: str = ""
    header: int | None = None
    encoding: str = ""
    delimiter: str = ""
    prefix: str = ""
    marks: bool = False

    @property
    def of_the_file(self) -> Choices:
        """Those by which the file itself is read; the others come after."""
        return Choices(self.worksheet, None, self.encoding, self.delimiter)

    def to_json(self) -> dict[str, Any]:
        """Only what was said."""
        return {name: value for name, value in asdict(self).items() if value not in ("", None) and value is not False}


AS_FOUND = Choices()
