"""Questions to an application that the send-out screen waits for: each has one try and a limit."""

from __future__ import annotations

from dataclasses import dataclass, replace

import polars as pl

from vexo.applications import Client
from vexo.core.conditions import Condition, read_condition
from vexo.core.conditions.tree import Holds
from vexo.core.documents import Picked, SendOut, check_picked
from vexo.core.records import IDENTIFIER, Catalogue, Kind, RecordType
from vexo.core.sheets.writers.outgoing import MOST_ROWS, cells_of, for_reading
from vexo.core.values import exact_sum
from vexo.core.writing.totals import as_texts

from ..applications.models import Application
from ..trips.facts.parts import AlsoOut
from .overlap import already_out
from .selection import all_read, order_of, read_picked

PREVIEW_ROWS = 20
"""Rows of a preview: a screenful."""
_MOST_LOOKED_AT = 5_000
"""Records whose sheet is looked through for what would be shared out: two pages of an application."""
_NOT_LOOKED_AT = "Whether some of so many records are out already is said once they went out."
_MOST_SUMMED = 5_000
"""Records that are read only to be summed while somebody waits: two pages of an application."""
_KEYS_ASKED = 1_000
"""Keys of a list that are looked up while somebody waits: ten requests."""
_MOST_VALUES = 200
"""Values of a field that are offered while one types."""
_FEW_RECORDS = 50
"""Records that are offered while one types."""


@dataclass(frozen=True, slots=True)
class Preview:
    """The sheet as it will be: ``ids`` are the records of its rows; ``for_reading`` says by column why it goes out only
    (empty where it is carried back); ``missing`` keys found no record, the first of them are named; ``files`` tells how
    many sheets that many rows need."""

    count: int
    total: int
    headers: list[str]
    for_reading: list[str]
    rows: list[list[str | None]]
    ids: list[str]
    missing: int
    not_found: list[str]
    files: int


@dataclass(frozen=True, slots=True)
class Selection:
    """A selection in figures: sums of its number fields as texts with all their digits, null where they come only with
    the sheet; and who has some of its records out already, null where there are too many to look. ``also_out_note``
    says what was not looked at."""

    totals: dict[str, str] | None
    also_out: list[AlsoOut] | None
    also_out_note: str = ""


@dataclass(frozen=True, slots=True)
class FieldValue:
    """A value that a field has, as it is called, and how many records have it where that is known."""

    value: str
    label: str
    count: int | None = None


def _condition(document: SendOut, record_type: RecordType, catalogue: Catalogue) -> Condition | None:
    return read_condition(document.condition, record_type, catalogue)


def _first_picked(
    client: Client, picked: Picked, record_type: RecordType, fields: list[str]
) -> tuple[pl.DataFrame, list[str]]:
    """The first of the records that were picked, and the keys among those asked for that found none."""
    return read_picked(client, replace(picked, values=picked.values[:_KEYS_ASKED]), record_type, fields)


