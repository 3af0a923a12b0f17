"""Which column goes into which field: said by a person, by the sheet's stamp, or by name and label."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

from ..records import Catalogue, Field, RecordType, UnknownName
from ..sheets import SheetProfile, Stamp


class MappingError(Exception):
    """Columns and fields that cannot be brought together; the message names them and what to do."""

    code = "columns"


@dataclass(frozen=True)
class ColumnMatch:
    """A column and its field, or None where it is not carried; ``how`` tells the way: said, stamp, name, label,
    contents, or nothing."""

    column: str
    header: str
    field: Field | None
    how: str

    @property
    def carried(self) -> bool:
        return self.field is not None and not self.field.read_only


def _plain(text: str) -> str:
    return re.sub(r"[\W_]+", "", text).casefold()


def _by_name(header: str, record_type: RecordType) -> tuple[Field | None, str]:
    for field in record_type.fields:
        if header == field.name:
            return field, "name"
    plain = _plain(header)
    for how in ("label", "name"):
        found = [f for f in record_type.fields if _plain(f.label if how == "label" else f.name) == plain != ""]
        if len(found) == 1:
            return found[0], how
    return None, ""


def _by_stamp(header: str, stamp: Stamp | None, record_type: RecordType, catalogue: Catalogue) -> Field | None:
    fields = [field for field, known in (stamp.columns if stamp else ()) if known == header]
    if len(fields) != 1:
        return None
    try:
        return catalogue.field(record_type, fields[0])
    except UnknownName:
        return None


def match_columns(
    profile: SheetProfile,
    record_type: RecordType,
    catalogue: Catalogue,
    stamp: Stamp | None = None,
    said: Mapping[str, str] | None = None,
) -> list[ColumnMatch]:
    """Every column of the sheet with its field.

    Args:
        said: header → field name as a person wants it; an empty name means the column is not carried.

    Raises:
        MappingError: a column that was named is not there, or two columns go into one field.
        UnknownName: a field that was named is not there.
    """
    wanted = dict(said or {})
    headers = [column.header for column in profile.columns]
    for header in wanted:
        if headers.count(header) != 1:
            there = ", ".join(repr(h) for h in headers if h) or "none"
            what = "no column" if header not in headers else "more than one column"
            raise MappingError(f"The sheet has {what} {header!r}. Its columns are: {there}.")
    matches = []
    for column in profile.columns:
        if column.header in wanted:
            name = wanted[column.header]
            field, how = (catalogue.field(record_type, name) if name else None), "said"
        else:
            field, how = _by_stamp(column.header, stamp, record_type, catalogue), "stamp"
            if field is None:
                field, how = _by_name(column.header, record_type) if column.header else (None, "")
        matches.append(ColumnMatch(column.name, column.header, field, how if field or how == "said" else ""))
    _refuse_doubles(matches)
    return one_for_editing(matches, record_type)


def one_for_editing(matches: list[ColumnMatch], record_type: RecordType) -> list[ColumnMatch]:
    """The matches as they are carried: of fields that set one value the first column's is, unless a person has said
    that another is; the others are only read."""
    said = {m.field.name for m in matches if m.field and m.how == "said"}
    taken: set[str] = set()
    made = []
    for match in matches:
        field = match.field
        if field is None or field.read_only or match.how == "said":
            made.append(match)
        elif set(record_type.instead_of(field.name)) & (taken | said):
            made.append(replace(match, field=replace(field, read_only=True, required=False)))
        else:
            taken.add(field.name)
            made.append(match)
    return made


def _refuse_doubles(matches: list[ColumnMatch]) -> None:
    taken: dict[str, str] = {}
    for match in matches:
        if match.field is None:
            continue
        if match.field.name in taken:
            raise MappingError(
                f"The columns {taken[match.field.name]!r} and {match.header!r} both go into {match.field.label}. "
                "Carry one of them and leave the other out, or rename it."
            )
        taken[match.field.name] = match.header
