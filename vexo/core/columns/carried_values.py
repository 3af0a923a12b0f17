"""Cells → carried values: typed, with what each cell says and what could not be read.

``carried_columns`` names and explains the columns of the table.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace

import polars as pl

from ..cell_parser import parse
from ..problems import problem
from ..records import Field, Kind, RecordType
from ..sheets.formula_guard import PREFIX, take_off
from ..sheets.sheet import ROW, ROW_ID, UNKNOWN
from ..values import SEPARATOR, bare, join_items, nfc, on_unique, split_items
from .carried_columns import CarriedColumns
from .fast_parse import KINDS, PlainReadings
from .lanes import PLAIN, Blank, Lane
from .marks import BLANK_CLEARS, BLANK_DEFAULT, CHANGE, LEAVE, VALUE, Marked, read_marks
from .matches import ColumnMatch
from .references import empty_lookup, resolve
from .treatments import LookUp, Treatment, problem_of, treat


@dataclass(frozen=True)
class Reading:
    """How cells are read: ``marks`` and ``prefixed`` are on for sheets that were sent out from here; in ``tables``
    treatments look values up; ``plainly`` is what was plainly read of columns before."""

    marks: bool = False
    prefixed: bool = False
    tables: Mapping[str, pl.DataFrame] = field(default_factory=dict)
    plainly: PlainReadings = field(default_factory=PlainReadings, compare=False)


def cell_texts(cells: pl.DataFrame, match: ColumnMatch, reading: Reading) -> pl.Series:
    """A column's texts as its field takes them: codes as ``column_texts`` has them, numbers and days as they are
    stored."""
    match_field = match.field
    if not match.column:
        return pl.Series([None], dtype=pl.String).new_from_index(0, len(cells))
    if match_field is None or match_field.kind not in (Kind.TEXT, Kind.REFERENCE, Kind.CHOICE, Kind.CHOICES):
        return cells[match.column]
    return column_texts(cells, match.column, reading)


def column_texts(cells: pl.DataFrame, column: str, reading: Reading) -> pl.Series:
    """What treatments, joins and look-ups see of a column: text after NFC, in the shown form where a number format pads
    it with zeros, without the prefix that makes formulas harmless."""
    shown = f"shown.{column}"
    texts = cells.select(pl.coalesce(shown, column)).to_series() if shown in cells.columns else cells[column]
    if reading.prefixed and texts.str.starts_with(PREFIX).any():
        texts = take_off(texts)
    return nfc(texts)


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


def _by_item(texts: pl.Series, treatments: Sequence[Treatment], tables: Mapping[str, pl.DataFrame]) -> pl.Series:
    """Treatments done to each item of many-valued cells; a cell is as bad as its first item that is."""
    different = texts.drop_nulls().unique(maintain_order=True)
    if different.is_empty():
        return texts
    # A cell of separators alone holds no item, and is not blank: it stays, to be found unreadable.
    split = [split_items(text) or [text] for text in different.to_list()]
    items = pl.DataFrame({"text": different, "item": split}).explode("item")
    items = items.with_columns(treat(items["item"].cast(pl.String), treatments, None, tables).alias("done"))
    items = items.with_columns(problem_of(items["done"]).is_not_null().alias("bad"))
    grouped = items.group_by("text", maintain_order=True).agg(
        pl.col("done").drop_nulls().alias("done"), pl.col("done").filter("bad").first().alias("problem")
    )
    joined = [p if p is not None else join_items(done) for done, p in grouped.select("done", "problem").iter_rows()]
    table = dict(zip(grouped["text"].to_list(), joined, strict=True))
    return on_unique(texts, table.get).replace("", None)


def _treated(
    many: bool, marked: Marked, lane: Lane, columns: Mapping[str, pl.Series], tables: Mapping[str, pl.DataFrame]
) -> Marked:
    """Cells after the treatments of their lane. A marked cell skips them, but the items of its list pass those that
    are for items."""
    if not lane.treatments and lane.separator == SEPARATOR:
        return marked
    texts = marked.texts
    if many and lane.separator != SEPARATOR:
        texts = on_unique(texts, lambda text: _joined_anew(text, lane.separator))
    whole = texts.set(marked.marked, None) if marked.marked.any() else texts
    lists, without = texts.set(~marked.marked, None), marked.without
    for treatment in lane.treatments:
        if many and treatment.by_item:
            whole, lists, without = (_by_item(one, [treatment], tables) for one in (whole, lists, without))
        elif not many:
            whole = treat(whole, lane.treatments, columns, tables)
            break
        else:
            whole = treat(whole, [treatment], columns, tables)
    texts = pl.select(pl.coalesce(whole, lists)).to_series() if marked.marked.any() else whole
    problems = pl.select(pl.coalesce(marked.problems, problem_of(texts), problem_of(without))).to_series()
    bad = problem_of(texts).is_not_null()
    texts, without = texts.set(bad, None), without.set(problem_of(without).is_not_null(), None)
    blank = bare(texts).is_null() & ~bad & ~marked.marked
    say = marked.say.set(blank, LEAVE).set(~blank & ~marked.marked, VALUE)
    return Marked(say, texts, problems, without, marked.marked)


def _joined_anew(text: str, separator: str) -> str:
    """A cell's items with the separator that is read; one that holds nothing but separators stays what it is."""
    return join_items(split_items(text, separator)) or (SEPARATOR if text.strip() else text)


