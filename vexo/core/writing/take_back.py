"""Taking back: what passes did to records, turned round into the sheet and the kept copy of a trip of its own.

The kept copy says what was written, the sheet what was there before: so the three-way comparison writes a value back
where the application still has what was written, and holds the row where somebody changed it since. Rules:
``semantics.md`` 9.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import polars as pl

from ..operations import Operation
from ..planning.frame import FieldColumns, beside
from ..planning.verdicts import RowState
from ..records import IDENTIFIER, VERSION, Catalogue, Field, Kind, RecordType
from ..sheets.sheet import ROW_ID
from ..sheets.writers.outgoing import OutgoingColumn, column_of, outgoing_columns
from ..values import SPACES, dtype, is_empty, to_text
from .create import SETTLED

DID = "@did"
"""What passes did to a record, all together: a value of ``Did``."""
_UNSURE = "?"
"""A version that no record has."""
_BEFORE, _WRITTEN, _HELD = "before.", "written.", "wrote."


class Did(StrEnum):
    """What passes did to a record, all together."""

    CREATED = "created"
    UPDATED = "updated"
    DELETED = "deleted"


@dataclass(frozen=True)
class Done:
    """What one pass did.

    Attributes:
        page: its page of the ledger (``ledger.page_of``), those rows of it that are to be taken back.
        deleted: the records that it deleted and that are to come back, with all their fields as they were then.
    """

    page: pl.DataFrame
    deleted: pl.DataFrame


@dataclass(frozen=True)
class Reverse:
    """What is to be taken back.

    Attributes:
        records: a line a record: ``@id``, ``@version`` as the last write left it, ``@did``, and of each field the value
            ``before.`` the first write, the one ``written.`` by the last, and whether any write was of it, ``wrote.``.
        fields: the fields that are to be in the sheet, in the order of the record type.
        known: how people know the records that are there, as the application says it now: ``@id`` and fields of the
            natural key, as they are read to be sent out.
    """

    records: pl.DataFrame
    fields: list[Field]
    known: pl.DataFrame | None = None

    def of(self, *did: Did) -> pl.DataFrame:
        """The records to which this was done."""
        return self.records.filter(pl.col(DID).is_in(list(did)))

    @property
    def operation(self) -> Operation:
        """What a sheet of it is for. Records that were created have no row where others have one: they are what the
        sheet does not have."""
        kinds = set(self.records[DID].to_list())
        if kinds == {Did.CREATED}:
            return Operation.DELETE
        if Did.CREATED in kinds:
            return Operation.MAKE_SAME
        return Operation.UPSERT if Did.DELETED in kinds else Operation.UPDATE

    @property
    def rows(self) -> pl.DataFrame:
        """The records that have a row in the sheet, in its order."""
        return self.records if self.operation == Operation.DELETE else self.of(Did.UPDATED, Did.DELETED)


def reverse_of(passes: Sequence[Done], record_type: RecordType) -> Reverse:
    """What passes did to each record, all together.

    Args:
        passes: those that are taken back, the oldest first.
    """
    names = [field.name for field in record_type.fields if not field.read_only and field.path is None]
    names = [name for name in names if _is_in(name, passes)]
    fields = [record_type.field(name) for name in names]
    lines = [_lines(one.page, fields, at) for at, one in enumerate(passes)]
    lines += [_gone(one.deleted, fields, at) for at, one in enumerate(passes)]
    if not lines:
        return Reverse(pl.DataFrame(schema={IDENTIFIER: pl.String, VERSION: pl.String, DID: pl.String}), [])
    events = pl.concat(lines).sort("at", maintain_order=True)
    records = events.group_by(IDENTIFIER, maintain_order=True).agg(
        (pl.col("state") == RowState.CREATED).any().alias("made"),
        (pl.col("state") == RowState.DELETED).any().alias("gone"),
        pl.col(VERSION).last(),
        *[one for field in fields for one in _first_and_last(field)],
    )
    records = records.filter(~(pl.col("made") & pl.col("gone"))).with_columns(
        pl.when("gone")
        .then(pl.lit(Did.DELETED.value))
        .when("made")
        .then(pl.lit(Did.CREATED.value))
        .otherwise(pl.lit(Did.UPDATED.value))
        .alias(DID)
    )
    return Reverse(records.drop("made", "gone"), _shown(fields, records))


def lost_fields(passes: Sequence[Done], record_type: RecordType) -> tuple[list[Field], list[str]]:
    """The fields that passes wrote and that cannot be written now, and the names of those that are no more."""
    begins = FieldColumns("").wrote
    written = [
        name.removeprefix(begins)
        for one in passes
        for name in one.page.columns
        if name.startswith(begins) and one.page[name].any()
    ]
    names = list(dict.fromkeys(written))
    known = {name: record_type.find(name) for name in names}
    return [f for f in known.values() if f is not None and f.read_only], [n for n, f in known.items() if f is None]


def _is_in(name: str, passes: Sequence[Done]) -> bool:
    return any(FieldColumns(name).wrote in one.page.columns or name in one.deleted.columns for one in passes)


def _lines(page: pl.DataFrame, fields: Sequence[Field], at: int) -> pl.DataFrame:
    """What a page says of records that were created or updated, a line each."""
    done = page.filter(pl.col("state").is_in([RowState.CREATED, RowState.UPDATED]) & pl.col(IDENTIFIER).is_not_null())
    # A record that may be another's is never taken for one that is still as we left it.
    unsure = (pl.col("code") == SETTLED).fill_null(value=False) if "code" in page.columns else pl.lit(value=False)
    columns: list[pl.Expr] = []
    for field in fields:
        known, kind = FieldColumns(field.name), dtype(field)
        is_written = known.wrote in page.columns
        before = pl.col(known.before).cast(kind, strict=False) if is_written else pl.lit(None, kind)
        written = pl.col(known.base_app).cast(kind, strict=False) if is_written else pl.lit(None, kind)
        wrote = pl.col(known.wrote).fill_null(value=False) if is_written else pl.lit(value=False)
        columns += [
            before.alias(f"{_BEFORE}{field.name}"),
            pl.when(unsure).then(None).otherwise(written).alias(f"{_WRITTEN}{field.name}"),
            wrote.alias(f"{_HELD}{field.name}"),
        ]
    version = pl.when(unsure).then(pl.lit(_UNSURE)).otherwise(VERSION).alias(VERSION)
    return done.select(IDENTIFIER, version, "state", pl.lit(at).alias("at"), *columns)


def _gone(deleted: pl.DataFrame, fields: Sequence[Field], at: int) -> pl.DataFrame:
    """Records that were deleted: each field was what the record held."""
    columns: list[pl.Expr] = []
    for field in fields:
        kind = dtype(field)
        value = pl.col(field.name).cast(kind, strict=False) if field.name in deleted.columns else pl.lit(None, kind)
        columns += [
            value.alias(f"{_BEFORE}{field.name}"),
            pl.lit(None, kind).alias(f"{_WRITTEN}{field.name}"),
            pl.lit(field.name in deleted.columns).alias(f"{_HELD}{field.name}"),
        ]
    state = pl.lit(RowState.DELETED.value).alias("state")
    return deleted.select(IDENTIFIER, pl.lit(None, pl.String).alias(VERSION), state, pl.lit(at).alias("at"), *columns)


def _first_and_last(field: Field) -> list[pl.Expr]:
    before, written, wrote = (f"{what}{field.name}" for what in (_BEFORE, _WRITTEN, _HELD))
    return [
        pl.col(before).filter(pl.col(wrote)).first(),
        pl.col(written).filter(pl.col(wrote)).last(),
        pl.col(wrote).any(),
    ]


def _shown(fields: Sequence[Field], records: pl.DataFrame) -> list[Field]:
    """The fields of which any record's value was written, or is to come back."""
    shown = []
    for field in fields:
        back = (records[DID] == Did.DELETED) & records[f"{_BEFORE}{field.name}"].is_not_null()
        if (records[f"{_HELD}{field.name}"] & (records[DID] != Did.DELETED)).any() or back.any():
            shown.append(field)
    return shown


