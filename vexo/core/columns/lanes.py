"""A field's lane: where its values come from, what is done to them, and what its cells mean beyond their texts.

A lane is data, held by a trip or a route for each of its fields; what is not said is as ``PLAIN``. As JSON::

    {"source": "LOA (feet)", "treatments": [{"do": "multiply", "by": "0.3048"}], "blank": "leave", "only_empty": true}
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import polars as pl

from ..cell_parser import parse
from ..errors import MendableError
from ..records import Field, Kind
from ..values import SEPARATOR, bare
from .marks import VALUE, read_marks
from .treatments import Treatment, TreatmentError, treatment_from_json


class Blank(StrEnum):
    """What a blank cell means: the record is left as it is, its field is cleared, or a default stands for it."""

    LEAVE = "leave"
    CLEAR = "clear"
    DEFAULT = "default"


class LaneError(MendableError):
    """A lane that cannot be; the message says why and what to do."""

    code = "lane"


@dataclass(frozen=True)
class Lane:
    """The way of one field's values.

    Attributes:
        blank: what a blank cell means. A default counts for new records.
        default: the text that stands for a blank cell.
        updates: the default counts for records that are there too.
        only_empty: only fields that are empty in the application are filled.
        source: the header of the column that it takes, where that column goes into another field or nowhere by itself.
        fixed: the text that every row has, instead of a column.
        treatments: what is done to the texts, one after the other.
        adds: cells of a many-valued field add their items, where no mark says otherwise; else they set exactly these.
        separator: what stands between the items of a many-valued field.
        check: the values are compared with the field and never written.
        settled: questions about the values that a person answered by leaving them as they stand.
    """

    blank: Blank = Blank.LEAVE
    default: str = ""
    updates: bool = False
    only_empty: bool = False
    source: str = ""
    fixed: str = ""
    treatments: tuple[Treatment, ...] = ()
    adds: bool = False
    separator: str = SEPARATOR
    check: bool = False
    settled: tuple[str, ...] = ()

    @property
    def headers(self) -> tuple[str, ...]:
        """Columns that it looks at beside its own."""
        return tuple(header for treatment in self.treatments for header in treatment.headers)

    @property
    def own_column(self) -> bool:
        """Whether it says itself where its values come from."""
        return bool(self.source or self.fixed)

    def to_json(self) -> dict[str, Any]:
        """Only what was said."""
        data = {name: getattr(self, name) for name in _NAMES if getattr(self, name) != getattr(PLAIN, name)}
        if self.settled:
            data["settled"] = list(self.settled)
        if self.treatments:
            data["treatments"] = [treatment.to_json() for treatment in self.treatments]
        return data

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Lane:
        """Raises LaneError, TreatmentError."""
        plain = {
            name: value for name, value in data.items() if name not in ("source", "treatments", "blank", "settled")
        }
        unknown = [name for name in plain if name not in _NAMES]
        if unknown:
            raise LaneError(f"A lane has no {unknown[0]!r}. It has {', '.join(_NAMES)}.")
        for name, value in plain.items():
            if not isinstance(value, type(getattr(PLAIN, name))):
                raise LaneError(f"{name} of a lane cannot be {value!r}.")
        listed = data.get("treatments", ())
        if not isinstance(listed, list | tuple):
            raise LaneError("The treatments of a lane are a list.")
        try:
            blank = Blank(data.get("blank", Blank.LEAVE))
        except ValueError as error:
            raise LaneError(f"A blank cell means {', '.join(Blank)}, not {data['blank']!r}.") from error
        source = data.get("source", "")
        if not isinstance(source, str):
            raise LaneError(f"A lane is from a column, named by its header, not from {source!r}.")
        treatments = tuple(treatment_from_json(one) for one in listed)
        settled = tuple(str(one) for one in data.get("settled", ()))
        return cls(**{**plain, "source": source, "treatments": treatments, "blank": blank, "settled": settled})


PLAIN = Lane()
_NAMES = (
    "source",
    "fixed",
    "treatments",
    "blank",
    "default",
    "updates",
    "only_empty",
    "adds",
    "separator",
    "check",
    "settled",
)


def lanes_from_json(data: Mapping[str, Mapping[str, Any]]) -> dict[str, Lane]:
    """Field → lane, of all fields of which anything was said. Raises LaneError, TreatmentError."""
    return {name: Lane.from_json(lane_json) for name, lane_json in data.items()}


def check_lane(field: Field, lane: Lane, headers: Sequence[str] | None = None) -> None:
    """Raises LaneError where a field is only for reading, a column is not there, or a default or fixed value is missing
    or no value of its field.

    Args:
        headers: those of the sheet, where they are known.
    """
    many = field.kind == Kind.CHOICES
    if field.read_only and not lane.check:
        raise LaneError(f"{field.label} is only for reading, so its cells are never carried.")
    if lane.fixed and lane.source:
        raise LaneError(f"{field.label} takes a column or a fixed value, not both.")
    if lane.fixed and (lane.check or lane.treatments):
        raise LaneError(f"A fixed value of {field.label} is written as it stands, without treatments.")
    if (lane.adds or lane.separator != SEPARATOR) and not many:
        raise LaneError(f"{field.label} holds one value, so nothing is added to it and it has no separator.")
    if many and not lane.separator.strip() and lane.separator != "\n":
        raise LaneError(f"Say what stands between the items of {field.label}.")
    for header in (lane.source, *lane.headers):
        if header and headers is not None and header not in headers:
            words = ", ".join(repr(one) for one in headers if one) or "none"
            raise LaneError(f"The sheet has no column {header!r}. Its columns are: {words}.")
        if header and headers is not None and list(headers).count(header) > 1:
            raise LaneError(f"More than one column is called {header!r}. Rename one of them in the sheet.")
    if lane.fixed:
        _check_fixed(field, lane)
    if lane.blank == Blank.DEFAULT:
        if bare(pl.Series([lane.default], dtype=pl.String)).is_null().all():
            raise LaneError(f"Say the default that stands for a blank {field.label}.")
        _check_text(field, lane.default, "another default")


def _check_fixed(field: Field, lane: Lane) -> None:
    """A fixed value may be a mark, so that a field can be emptied in every row."""
    marked = read_marks(field, pl.Series([lane.fixed], dtype=pl.String), on=True)
    if marked.problems[0] is not None:
        raise LaneError(f"{lane.fixed!r} begins like a mark and is none. Write a real [ at its beginning as [[.")
    if marked.say[0] == VALUE:
        _check_text(field, str(marked.texts[0]), "another value")


def _check_text(field: Field, text: str, other: str) -> None:
    known = field.kind != Kind.REFERENCE
    if known and parse(field, pl.Series([text], dtype=pl.String)).problems[0] is not None:
        raise LaneError(f"{text!r} is not a value of {field.label} ({field.kind}). Choose {other}.")


__all__ = ["PLAIN", "Blank", "Lane", "LaneError", "TreatmentError", "check_lane", "lanes_from_json"]
