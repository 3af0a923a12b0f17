"""Cells → carried values: typed, with what each cell says and what could not be read.

The table has ``row_id``, ``row`` and, for each field, ``val.FIELD`` (typed; a reference as record ID), ``say.FIELD``
(see ``marks``; for change ``val.`` are items to add and ``without.FIELD`` those to take away),
``why.FIELD`` (a problem, or null) and ``raw.FIELD`` (the text, where there is a problem).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import polars as pl

from ..faults import problem
from ..records import Field, Kind, RecordType
from ..sheets.outgoing import PREFIX
from ..sheets.sheet import ROW, ROW_ID, UNKNOWN
from ..values import parse
from .lanes import PLAIN, Blank, Lane
from .marks import BLANK_CLEARS, BLANK_DEFAULT, CHANGE, LEAVE, VALUE, Marked, read_marks
from .matching import ColumnMatch
from .references import empty_lookup, resolve


@dataclass(frozen=True)
class Reading:
    """How cells are read: ``marks`` and ``prefixed`` are on for sheets that were sent out from here."""

    marks: bool = False
    prefixed: bool = False


def cell_texts(cells: pl.DataFrame, match: ColumnMatch, reading: Reading) -> pl.Series:
    """A column's texts as its field takes them: zero-padded form for codes, the harmless prefix taken off."""
    field = match.field
    texts = cells[match.column]
    if field is None or field.kind not in (Kind.TEXT, Kind.REFERENCE, Kind.CHOICE, Kind.CHOICES):
        return texts
    shown = f"shown.{match.column}"
    if shown in cells.columns:
        texts = cells.select(pl.coalesce(shown, match.column)).to_series()
    if reading.prefixed:
        texts = texts.str.replace(f"^{PREFIX}([=+\\-@\t\r'])", "$1")
    return texts


def values_column(field: Field | str) -> str:
    """Where a field's values are."""
    return f"val.{field if isinstance(field, str) else field.name}"


def say_column(field: Field | str) -> str:
    """Where it is told what a field's cells say."""
    return f"say.{field if isinstance(field, str) else field.name}"


def why_column(field: Field | str) -> str:
    """Where a field's problems are."""
    return f"why.{field if isinstance(field, str) else field.name}"


def raw_column(field: Field | str) -> str:
    """Where the texts of cells with a problem are."""
    return f"raw.{field if isinstance(field, str) else field.name}"


def without_column(field: Field | str) -> str:
    """Where the items are that the cells of a many-valued field take away."""
    return f"without.{field if isinstance(field, str) else field.name}"


def _unreadable(texts: pl.Series) -> pl.Series:
    """Cells with a character that was lost on the way: what they said is not known."""
    lost = texts.str.contains(UNKNOWN, literal=True).fill_null(value=False)
    return pl.DataFrame({"lost": lost}).select(pl.when("lost").then(problem("lost-character")).alias("p")).to_series()


def _ruled(marked: Marked, lane: Lane) -> Marked:
    """Blank cells under the rule of their lane."""
    if lane.blank == Blank.LEAVE:
        return marked
    blank = marked.say == LEAVE
    if lane.blank == Blank.CLEAR:
        return replace(marked, say=marked.say.set(blank, BLANK_CLEARS))
    says = VALUE if lane.updates else BLANK_DEFAULT
    return replace(marked, say=marked.say.set(blank, says), texts=marked.texts.set(blank, lane.default))


def carry(
    cells: pl.DataFrame,
    matches: Sequence[ColumnMatch],
    record_type: RecordType,
    reading: Reading,
    lookups: Mapping[str, pl.DataFrame],
    lanes: Mapping[str, Lane] | None = None,
) -> pl.DataFrame:
    """The carried values of any subset of rows.

    Args:
        matches: columns with fields; the record identifier is read too, other read-only columns are not.
        lookups: target record type → lookup of the texts that name its records.
        lanes: the rules of fields that have any.
    """
    columns = [cells[ROW_ID], cells[ROW]]
    for match in matches:
        field = match.field
        if field is None or not (match.carried or field.name == record_type.identifier):
            continue
        texts = cell_texts(cells, match, reading)
        marked = _ruled(read_marks(field, texts, reading.marks), (lanes or {}).get(field.name, PLAIN))
        parsed = parse(field, marked.texts)
        values, problems = parsed.values, parsed.problems
        if field.kind == Kind.REFERENCE:
            values, problems = resolve(values, lookups.get(field.target or "", empty_lookup()))
        told = [marked.problems, _unreadable(texts), problems]
        if field.kind == Kind.CHOICES:
            # Only items to take away leave none to add, which is no unreadable cell.
            without = parse(field, marked.without.replace("", None))
            told = [*told[:2], problems.set((marked.say == CHANGE) & (marked.texts == ""), None), without.problems]
            columns.append(without.values.alias(without_column(field)))
        why = pl.select(pl.coalesce(told)).to_series()
        columns += [
            values.alias(values_column(field)),
            marked.say.alias(say_column(field)),
            why.alias(why_column(field)),
            texts.set(why.is_null(), None).alias(raw_column(field)),
        ]
    return pl.DataFrame(columns)
