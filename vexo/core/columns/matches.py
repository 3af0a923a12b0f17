"""Which column goes into which field: said by a person, by stamp, route, name, label or what the words mean; what is
not sure is offered, not taken."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import polars as pl

from ..cell_parser import parse
from ..errors import MendableError
from ..records import Catalogue, Field, Kind, RecordType, UnknownName
from ..sheets import SheetProfile, Stamp
from ..sheets.file_parts import file_column
from ..sheets.overlay.versions import RECORD_HEADER, own_columns
from ..sheets.shape import column_titles
from ..values import bare
from .lanes import Lane
from .synonyms import alike, sense
from .value_formats import find_forms, find_separator

_OFFERED = 3
"""Fields that are offered for a column: as many as one reads at a glance."""
_WORTH = 50.0
"""Percent of likeness from which a field is worth offering."""
_LIKELY = 80.0
"""Percent of likeness from which a field is taken to be meant."""
_FITS = 0.8
"""Share of a column's cells that have to be values of a field for it to be meant."""
_SAMPLE = 2000
"""Different cells of a column that are tried on a field."""


class MatchedBy(StrEnum):
    """By what a column is known as its field, or why it has none."""

    CHOSEN = "chosen"
    """A person said so."""
    STAMP = "stamp"
    ROUTE = "route"
    NAME = "name"
    LABEL = "label"
    WORDS = "words"
    """Its header means the same in other words."""
    CONTENTS = "contents"
    """Its header was changed, and its cells are those that went out."""
    LANE = "lane"
    """A lane takes it, into this field or another."""
    LOST = "lost"
    """The field's lane takes a column that is not there."""
    FIXED = "fixed"
    """The field's lane has a fixed value: there is no column."""
    ADDED = "added"
    """It was added when files were put together."""
    RECEIPT = "receipt"
    """A receipt has it beside the columns of its sheet: what became of the row."""
    OPEN = "open"
    """Nobody has said yet what becomes of it."""


class MappingError(MendableError):
    """Columns and fields that cannot be brought together; the message names them and what to do."""

    code = "columns"


@dataclass(frozen=True)
class Offer:
    """A field that a column may be: how like its name is, 0 to 100, and which share of the cells can be such values."""

    field: str
    alike: float
    fits: float

    @property
    def likely(self) -> bool:
        """Whether it is more than a guess."""
        return self.alike >= _LIKELY and self.fits >= _FITS


@dataclass(frozen=True)
class ColumnMatch:
    """A column and its field, or None where it is not carried.

    ``offers`` are what a column may be that nothing is sure of. A ``check`` is compared and never written.
    """

    column: str
    header: str
    field: Field | None
    how: MatchedBy
    offers: tuple[Offer, ...] = ()
    check: bool = False

    @property
    def carried(self) -> bool:
        return self.field is not None and not self.field.read_only and not self.check

    @property
    def open(self) -> bool:
        """Whether nobody has said yet what becomes of it."""
        return self.how == MatchedBy.OPEN


def _plain(text: str) -> str:
    return re.sub(r"[\W_]+", "", text).casefold()


def _by_name(header: str, record_type: RecordType) -> tuple[Field | None, MatchedBy]:
    for field in record_type.fields:
        if header == field.name:
            return field, MatchedBy.NAME
    plain = _plain(header)
    for how in (MatchedBy.LABEL, MatchedBy.NAME):
        fields = [f for f in record_type.fields if _plain(f.label if how == MatchedBy.LABEL else f.name) == plain != ""]
        if len(fields) == 1:
            return fields[0], how
    return None, MatchedBy.OPEN


def _by_stamp(header: str, stamp: Stamp | None, record_type: RecordType, catalogue: Catalogue) -> Field | None:
    fields = [field for field, known in (stamp.columns if stamp else ()) if known == header]
    if len(fields) != 1:
        return None
    try:
        return catalogue.field(record_type, fields[0])
    except UnknownName:
        return None


def fits(field: Field, texts: pl.Series) -> float:
    """Which share of the filled cells (of the first different ones) can be values of a field, in any form; 1 where
    there are none."""
    different = bare(texts).drop_nulls().unique(maintain_order=True).head(_SAMPLE)
    if different.is_empty():
        return 1.0
    if field.kind == Kind.REFERENCE:
        return 1.0
    if field.kind == Kind.CHOICES:
        return find_separator(field, different)[1]
    good = int(parse(field, different).problems.is_null().sum())
    forms = find_forms(field, different)
    return max(good, forms.read) / len(different)


