"""A trip's sheet with what its columns are: matched once, and passed on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from vexo.core.columns.carried_values import Reading
from vexo.core.columns.lanes import PLAIN, Lane, lanes_from_json
from vexo.core.columns.matches import ColumnMatch, MatchedBy, Offer, one_for_editing, with_lanes
from vexo.core.keys.record_keys import RecordKeyError, suggest_key
from vexo.core.operations import Operation
from vexo.core.records import Catalogue, RecordType, UnknownName
from vexo.core.sheets import Choices

from .. import artifacts
from ..applications.models import Application
from ..errors import PlainError
from ..trips.facts.parts import Key
from ..trips.models import Sheet, Trip
from ..trips.part_view import PartView
from ..trips.sheet_cells import cells_of, edits_of
from ..trips.sheets import was_delimited


def known_catalogue(application: Application) -> Catalogue:
    """What the application last said that it holds. Raises PlainError where it has not said yet."""
    known = application.known
    if known is None:
        raise PlainError(
            f"What {application.label} holds is not known, or cannot be understood. Test its connection.",
            "no-catalogue",
        )
    return known


def matches_of(sheet: Sheet, record_type: RecordType, catalogue: Catalogue) -> list[ColumnMatch]:
    """The columns of a sheet with their fields, as written down; what the application no longer has is open."""
    matches = []
    for mapping in sheet.mappings.all():
        try:
            field = catalogue.field(record_type, mapping.field) if mapping.field else None
        except UnknownName:
            field = None
        how = MatchedBy(mapping.how) if field is not None or not mapping.field else MatchedBy.OPEN
        offers = tuple(Offer(**offer) for offer in mapping.offers)
        matches.append(ColumnMatch(mapping.column, mapping.header, field, how, offers))
    return one_for_editing(matches, record_type) if sheet.recognised else matches


@dataclass(frozen=True)
class MappedSheet:
    """The newest sheet of a trip's part, with its columns.

    Attributes:
        lanes: field → lane, of fields of which anything was said.
        matches: the columns of the sheet, then the fields whose lanes take a column of their own or a fixed value.
    """

    view: PartView
    sheet: Sheet
    catalogue: Catalogue
    record_type: RecordType
    lanes: Mapping[str, Lane]
    matches: list[ColumnMatch]

    @classmethod
    def of(cls, view: PartView, sheet: Sheet, catalogue: Catalogue) -> MappedSheet:
        """A sheet with its columns as the trip has them now. Raises UnknownName, LaneError, TreatmentError."""
        record_type = catalogue.type(view.trip.record_type)
        lanes = lanes_from_json(view.trip.lanes)
        matches = with_lanes(matches_of(sheet, record_type, catalogue), lanes, record_type)
        return cls(view, sheet, catalogue, record_type, lanes, matches)

    @property
    def trip(self) -> Trip:
        """The trip that the sheet is of."""
        return self.view.trip

    def lane(self, name: str) -> Lane:
        """The lane of a field."""
        return self.lanes.get(name, PLAIN)

    @cached_property
    def edits(self) -> tuple[int, ...]:
        """The numbers of the edits that count, oldest first."""
        return tuple(edits_of(self.trip))

    @cached_property
    def cells(self) -> pl.DataFrame:
        """The sheet's cells, with these edits; read once."""
        return artifacts.read(cells_of(self.sheet, self.edits))

    @cached_property
    def headers(self) -> dict[str, str]:
        """Header → column, for lanes that look at other columns than their own; of two with one header the first."""
        return {match.header: match.column for match in reversed(self.matches) if match.header and match.column}

    @property
    def field_names(self) -> list[str]:
        """Names of the fields that columns go into."""
        return [match.field.name for match in self.matches if match.field]

    @property
    def key(self) -> tuple[str, ...]:
        """The key fields that were said, or that suggest themselves; empty where they have to be said, and where rows
        are matched by nothing."""
        if self.trip.operation == Operation.CREATE_UNMATCHED:
            return ()
        chosen = tuple(self.trip.key)
        return chosen or suggest_key(self.record_type, self.field_names, own=self.sheet.recognised) or ()

    @property
    def knows_key(self) -> bool:
        """Whether it is known how rows find their records, or that nothing matches them."""
        if self.trip.operation == Operation.CREATE_UNMATCHED:
            return not self.carried_keys
        return bool(self.key)

    @property
    def carried_keys(self) -> list[tuple[str, ...]]:
        """The keys by which rows can be matched for certain: record IDs of a sheet from here, and declared keys
        with each field in the sheet."""
        names, record_type = set(self.field_names), self.record_type
        by_id = [(record_type.identifier,)] if self.sheet.recognised and record_type.identifier in names else []
        return [*by_id, *[key for key in record_type.keys if names.issuperset(key)]]

    def refuse_keyed(self) -> None:
        """Rows are matched by nothing only where nothing could match them. Raises RecordKeyError."""
        keys = self.carried_keys
        if keys:
            labels = " + ".join(self.record_type.field(name).label for name in keys[0])
            raise RecordKeyError(
                f"Each row can be matched by {labels}, so none is created unseen. Create by that key: rows that find a "
                "record are set aside."
            )

    @property
    def key_fact(self) -> Key:
        """The key as the trip's status tells it."""
        labels = {field.name: field.label for field in self.record_type.fields}
        return Key(list(self.key), [labels.get(name, name) for name in self.key])

    @cached_property
    def reading(self) -> Reading:
        """How the sheet's cells are read, without tables to look up in."""
        return reading_of(self.trip, self.sheet)


def reading_of(trip: Trip, sheet: Sheet, tables: Mapping[str, pl.DataFrame] | None = None) -> Reading:
    """How a sheet's cells are read.

    Args:
        tables: those in which its treatments look values up.
    """
    choices = Choices(**sheet.choices)
    return Reading(
        marks=sheet.recognised or choices.marks,
        prefixed=choices.prefix == "off" or (sheet.recognised and was_delimited(trip)),
        tables=tables or {},
    )
