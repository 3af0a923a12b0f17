"""How like a sheet is to one that went out: its columns by name or by contents, its rows by key, then cell by cell."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import polars as pl

from ..cell_parser import parse
from ..records import Field, Kind
from ..sheets.formula_guard import take_off
from ..sheets.sheet import SheetProfile
from ..values import bare, normal, to_text

_MOST_VALUES = 2000
"""Different values of a column by which it is known again."""
_SAME_VALUES = 0.8
"""Share of the values by which a column is known again."""
_SAME_ROWS = 0.5
"""Share of the rows whose cells say what went out, by which a column is known again."""
_FEWEST = 3
"""Values that are enough to know a column by: one or two are alike by chance."""
_AS_WRITTEN = (Kind.TEXT, Kind.REFERENCE)
"""Kinds whose values are what is written."""


@dataclass(frozen=True)
class Likeness:
    """Of a sheet's filled cells in columns that went out, other than the key's: how many were compared, how many are
    as they went out; and how many rows have a key that went out."""

    equal: int
    compared: int
    rows: int

    @property
    def share(self) -> float:
        """The part of the cells that are equal, 0 where there are none."""
        return self.equal / self.compared if self.compared else 0.0


def _plain(header: str) -> str:
    return " ".join(unicodedata.normalize("NFC", header).casefold().split())


def _written(texts: pl.Series) -> pl.Series:
    """What stands in cells, null where they are blank."""
    return take_off(bare(normal(texts))).replace("", None)


def form(field: Field, texts: pl.Series) -> pl.Series:
    """Texts in the one form in which values of a field are the same: 2.5 as 2.50; what cannot be read stays."""
    cells = _written(texts)
    if field.kind in _AS_WRITTEN:
        return cells
    return to_text(field, parse(field, cells).values).fill_null(cells)


def _values(field: Field, texts: pl.Series) -> set[str]:
    first = texts.drop_nulls().unique(maintain_order=True).head(_MOST_VALUES)
    return set(form(field, first).drop_nulls().to_list())


@dataclass(frozen=True)
class Sent:
    """What went out: ``fields`` in the order of the sheet, and the texts of each, made when they are asked for.

    Attributes:
        cells: gives all texts of a field.
        forms: gives them in the form in which they are compared (``form``), where that is kept.
        some: gives for some rows, by their places, what gives their texts; null places have none.
    """

    fields: Sequence[Field]
    cells: Callable[[Field], pl.Series]
    forms: Callable[[Field], pl.Series] | None = None
    some: Callable[[pl.Series], Callable[[Field], pl.Series]] | None = None

    def form(self, field: Field) -> pl.Series:
        """All texts of a field in the form in which they are compared."""
        return self.forms(field) if self.forms is not None else form(field, self.cells(field))

    def at(self, places: pl.Series) -> Callable[[Field], pl.Series]:
        """What gives the texts of some rows."""
        if self.some is not None:
            return self.some(places)
        return lambda field: self.cells(field).gather(places)


class ComparedSheet:
    """A sheet that is held against one or many that went out; what is found of its own cells is kept."""

    def __init__(self, profile: SheetProfile, cells: pl.DataFrame) -> None:
        self.profile, self.cells = profile, cells
        self._forms: dict[tuple[str, Field | None], pl.Series] = {}
        self._samples: dict[tuple[str, Field], set[str]] = {}

    def form(self, field: Field, column: str) -> pl.Series:
        """A column in the form of a field; texts have one form for all fields."""
        kept = (column, None if field.kind in _AS_WRITTEN else field)
        if kept not in self._forms:
            self._forms[kept] = form(field, self.cells[column])
        return self._forms[kept]

    def values(self, field: Field, column: str) -> set[str]:
        """The first different values of a column, in the form of a field."""
        if (column, field) not in self._samples:
            self._samples[column, field] = _values(field, self.cells[column])
        return self._samples[column, field]


def _by_header(sheet: ComparedSheet, sent: Sent) -> dict[str, str]:
    """Field → column of the sheet with its header."""
    headers = {_plain(column.header): column.name for column in reversed(sheet.profile.columns) if column.header}
    return {field.name: headers[_plain(field.label)] for field in sent.fields if _plain(field.label) in headers}


def _by_contents(sheet: ComparedSheet, sent: Sent, columns: dict[str, str], fields: Sequence[Field]) -> None:
    """Add those of these fields that have no column yet and whose values stand in a free one."""
    free = [column.name for column in sheet.profile.columns if column.name not in columns.values()]
    for field in fields:
        if field.name in columns or not free:
            continue
        went = _values(field, sent.cells(field))
        came = {name: sheet.values(field, name) for name in free}
        shares = {name: len(values & went) / len(values) for name, values in came.items() if values}
        best = max(shares, key=lambda name: shares[name], default=None)
        if best is not None and len(went) >= _FEWEST and shares[best] >= _SAME_VALUES:
            columns[field.name] = best
            free.remove(best)


@dataclass(frozen=True)
class Met:
    """Rows of a sheet beside the rows that went out, met by one key.

    Attributes:
        went: gives for each row of the sheet the text that went out in a field of its row, null where it met none.
        columns: field → column of the sheet.
        known: how many rows met one.
    """

    went: Callable[[Field], pl.Series]
    columns: dict[str, str]
    known: int

    def equal(self, sheet: ComparedSheet, field: Field) -> tuple[int, int]:
        """Of a field: how many cells are as they went out, and how many are filled."""
        came, went = sheet.cells[self.columns[field.name]], self.went(field)
        filled = bare(came).is_not_null()
        # Most are letter for letter as they went out: only the others are worth reading as values.
        same = filled & came.eq_missing(went)
        differs = filled & ~same
        equal = int(same.sum())
        if differs.any():
            equal += int((form(field, came.filter(differs)) == form(field, went.filter(differs))).sum())
        return equal, int(filled.sum())


def _key_text(forms: Sequence[pl.Series]) -> pl.Series:
    named = pl.DataFrame([form.alias(str(at)) for at, form in enumerate(forms)])
    return named.select(pl.concat_str(pl.all(), separator="\x1f").alias("key")).to_series()


def _meet(sheet: ComparedSheet, sent: Sent, keys: Sequence[Sequence[str]]) -> Iterator[Met]:
    """The sheet beside what went out, by each key by which any of its rows is known. Keys come first: by far the most
    sheets share none with a trip, and no other column of it is looked at then."""
    fields = {field.name: field for field in sent.fields}
    columns = _by_header(sheet, sent)
    _by_contents(sheet, sent, columns, [fields[name] for key in keys for name in key if name in fields])
    for key in keys:
        if not all(name in columns for name in key):
            continue
        came = _key_text([sheet.form(fields[name], columns[name]) for name in key]).to_frame()
        went = _key_text([sent.form(fields[name]) for name in key]).to_frame()
        shared = went.with_row_index("place").join(came.unique(), on="key", how="semi")
        once = shared.filter(pl.len().over("key") == 1)
        places = came.join(once, on="key", how="left", maintain_order="left")["place"]
        if places.null_count() == len(places):
            continue
        _by_contents(sheet, sent, columns, sent.fields)
        yield Met(sent.at(places), columns, len(places) - places.null_count())


def likeness(sheet: ComparedSheet, sent: Sent, keys: Sequence[Sequence[str]]) -> Likeness:
    """Hold a sheet against one that went out.

    Args:
        keys: names of fields that tell records apart, one sequence a key; the one by which most is known counts.
    """
    key_fields = {name for key in keys for name in key}
    best = Likeness(0, 0, 0)
    for met in _meet(sheet, sent, keys):
        others = [field for field in sent.fields if field.name in met.columns and field.name not in key_fields]
        cells = [met.equal(sheet, field) for field in others]
        known = Likeness(sum(equal for equal, _ in cells), sum(filled for _, filled in cells), met.known)
        best = max(best, known, key=lambda one: (one.equal, one.rows))
        if known.equal == known.compared and known.rows == len(sheet.cells):
            # By no other key can more be known.
            break
    return best


def renamed(
    sheet: ComparedSheet,
    sent: Sent,
    keys: Sequence[Sequence[str]],
    free: Sequence[str],
    missing: Sequence[str],
) -> dict[str, str]:
    """Columns whose header was changed: column of the sheet → field, where row by row most of what stands in it is what
    went out in that field, and in no other. Where the field had one value in all rows, that proves little: its old
    header must stand in the new one.

    Args:
        free: columns that are known as no field, ``missing`` the fields that went out and have no column.
    """
    fields = {field.name: field for field in sent.fields if field.name in missing}
    if not free or not fields:
        return {}
    met = max(_meet(sheet, sent, keys), key=lambda one: one.known, default=None)
    if met is None:
        return {}
    headers = {name: _plain(field.label) for name, field in fields.items()}
    called = {column.name: _plain(column.header) for column in sheet.profile.columns}
    shares: dict[tuple[str, str], float] = {}
    for column in free:
        for name, field in fields.items():
            went = form(field, met.went(field))
            beside = pl.DataFrame({"own": sheet.form(field, column), "sent": went})
            filled = beside.filter(pl.col("own").is_not_null())
            if len(filled) < _FEWEST:
                continue
            if filled["sent"].n_unique() < 2 and headers[name] not in called[column]:
                continue
            share = int((filled["own"] == filled["sent"]).sum()) / len(filled)
            if share >= _SAME_ROWS:
                shares[column, name] = share
    known_as: dict[str, str] = {}
    for column in free:
        by_share = sorted(((share, name) for (c, name), share in shares.items() if c == column), reverse=True)
        if by_share and by_share[0][0] > (by_share[1][0] if len(by_share) > 1 else 0):
            known_as[column] = by_share[0][1]
    names = list(known_as.values())
    return {column: name for column, name in known_as.items() if names.count(name) == 1}