def _names(field: Field) -> tuple[str, ...]:
    return field.label, field.name, *field.also


def _offers(header: str, texts: pl.Series | None, fields: Sequence[Field]) -> tuple[Offer, ...]:
    """The fields that a column may be, the likeliest first."""
    scored = []
    for field in fields:
        likeness = max(alike(header, name) for name in _names(field))
        if likeness >= _WORTH:
            share = 1.0 if texts is None else fits(field, texts)
            scored.append((likeness * (0.4 + 0.6 * share), Offer(field.name, round(likeness, 1), round(share, 3))))
    scored.sort(key=lambda one: -one[0])
    return tuple(offer for _, offer in scored[:_OFFERED])


def _by_words(offers: Sequence[Offer], header: str, fields: Mapping[str, Field]) -> Field | None:
    """The one field whose name says the same in other words, where the contents agree."""
    same = [
        fields[one.field]
        for one in offers
        if one.fits >= _FITS and sense(header) in map(sense, _names(fields[one.field]))
    ]
    return same[0] if len(same) == 1 else None


def match_columns(
    profile: SheetProfile,
    record_type: RecordType,
    catalogue: Catalogue,
    *,
    stamp: Stamp | None = None,
    chosen: Mapping[str, str] | None = None,
    cells: pl.DataFrame | None = None,
    route: Mapping[str, str] | None = None,
) -> list[ColumnMatch]:
    """Every column of the sheet with its field.

    Args:
        chosen: header (see ``column_titles``) → field name as a person wants it; an empty name means the column is not
            carried.
        cells: the sheet's cells, to check by the contents what the words say.
        route: header → field name as a route has it.

    Raises:
        MappingError: a column that was named is not there.
        UnknownName: a field that was named is not there.
    """
    wanted = dict(chosen or {})
    headers = [column.header for column in profile.columns]
    titles = column_titles(profile.columns)
    for header in wanted:
        if header not in titles.values():
            titles_shown = ", ".join(repr(title) for title in titles.values() if title) or "none"
            what = "no column" if header not in headers else "more than one column"
            raise MappingError(f"The sheet has {what} {header!r}. Its columns are: {titles_shown}.")
    matches = []
    for column in profile.columns:
        field: Field | None
        how: MatchedBy
        if titles[column.name] in wanted:
            name = wanted[titles[column.name]]
            field, how = (catalogue.field(record_type, name) if name else None), MatchedBy.CHOSEN
        elif titles[column.name] in (route or {}):
            name = (route or {})[titles[column.name]]
            field, how = (record_type.find(name) if name else None), MatchedBy.ROUTE
        else:
            field, how = _by_stamp(column.header, stamp, record_type, catalogue), MatchedBy.STAMP
            if field is None:
                field, how = _by_name(column.header, record_type) if column.header else (None, MatchedBy.OPEN)
        matches.append(ColumnMatch(column.name, column.header, field, how))
    if file_column(headers) is not None:
        matches[-2:] = [replace(match, how=MatchedBy.ADDED) if match.open else match for match in matches[-2:]]
    matches = _of_receipt(matches, profile, record_type)
    matches = _in_other_words(matches, record_type, cells)
    return [replace(match, header=titles[match.column]) for match in matches]


def _of_receipt(matches: Sequence[ColumnMatch], profile: SheetProfile, record_type: RecordType) -> list[ColumnMatch]:
    """The columns that a receipt has of its own go nowhere; but the records that it made may be what a reference of
    another record type is to name."""
    receipt_columns = own_columns(profile)
    stamped_type = profile.stamp.record_type if profile.stamp is not None else ""
    referring = [field for field in record_type.fields if field.target == stamped_type and not field.read_only]
    offers = tuple(Offer(field.name, 100.0, 1.0) for field in referring[:_OFFERED])
    by_people = (MatchedBy.CHOSEN, MatchedBy.ROUTE)
    known = []
    for match in matches:
        header = receipt_columns.get(match.column)
        if header is None or match.how in by_people:
            known.append(match)
        elif header == RECORD_HEADER and offers and stamped_type != record_type.name:
            known.append(replace(match, field=None, how=MatchedBy.OPEN, offers=offers))
        else:
            known.append(replace(match, field=None, how=MatchedBy.RECEIPT))
    return known