def kept_copy(reverse: Reverse, record_type: RecordType) -> pl.DataFrame:
    """The records that are there since, or otherwise, as the last write left them; of fields that no write of a record
    was of, nothing is known."""
    changed_records = reverse.of(Did.CREATED, Did.UPDATED)
    values = [pl.col(f"{_WRITTEN}{field.name}").alias(field.name) for field in reverse.fields]
    identifier = record_type.field(record_type.identifier)
    identifiers = changed_records[IDENTIFIER].cast(dtype(identifier), strict=False).alias(identifier.name)
    kept = changed_records.select(IDENTIFIER, VERSION, identifiers, *values)
    return kept.hstack(_beside(kept, reverse))


def _beside(records: pl.DataFrame, reverse: Reverse) -> pl.DataFrame:
    """How people know these records, but for fields that are in the sheet anyway."""
    if reverse.known is None:
        return records.select([])
    names = [name for name in reverse.known.columns if name not in records.columns and not name.startswith("@")]
    return beside(records[IDENTIFIER], reverse.known.select(IDENTIFIER, *names))


def reading_fields(reverse: Reverse, record_type: RecordType) -> list[Field]:
    """The fields of the natural key that are in the sheet for people alone."""
    shown = {field.name for field in reverse.fields}
    known = set(reverse.known.columns) if reverse.known is not None else set()
    return [record_type.field(name) for name in record_type.natural_key if name not in shown and name in known]


def referred(reverse: Reverse) -> dict[str, list[str]]:
    """For each reference in the sheet the IDs of the records that it names."""
    return {
        field.name: reverse.rows[_value_of(reverse, field)].drop_nulls().unique().sort().to_list()
        for field in reverse.fields
        if field.kind == Kind.REFERENCE
    }


