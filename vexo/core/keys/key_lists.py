"""Records picked by hand: a pasted list of keys, and the records it names."""

from __future__ import annotations

import re
from collections.abc import Sequence

import polars as pl

from ..cell_parser import in_long_form, parse
from ..documents import DocumentError, Picked
from ..records import IDENTIFIER, RecordType
from ..values import bare, dtype, normal

PLACE = "place"


def _plain(text: str) -> str:
    return re.sub(r"[\W_]+", "", text).casefold()


def _cells(text: str, several: bool) -> list[list[str]]:
    """The lines of a list, cut at tabs; where there are none and a key has several fields, at semicolons or commas."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    filled = [line for line in lines if line.strip()]
    mark = "\t"
    if several and not any(mark in line for line in filled):
        mark = next((m for m in (";", ",") if filled and all(m in line for line in filled)), mark)
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
    first = next((at for at, row in enumerate(rows) if any(row)), 0)
    named = _named(rows[first], record_type) if rows else []
    places: list[int] = []
    chosen: tuple[str, ...] = ()
    for declared in keys if any(named) else ():
        if all(name in named for name in declared) and len(declared) >= len(chosen):
            chosen, places = declared, [named.index(name) for name in declared]
    begin = first + 1 if chosen else first
    if not chosen:
        wide = max((len([c for c in row if c]) for row in rows), default=0)
        fits = [declared for declared in keys if len(declared) == wide and declared != (record_type.identifier,)] or [
            declared for declared in keys if len(declared) == wide
        ]
        if not fits:
            words = ", or ".join(" + ".join(record_type.field(n).label for n in declared) for declared in keys)
            raise DocumentError(f"Each line should hold one key: {words}. Name the fields in the first line.")
        chosen, places = fits[0], list(range(wide))
    keys_read: dict[tuple[str, ...], None] = {}
    for number, row in enumerate(rows[begin:], start=begin + 1):
        cells = [row[at].strip() if at < len(row) else "" for at in places]
        if not any(cells):
            continue
        if not all(cells):
            words = " + ".join(record_type.field(name).label for name in chosen)
            raise DocumentError(f"Line {number} of the list lacks a part of its key: {words}.")
        keys_read[tuple(cells)] = None
    if not keys_read:
        raise DocumentError("The list names no record.")
    return Picked(chosen, tuple(keys_read))


def read_keys(text: str, record_type: RecordType, key: Sequence[str] = ()) -> Picked:
    """The keys of a pasted list. Raises DocumentError."""
    several = any(len(declared) > 1 for declared in ([key] if key else record_type.keys))
    return keys_in(_cells(text, several), record_type, key)


def typed_keys(picked: Picked, record_type: RecordType) -> pl.DataFrame:
    """The keys as typed columns with their ``place`` in the list; a key that is not a value of its field has nulls."""
    columns = []
    for at, name in enumerate(picked.key):
        field = record_type.field(name)
        texts = bare(normal(pl.Series([values[at] for values in picked.values], dtype=pl.String)))
        if name == record_type.identifier and not field.quoted:
            texts = texts.set(~texts.str.contains(r"^\d{1,18}$"), None)
        typed = in_long_form(field, texts) if dtype(field) == pl.String else parse(field, texts).values
        columns.append(typed.alias(name))
    return pl.DataFrame(columns).with_row_index(PLACE)


def met(keys: pl.DataFrame, key: Sequence[str], record_type: RecordType, records: pl.DataFrame) -> pl.DataFrame:
    """The records that keys name: ``place`` of the key and all columns of its record, in the order of the places.

    Args:
        keys: as ``typed_keys`` makes them.
        records: with the fields of the key.
    """
    key_columns = {name: records[IDENTIFIER if name == record_type.identifier else name] for name in key}
    right = records.with_columns(
        [
            (bare(values) if values.dtype == pl.String else values).alias(f"on.{name}")
            for name, values in key_columns.items()
        ]
    )
    left = keys.select(PLACE, *[pl.col(name).alias(f"on.{name}") for name in key])
    joined = left.join(right, on=[f"on.{name}" for name in key], how="inner", maintain_order="left")
    return joined.select(PLACE, *records.columns)


def in_their_order(picked: Picked, record_type: RecordType, records: pl.DataFrame) -> tuple[pl.DataFrame, list[str]]:
    """The records in the order of the list, each once; and the keys that found none.

    Args:
        records: with the fields of the key.
    """
    keys = typed_keys(picked, record_type)
    met_records = met(keys, picked.key, record_type, records)
    missing = keys.join(met_records, on=PLACE, how="anti", maintain_order="left")[PLACE].to_list()
    each = met_records.unique(IDENTIFIER, keep="first", maintain_order=True).select(records.columns)
    return each, [" ".join(picked.values[at]) for at in missing]
