"""How like a sheet is to one that went out: its columns by name or by contents, its rows by key, then cell by cell."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import polars as pl

from ..cell_parser import parse
from ..records import Field, Kind
from ..sheets.sheet import SheetProfile
from ..sheets.writers.outgoing import PREFIX, OutgoingColumn
from ..values import bare, normal, to_text

_MOST_VALUES = 2000
"""Different values of a column by which it is known again."""
_SAME_VALUES = 0.8
"""Share of the values by which a column is known again."""
_SAME_ROWS = 0.5
"""Share of the rows whose cells say what went out, by which a column is known again."""
_FEWEST = 3
"""Values that are enough to know a column by: one or two are alike by chance."""


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


def _form(field: Field, texts: pl.Series) -> pl.Series:
    """Texts in the one form in which values of a field are the same: 2.5 as 2.50; what cannot be read stays."""
    cells = bare(normal(texts)).str.replace(rf"^{PREFIX}([=+\-@{PREFIX}])", "${1}").replace("", None)
    if field.kind in (Kind.TEXT, Kind.REFERENCE):
        return cells
    return to_text(field, parse(field, cells).values).fill_null(cells)


def _values(texts: pl.Series) -> set[str]:
    return set(texts.drop_nulls().unique(maintain_order=True).head(_MOST_VALUES).to_list())


def _match(profile: SheetProfile, cells: pl.DataFrame, sent: Sequence[OutgoingColumn]) -> dict[str, str]:
    """Field → column of the sheet: by header, and a renamed one by what stands in it."""
    headers = {_plain(column.header): column.name for column in reversed(profile.columns) if column.header}
    found = {one.field.name: headers[_plain(one.header)] for one in sent if _plain(one.header) in headers}
    free = [column.name for column in profile.columns if column.name not in found.values()]
    for one in sent:
        if one.field.name in found or not free:
            continue
        theirs = _values(_form(one.field, one.cells))
        own = {name: _values(_form(one.field, cells[name])) for name in free}
        shares = {name: len(values & theirs) / len(values) for name, values in own.items() if values}
        best = max(shares, key=lambda name: shares[name], default=None)
        if best is not None and len(theirs) >= _FEWEST and shares[best] >= _SAME_VALUES:
            found[one.field.name] = best
            free.remove(best)
    return found


@dataclass(frozen=True)
class Met:
    """Rows of a sheet beside the rows that went out, met by one key: ``field`` and ``field.sent`` in one form each."""

    rows: pl.DataFrame
    columns: dict[str, str]
    known: int


def _meet(
    profile: SheetProfile, cells: pl.DataFrame, sent: Sequence[OutgoingColumn], keys: Sequence[Sequence[str]]
) -> Iterator[Met]:
    """The sheet beside what went out, by each key that it has."""
    columns = _match(profile, cells, sent)
    fields = {one.field.name: one for one in sent}
    ours = pl.DataFrame({n: _form(fields[n].field, cells[c]) for n, c in columns.items()}).with_row_index("at")
    theirs = pl.DataFrame({f"{n}.sent": _form(one.field, one.cells) for n, one in fields.items()})
    for key in keys:
        if not all(name in columns for name in key):
            continue
        own = ours.with_columns(pl.concat_str([pl.col(name) for name in key], separator="\x1f").alias("key"))
        text = pl.concat_str([pl.col(f"{name}.sent") for name in key], separator="\x1f").alias("key")
        once = theirs.with_columns(text).filter(pl.col("key").is_not_null() & (pl.len().over("key") == 1))
        met = own.join(once, on="key", how="left", maintain_order="left")
        yield Met(met, columns, int(met["key"].is_in(once["key"].implode()).sum()))


def likeness(
    profile: SheetProfile, cells: pl.DataFrame, sent: Sequence[OutgoingColumn], keys: Sequence[Sequence[str]]
) -> Likeness:
    """Hold a sheet against one that went out.

    Args:
        sent: the columns as they were written, rows of all in the same order.
        keys: names of fields that tell records apart, one sequence a key; the one by which most is known counts.
    """
    told_apart_by = {name for key in keys for name in key}
    best = Likeness(0, 0, 0)
    for met in _meet(profile, cells, sent, keys):
        others = [name for name in met.columns if name not in told_apart_by]
        filled = sum(int(met.rows[name].is_not_null().sum()) for name in others)
        equal = sum(int((met.rows[name] == met.rows[f"{name}.sent"]).sum()) for name in others)
        best = max(best, Likeness(equal, filled, met.known), key=lambda one: (one.equal, one.rows))
    return best


def renamed(
    profile: SheetProfile,
    cells: pl.DataFrame,
    sent: Sequence[OutgoingColumn],
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
    met = max(_meet(profile, cells, sent, keys), key=lambda one: one.known, default=None)
    fields = {one.field.name: one.field for one in sent if one.field.name in missing}
    headers = {one.field.name: _plain(one.header) for one in sent}
    called = {column.name: _plain(column.header) for column in profile.columns}
    if met is None or not free or not fields:
        return {}
    shares: dict[tuple[str, str], float] = {}
    for column in free:
        for name, field in fields.items():
            beside = pl.DataFrame({"own": _form(field, cells[column]), "sent": met.rows[f"{name}.sent"]})
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
