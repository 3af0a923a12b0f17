"""Whether records to be deleted are as they were last known here. Rules: ``semantics.md`` 3.5."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ...records import IDENTIFIER, VERSION, Field
from ...sheets.sheet import ROW_ID
from ...values import dtype, same
from ..frame import CHANGED, IN_KEPT_COPY, KEPT_VERSION, FieldColumns, beside
from ..inputs import Inputs
from .texts import BETWEEN_FIELDS, as_texts


def changed_records(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> pl.DataFrame:
    """Add ``CHANGED``: in how far each record is no longer as it went out, as a pass of the trip left it, or as it was
    reviewed for one that did not write it.

    Args:
        fields: carried ones, whose merge base the frame has.
    """
    last = inputs.ledger.versions.rename({IDENTIFIER: "last_record", VERSION: "last_version"})
    frame = frame.hstack(beside(frame[ROW_ID], last))
    is_ours = pl.col("last_record") == pl.col(IDENTIFIER)
    then = pl.when(is_ours).then("last_version").when(IN_KEPT_COPY).then(KEPT_VERSION)
    versioned = then.is_not_null() & pl.col(VERSION).is_not_null()
    by_version = pl.when(then != pl.col(VERSION)).then(VERSION)
    rows = frame.select(pl.col(IDENTIFIER).is_not_null() & ~versioned).to_series().arg_true()
    by_value = pl.repeat(None, len(frame), dtype=pl.String, eager=True)
    if len(rows):
        by_value = by_value.scatter(rows, _moved_fields(frame[rows], inputs, fields))
    changed = pl.when(versioned).then(by_version).otherwise(by_value).alias(CHANGED)
    return frame.with_columns(changed).drop("last_record", "last_version")


def _moved_fields(frame: pl.DataFrame, inputs: Inputs, fields: Sequence[Field]) -> pl.Series:
    """The fields of records that are otherwise than their merge base or, where that has none of them, the kept copy;
    those that the application itself computes are no change by anyone."""
    carried = {field.name for field in fields}
    others: list[Field] = []
    if inputs.kept is not None:
        others = [
            field
            for field in inputs.record_type.fields
            if field.name in inputs.kept.columns
            and field.name in inputs.now.columns
            and field.name not in carried
            and not field.read_only
        ]
        names = [field.name for field in others]
        for prefix, table in (("kept.", inputs.kept), ("now.", inputs.now)):
            values = table.select(IDENTIFIER, *[pl.col(f.name).cast(dtype(f), strict=False) for f in others])
            frame = frame.hstack(beside(frame[IDENTIFIER], values.rename({name: f"{prefix}{name}" for name in names})))
    differences = []
    for field in fields:
        columns = FieldColumns(field.name)
        moved = pl.col(columns.has_base) & ~same(columns.current, columns.base_app, field)
        differences.append(_told(field, columns.current, moved))
    for field in others:
        now, then = f"now.{field.name}", f"kept.{field.name}"
        differences.append(_told(field, now, pl.col(IN_KEPT_COPY) & ~same(now, then, field)))
    if not differences:
        return pl.repeat(None, len(frame), dtype=pl.String, eager=True)
    joined = pl.concat_list(differences).list.drop_nulls().list.join(BETWEEN_FIELDS)
    return frame.select(pl.when(joined != "").then(joined)).to_series()


def _told(field: Field, column: str, moved: pl.Expr) -> pl.Expr:
    """A field and what it holds now, where it moved."""
    [text] = as_texts(field, column)
    return pl.when(moved).then(pl.lit(f"{field.name}=") + text.fill_null(""))
