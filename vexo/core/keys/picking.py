"""Records picked by hand: a pasted list of keys, and the records it names."""

from __future__ import annotations

import re
from collections.abc import Sequence

import polars as pl

from ..documents import DocumentError, Picked
from ..records import IDENTIFIER, RecordType
from ..values import bare, dtype, normal, parse

PLACE = "place"


def _plain(text: str) -> str:
    return re.sub(r"[\W_]+", "", text).casefold()


def _cells(text: str, several: bool) -> list[list[str]]:
    """The lines of a list, cut at tabs; where there are none and a key has several fields, at semicolons or commas."""
    lines = [line for line in text.replace("\r\n", "\n").replace("\r", "\n").split("\n") if line.strip()]
    mark = "\t"
    if several and not any(mark in line for line in lines):
        mark = next((m for m in (";", ",") if lines and all(m in line for line in lines)), mark)
    return [[cell.strip() for cell in line.split(mark)] for line in lines]


def _named(head: Sequence[str], record_type: RecordType) -> list[str]:
    """The fields that the cells of a first line name, empty for those that name none."""
    known = {_plain(f.label): f.name for f in record_type.fields} | {_plain(f.name): f.name for f in record_type.fields}
    return [known.get(_plain(cell), "") for cell in head]


def keys_in(rows: Sequence[Sequence[str]], record_type: RecordType, key: Sequence[str] = ()) -> Picked:
    """The keys that the rows of a list hold, each once, in their order.

    The first row may name the fields; else its cells are taken for the key that was said, or for the first key with so
    many fields. Blank rows are passed over.

    Raises:
        DocumentError: where it cannot be told which key that is, or a row has other cells.
    """
    keys = [tuple(key)] if key else [(record_type.identifier,), *record_type.keys]
    named = _named(rows[0], record_type) if rows else []
    places: list[int] = []
    chosen: tuple[str, ...] = ()
    for own in keys if any(named) else ():
        if all(name in named for name in own) and len(own) >= len(chosen):
            chosen, places = own, [named.index(name) for name in own]
    body = list(rows[1:]) if chosen else list(rows)
    if not chosen:
        wide = max((len([c for c in row if c]) for row in rows), default=0)
        fits = [own for own in keys if len(own) == wide and own != (record_type.identifier,)] or [
            own for own in keys if len(own) == wide
        ]
        if not fits:
            told = ", or ".join(" + ".join(record_type.field(n).label for n in own) for own in keys)
            raise DocumentError(f"Each line should hold one key: {told}. Name the fields in the first line.")
        chosen, places = fits[0], list(range(wide))
    found: dict[tuple[str, ...], None] = {}
    for number, row in enumerate(body, start=1 + len(rows) - len(body)):
        cells = [row[at].strip() if at < len(row) else "" for at in places]
        if not any(cells):
            continue
        if not all(cells):
            raise DocumentError(f"Line {number} of the list lacks a part of its key: {' + '.join(chosen)}.")
        found[tuple(cells)] = None
    if not found:
        raise DocumentError("The list names no record.")
    return Picked(chosen, tuple(found))


def read_keys(text: str, record_type: RecordType, key: Sequence[str] = ()) -> Picked:
    """The keys of a pasted list. Raises DocumentError."""
    several = any(len(own) > 1 for own in ([key] if key else record_type.keys))
    return keys_in(_cells(text, several), record_type, key)


def typed_keys(picked: Picked, record_type: RecordType) -> pl.DataFrame:
    """The keys as typed columns with their ``place`` in the list; a key that is no value of its field has nulls."""
    columns = []
    for at, name in enumerate(picked.key):
        field = record_type.field(name)
        texts = bare(normal(pl.Series([values[at] for values in picked.values], dtype=pl.String)))
        if name == record_type.identifier and not field.quoted:
            texts = texts.set(~texts.str.contains(r"^\d{1,18}$"), None)
        typed = texts.cast(dtype(field)) if dtype(field) == pl.String else parse(field, texts).values
        columns.append(typed.alias(name))
    return pl.DataFrame(columns).with_row_index(PLACE)


def in_their_order(picked: Picked, record_type: RecordType, records: pl.DataFrame) -> tuple[pl.DataFrame, list[str]]:
    """The records in the order of the list, each once; and the keys that found none.

    Args:
        records: with the fields of the key.
    """
    keys = typed_keys(picked, record_type)
    own = {name: (IDENTIFIER if name == record_type.identifier else name) for name in picked.key}
    texts = {name: records[column] for name, column in own.items()}
    right = records.with_columns(
        [(bare(text) if text.dtype == pl.String else text).alias(f"on.{name}") for name, text in texts.items()]
    )
    on = [f"on.{name}" for name in own]
    met = keys.join(right, left_on=list(own), right_on=on, how="inner", maintain_order="left")
    missing = keys.join(met, on=PLACE, how="anti", maintain_order="left")[PLACE].to_list()
    found = met.sort(PLACE).unique(IDENTIFIER, keep="first", maintain_order=True).select(records.columns)
    return found, [" ".join(picked.values[at]) for at in missing]
