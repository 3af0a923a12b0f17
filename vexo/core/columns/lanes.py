"""A field's lane: what its cells mean beyond their texts.

A lane is data, held by a trip for each of its fields; what is not said is as ``PLAIN``.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any

import polars as pl

from ..records import Field, Kind
from ..values import bare, parse


class Blank(StrEnum):
    """What a blank cell means: the record is left as it is, its field is cleared, or a default stands for it."""

    LEAVE = "leave"
    CLEAR = "clear"
    DEFAULT = "default"


class LaneError(Exception):
    """A lane that cannot be; the message says why and what to do."""

    code = "lane"


@dataclass(frozen=True)
class Lane:
    """The rules of one field.

    Attributes:
        blank: what a blank cell means. A default counts for new records.
        default: the text that stands for a blank cell.
        updates: the default counts for records that are there too.
        only_empty: only fields that are empty in the application are filled.
    """

    blank: Blank = Blank.LEAVE
    default: str = ""
    updates: bool = False
    only_empty: bool = False

    def to_json(self) -> dict[str, Any]:
        """Only what was said."""
        return {name: value for name, value in asdict(self).items() if value != getattr(PLAIN, name)}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Lane:
        return cls(**{**data, "blank": Blank(data.get("blank", Blank.LEAVE))})


PLAIN = Lane()


def lanes_from_json(data: Mapping[str, Mapping[str, Any]]) -> dict[str, Lane]:
    """Field → lane, of all fields of which anything was said."""
    return {name: Lane.from_json(told) for name, told in data.items()}


def check_lane(field: Field, lane: Lane) -> None:
    """Raises LaneError where a field is only for reading, or a default is missing or no value of its field."""
    if field.read_only:
        raise LaneError(f"{field.label} is only for reading, so its cells are never carried.")
    if lane.blank != Blank.DEFAULT:
        return
    text = pl.Series([lane.default], dtype=pl.String)
    if bare(text).is_null().all():
        raise LaneError(f"Say the default that stands for a blank {field.label}.")
    problem = parse(field, text).problems[0] if field.kind != Kind.REFERENCE else None
    if problem is not None:
        raise LaneError(f"{lane.default!r} is no value of {field.label} ({field.kind}). Choose another default.")
