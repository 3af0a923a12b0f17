"""What a sheet is once read: its cells, all text, and what was found out about it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from .findings import Finding

ROW = "row"
ROW_ID = "row_id"
STAMP_PROPERTY = "vexo-stamp-"


class SheetError(Exception):
    """A file that cannot be read as a sheet; the message says why and what to do."""


@dataclass(frozen=True)
class Stamp:
    """What a sheet carries to be recognised by: the trip and part it belongs to, and what its columns were."""

    trip: int
    part: int
    origin: str
    application: str
    stage: str
    record_type: str
    columns: tuple[tuple[str, str], ...]

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

    ``header_row`` is 0 where the sheet has none.
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
                "findings": tuple(Finding.from_json(one) for one in data.get("findings", ())),
            }
        )


@dataclass(frozen=True)
class Choices:
    """How a person wants a file read; what is not said is found. ``header`` is the row of the header, 0 for none."""

    worksheet: str = ""
    header: int | None = None
    encoding: str = ""
    delimiter: str = ""


AS_FOUND = Choices()