def sheet_columns(
    reverse: Reverse, record_type: RecordType, catalogue: Catalogue, names: Mapping[str, Mapping[str, str]]
) -> list[OutgoingColumn]:
    """The columns of the sheet: the record's ID, then each field as it was before the first write.

    Args:
        names: reference → ID of a record → how people know it.
    """
    rows = reverse.rows
    read = reading_fields(reverse, record_type)
    fields = [record_type.field(record_type.identifier), *read, *reverse.fields]
    identifiers = _identifiers(reverse)
    values = [identifiers.alias(record_type.identifier)]
    if reverse.known is not None and read:
        reversed_fields = {field.name for field in reverse.fields}
        for_people = beside(identifiers.alias(IDENTIFIER), reverse.known.select(pl.exclude(VERSION, *reversed_fields)))
        values += for_people.get_columns()
    for field in reverse.fields:
        value = rows[_value_of(reverse, field)]
        values.append(value.alias(field.name))
        shown = column_of(field, catalogue)
        if shown != field.name:
            known = names.get(field.name, {})
            values.append(value.replace_strict(known, default=value, return_dtype=pl.String).alias(shown))
    columns = outgoing_columns(fields, pl.DataFrame(values), record_type, catalogue)
    first = len(columns) - len(reverse.fields)
    all_columns = columns[:first]
    for field, column in zip(reverse.fields, columns[first:], strict=True):
        cells = _marked(reverse, field, column.cells)
        marks = not cells.equals(column.cells, null_equal=True)
        all_columns.append(
            OutgoingColumn(
                column.field, column.header, column.note, cells, column.as_number and not marks, column.is_key
            )
        )
    return all_columns


def _value_of(reverse: Reverse, field: Field) -> str:
    """What the sheet shows of a field: its value before; of records that are to be deleted, what they hold."""
    return f"{_WRITTEN if reverse.operation == Operation.DELETE else _BEFORE}{field.name}"


def _identifiers(reverse: Reverse) -> pl.Series:
    """The IDs of the records of the sheet's rows; one that is to come back has none yet."""
    rows = reverse.rows
    return rows.select(pl.when(pl.col(DID) != Did.DELETED).then(IDENTIFIER).alias(IDENTIFIER))[IDENTIFIER]


def _marked(reverse: Reverse, field: Field, cells: pl.Series) -> pl.Series:
    """A field's cells with marks, so that an update empties what was empty, and of a list takes back no more than what
    was put into it or taken out. Cells of fields that no write of the record was of are blank."""
    rows = reverse.rows
    if reverse.operation == Operation.DELETE:
        return cells
    updated = (rows[DID] == Did.UPDATED) & rows[f"{_HELD}{field.name}"]
    others = (rows[DID] == Did.UPDATED) & ~rows[f"{_HELD}{field.name}"]
    was_empty = rows.select(is_empty(f"{_BEFORE}{field.name}", field)).to_series()
    if field.kind == Kind.CHOICES:
        cells = cells.zip_with(~updated, _list_marks(rows, field))
    else:
        cells = cells.zip_with(~(updated & was_empty), pl.Series(["[clear]"]).new_from_index(0, len(cells)))
    return cells.set(others, None)


def _list_marks(rows: pl.DataFrame, field: Field) -> pl.Series:
    """For each list the marks that turn what it became into what it was, whatever else is in it now."""
    empty = pl.lit([], dtype=pl.List(pl.String))
    before, after = (pl.col(f"{what}{field.name}").fill_null(empty) for what in (_BEFORE, _WRITTEN))
    sides = rows.select(before.list.set_difference(after).alias("add"), after.list.set_difference(before).alias("take"))
    texts = []
    for name, mark in (("add", "[add] "), ("take", "[remove] ")):
        items = sides[name].list.eval(pl.element().str.replace(rf"^({SPACES}*)\[", "${1}[["))
        texts.append((pl.lit(mark) + to_text(field, items).alias(name)).alias(name))
    return sides.select(pl.concat_str(texts, separator=" ", ignore_nulls=True).replace("", None)).to_series()


def rows_of_records(reverse: Reverse) -> pl.DataFrame:
    """Which record each row of the sheet, and each record without a row, takes back: ``row_id`` (as the sheet's rows
    are numbered; null without a row) and ``@id``."""
    rows = reverse.rows[IDENTIFIER]
    absent = reverse.records[IDENTIFIER].filter(~reverse.records[IDENTIFIER].is_in(rows.implode()))
    numbers = pl.int_range(len(rows), dtype=pl.UInt32, eager=True).alias(ROW_ID)
    with_rows = pl.DataFrame([numbers, rows])
    without = pl.DataFrame([pl.repeat(None, len(absent), dtype=pl.UInt32, eager=True).alias(ROW_ID), absent])
    return pl.concat([with_rows, without])


def chosen_rows(page: pl.DataFrame, rows: Sequence[int] | None) -> pl.DataFrame:
    """The lines of a page that are about these rows, by their ``row_id``; all for None."""
    return page if rows is None else page.filter(pl.col(ROW_ID).is_in(list(rows)))
