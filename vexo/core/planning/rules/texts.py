"""Typed values as a person sees them, for what a question was asked about."""

from __future__ import annotations

import polars as pl

from ...columns.carried_columns import CarriedColumns
from ...records import Field, Kind
from ...values import to_text

BETWEEN_FIELDS = "\x1f"


def as_texts(field: Field, *columns: str) -> tuple[pl.Expr, ...]:
    """Columns of a field's values as texts."""

    def text(values: pl.Series) -> pl.Series:
        return to_text(field, values)

    return tuple(pl.col(column).map_batches(text, return_dtype=pl.String) for column in columns)


def what_it_says(field: Field) -> pl.Expr:
    """What a row says of a field, as a text that is equal where rows say the same."""
    columns = CarriedColumns(field.name)
    names = [columns.value, *([columns.removed_items] if field.kind == Kind.CHOICES else [])]
    values = [text.fill_null("") for text in as_texts(field, *names)]
    return pl.concat_str(pl.col(columns.cell_says).cast(pl.String), *values, separator="=")