def _adding(marked: Marked) -> Marked:
    """Cells without a mark add their items."""
    adds = (marked.say == VALUE) & ~marked.marked
    return replace(marked, say=marked.say.set(adds, CHANGE), without=marked.without.set(adds, ""))


def lane_cells(
    cells: pl.DataFrame, match: ColumnMatch, reading: Reading, lane: Lane, headers: Mapping[str, str]
) -> tuple[pl.Series, Marked]:
    """The texts of a field's cells as they are in the sheet, and what they say after marks, treatments and rules.

    Args:
        headers: header → column of the sheet, for treatments that look at other columns.
    """
    match_field = match.field
    assert match_field is not None
    many = match_field.kind == Kind.CHOICES
    texts = cell_texts(cells, match, reading)
    if match.column and any(isinstance(one, LookUp) for one in lane.treatments):
        # A code is looked up as it is shown, whatever it is looked up for.
        texts = column_texts(cells, match.column, reading)
    if lane.fixed:
        texts = pl.Series([lane.fixed], dtype=pl.String).new_from_index(0, len(cells))
    marked = read_marks(match_field, texts, reading.marks or bool(lane.fixed))
    others = {h: column_texts(cells, headers[h], reading) for h in lane.headers if h in headers}
    marked = _treated(many, marked, lane, others, reading.tables)
    if many and lane.adds:
        marked = _adding(marked)
    return texts, _ruled(marked, lane)


def lane_texts(
    cells: pl.DataFrame, match: ColumnMatch, reading: Reading, lane: Lane, headers: Mapping[str, str]
) -> pl.Series:
    """What a field's cells say after marks, treatments and rules, as ``lane_cells`` has it."""
    field_ = match.field
    done_to = lane.treatments or lane.fixed or lane.blank != Blank.LEAVE or lane.adds
    if field_ is not None and field_.kind != Kind.CHOICES and not done_to:
        texts = cell_texts(cells, match, reading)
        if not reading.marks or not texts.str.contains("[", literal=True).any():
            return texts
    return lane_cells(cells, match, reading, lane, headers)[1].texts


def carry(
    cells: pl.DataFrame,
    matches: Sequence[ColumnMatch],
    record_type: RecordType,
    reading: Reading,
    lookups: Mapping[str, pl.DataFrame],
    lanes: Mapping[str, Lane] | None = None,
    headers: Mapping[str, str] | None = None,
) -> pl.DataFrame:
    """The carried values of any subset of rows.

    Args:
        matches: columns with fields; the record identifier and checks are read too, other read-only columns are not.
        lookups: target record type → lookup of the texts that name its records.
        lanes: the lanes of fields of which anything was said.
        headers: header → column, of all columns of the sheet.
    """
    wanted = [m for m in matches if m.field and (m.carried or m.check or m.field.name == record_type.identifier)]

    # One for all fields: of a long sheet, each more would be as large as a column of short texts.
    nothing = pl.Series([None], dtype=pl.String).new_from_index(0, len(cells))

    def one(match: ColumnMatch) -> list[pl.Series]:
        assert match.field is not None
        lane = (lanes or {}).get(match.field.name, PLAIN)
        is_key = match.field.name in record_type.key_fields
        return _Carrier(match.field, match, lane, reading, lookups, headers or {}, nothing, is_key).carried(cells)

    if len(cells) < _MANY:
        carried_columns = [one(match) for match in wanted]
    else:
        with ThreadPoolExecutor(pl.thread_pool_size()) as pool:
            carried_columns = list(pool.map(one, wanted))
    return pl.DataFrame([cells[ROW_ID], cells[ROW], *[column for columns in carried_columns for column in columns]])


