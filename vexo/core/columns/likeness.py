"""How like a sheet is to one that went out: its columns by name or by contents, its rows by key, then cell by cell."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ..records import Field, Kind
from ..sheets.outgoing import PREFIX, OutgoingColumn
from ..sheets.sheet import SheetProfile
from ..values import bare, normal, parse, to_text

_MOST_VALUES = 2000
_SAME_VALUES = 0.8
_FEWEST = 3


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


def likeness(
    profile: SheetProfile, cells: pl.DataFrame, sent: Sequence[OutgoingColumn], keys: Sequence[Sequence[str]]
) -> Likeness:
    """Hold a sheet against one that went out.

    Args:
        sent: the columns as they were written, rows of all in the same order.
        keys: names of fields that tell records apart, one sequence a key; the one by which most is known counts.
    """
    columns = _match(profile, cells, sent)
    fields = {one.field.name: one for one in sent}
    ours = pl.DataFrame({n: _form(fields[n].field, cells[c]) for n, c in columns.items()})
    theirs = pl.DataFrame({n: _form(fields[n].field, fields[n].cells) for n in columns})
    best = Likeness(0, 0, 0)
    told_apart_by = {name for key in keys for name in key}
    others = [name for name in columns if name not in told_apart_by]
    for key in keys:
        if not all(name in columns for name in key):
            continue
        text = pl.concat_str([pl.col(name) for name in key], separator="\x1f").alias("key")
        own = ours.with_columns(text)
        once = theirs.with_columns(text).filter(pl.col("key").is_not_null() & (pl.len().over("key") == 1))
        met = own.join(once, on="key", how="left", suffix=".sent", maintain_order="left").with_columns(
            pl.col("key").is_in(once["key"].implode()).alias("there")
        )
        filled = sum(int(met[name].is_not_null().sum()) for name in others)
        equal = sum(int((met[name] == met[f"{name}.sent"]).sum()) for name in others)
        best = max(best, Likeness(equal, filled, int(met["there"].sum())), key=lambda one: (one.equal, one.rows))
    return best