def _in_other_words(
    matches: list[ColumnMatch], record_type: RecordType, cells: pl.DataFrame | None
) -> list[ColumnMatch]:
    """What is still open: known by what its header says in other words, or with what it may be."""
    taken = {name for m in matches if m.field for name in (m.field.name, *record_type.instead_of(m.field.name))}
    free = [f for f in record_type.fields if f.name not in taken and f.name != record_type.identifier]
    fields = {field.name: field for field in free}
    matched, open_matches = [], []
    for match in matches:
        if not match.open or not match.header or match.offers:
            matched.append(match)
            continue
        offers = _offers(match.header, cells[match.column] if cells is not None else None, free)
        field = _by_words(offers, match.header, fields)
        open_matches.append(field.name if field else "")
        matched.append(replace(match, field=field, how=MatchedBy.WORDS if field else MatchedBy.OPEN, offers=offers))
    twice = {name for name in open_matches if open_matches.count(name) > 1}
    return [
        replace(m, field=None, how=MatchedBy.OPEN)
        if m.how == MatchedBy.WORDS and m.field and m.field.name in twice
        else m
        for m in matched
    ]


def with_lanes(matches: Sequence[ColumnMatch], lanes: Mapping[str, Lane], record_type: RecordType) -> list[ColumnMatch]:
    """The columns, then the fields whose lanes take a column of their own, or a fixed value. A lane's word counts more
    than a column's name: that column goes nowhere then; and a column that a lane looks at is not open."""
    own_lanes = {name: lane for name, lane in lanes.items() if lane.own_column and record_type.find(name)}
    looked_at = {header for lane in lanes.values() for header in (lane.source, *lane.headers) if header}
    with_own = []
    for match in matches:
        name = match.field.name if match.field else ""
        if name in own_lanes or (match.open and match.header in looked_at):
            with_own.append(replace(match, field=None, how=MatchedBy.LANE))
        else:
            with_own.append(replace(match, check=name in lanes and lanes[name].check))
    columns = {match.header: match for match in matches}
    for name, lane in own_lanes.items():
        field = record_type.field(name)
        source = columns.get(lane.source)
        if lane.fixed:
            with_own.append(ColumnMatch("", "", field, MatchedBy.FIXED))
        elif source is not None:
            with_own.append(ColumnMatch(source.column, source.header, field, MatchedBy.LANE, check=lane.check))
        else:
            with_own.append(ColumnMatch("", lane.source, field, MatchedBy.LOST, check=lane.check))
    return with_own


def one_for_editing(matches: Sequence[ColumnMatch], record_type: RecordType) -> list[ColumnMatch]:
    """The columns of a sheet that went out from here: of fields that set one value the first is for editing and the
    others went out to be read, unless a person has said that another is carried."""
    chosen_fields = {m.field.name for m in matches if m.field and m.how == MatchedBy.CHOSEN}
    taken: set[str] = set()
    editable = []
    for match in matches:
        field = match.field
        if field is None or field.read_only or match.how == MatchedBy.CHOSEN:
            editable.append(match)
        elif set(record_type.instead_of(field.name)) & (taken | chosen_fields):
            editable.append(replace(match, field=replace(field, read_only=True, required=False)))
        else:
            taken.add(field.name)
            editable.append(match)
    return editable


def conflicts(matches: Sequence[ColumnMatch], record_type: RecordType) -> list[tuple[ColumnMatch, ColumnMatch]]:
    """Columns of which only one can be carried: both go into one field, or into fields that set one value."""
    pairs: list[tuple[ColumnMatch, ColumnMatch]] = []
    taken: dict[str, ColumnMatch] = {}
    for match in matches:
        if match.field is None:
            continue
        names = [match.field.name, *(record_type.instead_of(match.field.name) if match.carried else ())]
        other = next((taken[name] for name in names if name in taken), None)
        if other is not None:
            pairs.append((other, match))
        elif match.carried or match.field.name not in taken:
            taken[match.field.name] = match
    return pairs


def conflict_words(first: ColumnMatch, second: ColumnMatch) -> str:
    """Why two columns cannot both be carried, with both named, and what to do."""
    a, b = (one.header or "a fixed value" for one in (first, second))
    assert first.field is not None and second.field is not None
    if first.field.name == second.field.name:
        return (
            f"The columns {a!r} and {b!r} both go into {first.field.label}. Carry one of them and leave the other out."
        )
    return (
        f"The columns {a!r} ({first.field.label}) and {b!r} ({second.field.label}) set the same value two ways. "
        "Carry one of them and leave the other out."
    )


def refuse_conflicts(matches: Sequence[ColumnMatch], record_type: RecordType) -> None:
    """Raises MappingError where two columns cannot both be carried."""
    for pair in conflicts(matches, record_type):
        raise MappingError(conflict_words(*pair))
