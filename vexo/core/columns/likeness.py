"""How like a sheet is to one that went out: its columns by name or by contents, its rows by key, then cell by cell."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

import polars as pl

from ..cell_parser import parse
from ..records import Field, Kind
from ..sheets.sheet import SheetProfile
from ..sheets.writers.outgoing import PREFIX
from ..values import bare, normal, to_text

_MOST_VALUES = 2000
"""Different values of a column by which it is known again."""
_SAME_VALUES = 0.8
"""Share of the values by which a column is known again."""
_SAME_ROWS = 0.5
"""Share of the rows whose cells say what went out, by which a column is known again."""
_FEWEST = 3
"""Values that are enough to know a column by: one or two are alike by chance."""
_CLEAR_SHARE = 0.5
"""Share of the cells as they went out from which rows that were all met by one key are not met by another too."""
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
    return bare(normal(texts)).str.replace(rf"^{PREFIX}([=+\-@{PREFIX}])", "${1}").replace("", None)


def _form(of: Field, texts: pl.Series) -> pl.Series:
    """Texts in the one form in which values of a field are the same: 2.5 as 2.50; what cannot be read stays."""
    cells = _written(texts)
    if of.kind in _AS_WRITTEN:
        return cells
    return to_text(of, parse(of, cells).values).fill_null(cells)


def _values(of: Field, texts: pl.Series) -> set[str]:
    first = texts.drop_nulls().unique(maintain_order=True).head(_MOST_VALUES)
    return set(_form(of, first).drop_nulls().to_list())


@dataclass(frozen=True)
class Sent:
    """What went out: ``fields`` in the order of the sheet, and the texts of each, made when they are asked for."""

    fields: Sequence[Field]
    cells: Callable[[Field], pl.Series]


@dataclass(frozen=True)
class ComparedSheet:
    """A sheet that is held against one or many that went out; what is found of its own cells is kept."""

    profile: SheetProfile
    cells: pl.DataFrame
    _forms: dict[tuple[str, Field | None], pl.Series] = field(default_factory=dict)
    _samples: dict[tuple[str, Field], set[str]] = field(default_factory=dict)

    def form(self, of: Field, column: str) -> pl.Series:
        """A column in the form of a field; texts have one form for all fields."""
        kept = (column, None if of.kind in _AS_WRITTEN else of)
        if kept not in self._forms:
            self._forms[kept] = _form(of, self.cells[column])
        return self._forms[kept]

    def values(self, of: Field, column: str) -> set[str]:
        """The first different values of a column, in the form of a field."""
        if (column, of) not in self._samples:
            self._samples[column, of] = _values(of, self.cells[column])
        return self._samples[column, of]


def _by_header(sheet: ComparedSheet, sent: Sent) -> dict[str, str]:
    """Field → column of the sheet with its header."""
    headers = {_plain(column.header): column.name for column in reversed(sheet.profile.columns) if column.header}
    return {of.name: headers[_plain(of.label)] for of in sent.fields if _plain(of.label) in headers}


def _by_contents(sheet: ComparedSheet, sent: Sent, columns: dict[str, str], fields: Sequence[Field]) -> None:
    """Add those of these fields that have no column yet and whose values stand in a free one."""
    free = [column.name for column in sheet.profile.columns if column.name not in columns.values()]
    for of in fields:
        if of.name in columns or not free:
            continue
        theirs = _values(of, sent.cells(of))
        own = {name: sheet.values(of, name) for name in free}
        shares = {name: len(values & theirs) / len(values) for name, values in own.items() if values}
        best = max(shares, key=lambda name: shares[name], default=None)
        if best is not None and len(theirs) >= _FEWEST and shares[best] >= _SAME_VALUES:
            columns[of.name] = best
            free.remove(best)


@dataclass(frozen=True)
class Met:
    """Rows of a sheet beside the rows that went out, met by one key.

    Attributes:
        places: for each row of the sheet that of its row among those that went out, null where it met none.
        columns: field → column of the sheet.
        known: how many rows met one.
    """

    places: pl.Series
    columns: dict[str, str]
    known: int

    def equal(self, sheet: ComparedSheet, sent: Sent, of: Field) -> tuple[int, int]:
        """Of a field: how many cells are as they went out, and how many are filled."""
        own, theirs = sheet.cells[self.columns[of.name]], sent.cells(of).gather(self.places)
        filled = _written(own).is_not_null()
        # Most are letter for letter as they went out: only the others are worth reading as values.
        same = filled & own.eq_missing(theirs)
        other = filled & ~same
        rest = _form(of, own.filter(other)) == _form(of, theirs.filter(other))
        return int(same.sum()) + int(rest.sum()), int(filled.sum())


def _key_text(forms: Sequence[pl.Series]) -> pl.Series:
    named = pl.DataFrame([form.alias(str(at)) for at, form in enumerate(forms)])
    return named.select(pl.concat_str(pl.all(), separator="\x1f").alias("key")).to_series()


def _meet(sheet: ComparedSheet, sent: Sent, keys: Sequence[Sequence[str]]) -> Iterator[Met]:
    """The sheet beside what went out, by each key by which any of its rows is known. Keys come first: by far the most
    sheets share none with a trip, and no other column of it is looked at then."""
    fields = {of.name: of for of in sent.fields}
    columns = _by_header(sheet, sent)
    _by_contents(sheet, sent, columns, [fields[name] for key in keys for name in key if name in fields])
    for key in keys:
        if not all(name in columns for name in key):
            continue
        own = _key_text([sheet.form(fields[name], columns[name]) for name in key]).to_frame()
        theirs = _key_text([_form(fields[name], sent.cells(fields[name])) for name in key]).to_frame()
        theirs = theirs.with_row_index("place").join(own.unique(), on="key", how="semi")
        once = theirs.filter(pl.len().over("key") == 1)
        places = own.join(once, on="key", how="left", maintain_order="left")["place"]
        if places.null_count() == len(places):
            continue
        _by_contents(sheet, sent, columns, sent.fields)
        yield Met(places, columns, len(places) - places.null_count())


def likeness(sheet: ComparedSheet, sent: Sent, keys: Sequence[Sequence[str]]) -> Likeness:
    """Hold a sheet against one that went out.

    Args:
        keys: names of fields that tell records apart, one sequence a key; the one by which most is known counts.
    """
    told_apart_by = {name for key in keys for name in key}
    best = Likeness(0, 0, 0)
    for met in _meet(sheet, sent, keys):
        others = [of for of in sent.fields if of.name in met.columns and of.name not in told_apart_by]
        cells = [met.equal(sheet, sent, of) for of in others]
        known = Likeness(sum(equal for equal, _ in cells), sum(filled for _, filled in cells), met.known)
        best = max(best, known, key=lambda one: (one.equal, one.rows))
        if known.rows == len(sheet.cells) and known.share >= _CLEAR_SHARE:
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
    fields = {of.name: of for of in sent.fields if of.name in missing}
    if not free or not fields:
        return {}
    met = max(_meet(sheet, sent, keys), key=lambda one: one.known, default=None)
    if met is None:
        return {}
    headers = {name: _plain(of.label) for name, of in fields.items()}
    called = {column.name: _plain(column.header) for column in sheet.profile.columns}
    shares: dict[tuple[str, str], float] = {}
    for column in free:
        for name, of in fields.items():
            theirs = _form(of, sent.cells(of).gather(met.places))
            beside = pl.DataFrame({"own": sheet.form(of, column), "sent": theirs})
            filled = beside.filter(pl.col("own").is_not_null())
            if len(filled) < _FEWEST:
                continue
            if filled["sent"].n_unique() < 2 and headers[name] not in called[column]:
                continue
            share = int((filled["own"] == filled["sent"]).sum()) / len(filled)
            if share >= _SAME_ROWS:
                shares[column, name] = share
    found: dict[str, str] = {}
    for column in free:
        own = sorted(((share, name) for (c, name), share in shares.items() if c == column), reverse=True)
        if own and own[0][0] > (own[1][0] if len(own) > 1 else 0):
            found[column] = own[0][1]
    names = list(found.values())
    return {column: name for column, name in found.items() if names.count(name) == 1}