_MANY = 20_000
"""Rows from which on fields are read side by side: below, starting threads takes longer."""


@dataclass(frozen=True)
class _Carrier:
    """How the columns of one field are made from any subset of rows."""

    own: Field
    match: ColumnMatch
    lane: Lane
    reading: Reading
    lookups: Mapping[str, pl.DataFrame]
    headers: Mapping[str, str]
    nothing: pl.Series
    is_key: bool

    def carried(self, cells: pl.DataFrame) -> list[pl.Series]:
        """Cells that are plainly values at once, the others with care."""
        carried_field, lane = self.own, self.lane
        if (
            lane.treatments
            or lane.fixed
            or lane.blank != Blank.LEAVE
            or carried_field.kind not in KINDS
            or carried_field.long_form
        ):
            return self.with_care(cells)
        texts = cell_texts(cells, self.match, self.reading)
        if self.reading.marks and texts.str.contains("[", literal=True).any():
            return self.with_care(cells)
        values, others = self.reading.plainly.take(carried_field, texts)
        if others is not None and int(others.sum()) * 2 > len(cells):
            return self.with_care(cells)
        columns_made = [values, values.is_not_null().cast(pl.UInt8), self.nothing, self.nothing]
        if others is not None:
            places = others.arg_true()
            rest = self.with_care(cells.filter(others))
            columns_made = [
                column.clone().scatter(places, part) for column, part in zip(columns_made, rest, strict=True)
            ]
        columns = CarriedColumns(carried_field.name)
        names = (columns.value, columns.cell_says, columns.problem, columns.raw_text)
        return [column.alias(name) for column, name in zip(columns_made, names, strict=True)]

    def _not_too_long(self, texts: pl.Series) -> pl.Series:
        """Of a key, texts that only spaces at their ends make too long without them: keys compare so."""
        most = self.own.max_length
        if not self.is_key or self.own.kind != Kind.TEXT or most is None:
            return texts
        too_long = (texts.str.len_chars() > most).fill_null(value=False)
        return texts.zip_with(~too_long, bare(texts)) if too_long.any() else texts

    def with_care(self, cells: pl.DataFrame) -> list[pl.Series]:
        """Cells through marks, treatments and rules, each that cannot be read with its reason."""
        carried_field, columns = self.own, CarriedColumns(self.own.name)
        texts, marked = lane_cells(cells, self.match, self.reading, self.lane, self.headers)
        parsed = parse(carried_field, self._not_too_long(marked.texts))
        values, problems = parsed.values, parsed.problems
        if carried_field.kind == Kind.REFERENCE:
            values, problems = resolve(values, self.lookups.get(carried_field.target or "", empty_lookup()))
        reasons, removed = [marked.problems, _unreadable(texts), problems], []
        if carried_field.kind == Kind.CHOICES:
            # Only items to take away leave none to add, which is not an unreadable cell.
            without = parse(carried_field, marked.without.replace("", None))
            reasons = [
                *reasons[:2],
                problems.set((marked.say == CHANGE) & (marked.texts == ""), None),
                without.problems,
            ]
            removed.append(without.values.alias(columns.removed_items))
        why = pl.select(pl.coalesce(reasons)).to_series()
        return [
            values.alias(columns.value),
            marked.say.alias(columns.cell_says),
            why.alias(columns.problem),
            texts.set(why.is_null(), None).alias(columns.raw_text),
            *removed,
        ]