def preview(client: Client, document: SendOut) -> Preview:
    """The first rows of a sheet as it would be, and how many there would be."""
    catalogue = client.describe()
    record_type = catalogue.type(document.record_type)
    check_picked(document.picked, record_type)
    fields = [catalogue.field(record_type, name) for name in document.fields]
    wanted = all_read(document, record_type, catalogue)
    missing: list[str] = []
    condition = _condition(document, record_type, catalogue)
    if document.picked is not None:
        records, missing = _first_picked(client, document.picked, record_type, wanted)
        count = max(len(records), len(document.picked.values) - len(missing))
        total = client.count(record_type)
        records = records.head(PREVIEW_ROWS)
    else:
        count = client.count(record_type, condition)
        total = client.count(record_type) if condition else count
        shown = [_shown(name, record_type, catalogue) for name in order_of(document, record_type)]
        records = pl.concat(list(client.read(record_type, wanted, condition, shown, top=PREVIEW_ROWS)))
    cells = cells_of(fields, records, record_type, catalogue)
    why = for_reading(fields, record_type)
    return Preview(
        count=count,
        total=total,
        headers=[field.label for field in fields],
        for_reading=[why.get(field.name, "") for field in fields],
        rows=[list(row) for row in cells.iter_rows()],
        ids=records[IDENTIFIER].to_list(),
        missing=len(missing),
        not_found=missing[:100],
        files=max(1, -(-count // MOST_ROWS)),
    )


def _shown(name: str, record_type: RecordType, catalogue: Catalogue) -> str:
    """A field to put in order by, as people know its values."""
    field = catalogue.field(record_type, name.removeprefix("-"))
    shown = catalogue.shown_field(field) if field.kind == Kind.REFERENCE and field.path is None else None
    return ("-" if name.startswith("-") else "") + (shown.name if shown else field.name)


def selection(client: Client, application: Application, document: SendOut) -> Selection:
    """The sums of a selection, and which open trips have some of its records out."""
    catalogue = client.describe()
    record_type = catalogue.type(document.record_type)
    check_picked(document.picked, record_type)
    known = [catalogue.field(record_type, name) for name in document.fields]
    numbers = [field.name for field in known if field.is_number and field.path is None]
    condition = _condition(document, record_type, catalogue)
    if document.picked is not None:
        records, _ = _first_picked(client, document.picked, record_type, [*numbers, *document.picked.key])
        sums = {name: exact_sum(records[name]) for name in numbers}
        whole = len(document.picked.values) <= _KEYS_ASKED
        if not whole:
            return Selection(None, None, _NOT_LOOKED_AT)
        others = already_out(application, record_type.name, records[IDENTIFIER])
        return Selection(as_texts(sums), others.trips, others.note)
    count = client.count(record_type, condition)
    totals = None
    if numbers and (catalogue.promises.sums or count <= _MOST_SUMMED):
        totals = as_texts(client.totals(record_type, numbers, condition))
    if count > _MOST_LOOKED_AT:
        return Selection(totals if numbers else {}, None, _NOT_LOOKED_AT)
    ids = pl.concat(list(client.read(record_type, [record_type.identifier], condition)))[IDENTIFIER]
    others = already_out(application, record_type.name, ids)
    return Selection(totals if numbers else {}, others.trips, others.note)


def values_of(client: Client, record_type: RecordType, name: str, like: str) -> list[FieldValue]:
    """The values that a field has, most frequent first: the application's own choices where it has them."""
    catalogue = client.describe()
    field = catalogue.field(record_type, name)
    low = like.casefold()
    if field.choices:
        choices = [FieldValue(choice.value, choice.label) for choice in field.choices]
        return [one for one in choices if low in one.value.casefold() or low in one.label.casefold()]
    shown = catalogue.shown_field(field) if field.kind == Kind.REFERENCE and field.path is None else None
    if shown is not None and field.target is not None:
        return _of_others(client, catalogue.type(field.target), like)
    frame = client.distinct(record_type, name).filter(pl.col(name).is_not_null())
    texts = frame[name].cast(pl.String)
    if field.kind != Kind.REFERENCE:
        texts = cells_of([field], frame, record_type, catalogue)["c0"]
    pairs = zip(texts.to_list(), frame["count"].to_list(), strict=True)
    matching = [FieldValue(text, text, count) for text, count in pairs if text and low in text.casefold()]
    return matching[:_MOST_VALUES]


def _of_others(client: Client, target: RecordType, like: str) -> list[FieldValue]:
    """Records that a reference may lead to, by that by which people know them."""
    by = target.field(target.shown_by)
    wanted = Holds(by, "contains", like, folded=False) if like else None
    records = pl.concat(list(client.read(target, [by.name], wanted, [by.name], top=_FEW_RECORDS)))
    pairs = zip(records[IDENTIFIER].to_list(), records[by.name].cast(pl.String).to_list(), strict=True)
    return [FieldValue(identifier, text or identifier) for identifier, text in pairs]
