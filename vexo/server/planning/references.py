"""Whom the texts of a sheet's references name: one question to the application for all rows."""

from __future__ import annotations

import polars as pl

from vexo.applications import Client
from vexo.core.cell_parser import in_long_form
from vexo.core.columns.carried_values import Reading, lane_texts
from vexo.core.columns.references import different, key_texts, make_lookup, naming_fields
from vexo.core.keys.near import near_keys
from vexo.core.new_records import new_record
from vexo.core.records import Kind, RecordType
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import bare, dtype, normal

from ..trips.models import OF_RECEIPT
from .context import PlanContext

_MOST_NEAR = 20_000
"""Records of a type among which near keys are looked for: all of them are read for it."""
_MOST_LOST = 200
"""Unknown texts for which near keys are looked for: more are a wrong column, not slips."""


def references_of(
    context: PlanContext, cells: pl.DataFrame, reading: Reading, client: Client
) -> dict[str, pl.DataFrame]:
    """For each type that a carried or checked column refers to: the records its texts name."""
    texts: dict[str, list[pl.Series]] = {}
    for match in context.matches:
        field = match.field
        if field is None or not (match.carried or match.check) or field.kind != Kind.REFERENCE or not field.target:
            continue
        said = lane_texts(cells, match, reading, context.settings.lane(field.name), context.headers)
        texts.setdefault(field.target, []).append(said)
    # The record IDs of a sheet from elsewhere are those of another application, or nobody knows whose.
    ours, origin = context.sheet.recognised, context.sheet.origin
    # A receipt of this application names the records that it is of.
    of_receipt = origin.get("record_type") if origin.get("how") == OF_RECEIPT else None
    lookups = {
        name: _named(context.catalogue.type(name), different(columns), client, by_identifier=ours or name == of_receipt)
        for name, columns in texts.items()
    }
    own_type = context.record_type.name
    if own_type in lookups:
        lookups[own_type] = _with_rows(lookups[own_type], _names_in_rows(context, cells, reading))
    return lookups


def _names_in_rows(context: PlanContext, cells: pl.DataFrame, reading: Reading) -> pl.DataFrame:
    """By which texts rows of the sheet themselves name their records, and what stands for these (``new_records``)."""
    record_type = context.record_type
    names = naming_fields(record_type, by_identifier=False)
    parts = [pl.DataFrame(schema={"text": pl.String, "row": pl.String})]
    for match in context.matches:
        field = match.field
        if field is None or not match.carried or field.name not in names:
            continue
        said = lane_texts(cells, match, reading, context.settings.lane(field.name), context.headers)
        named = in_long_form(field, bare(normal(said.cast(pl.String)))).alias("text")
        rows = cells.select(new_record(ROW_ID, ROW).alias("row"))
        parts.append(rows.select(named, "row").drop_nulls("text"))
    return pl.concat(parts).unique("text", keep="first", maintain_order=True)


def _with_rows(lookup: pl.DataFrame, rows: pl.DataFrame) -> pl.DataFrame:
    """The lookup, in which texts that name no record are the records of the rows that they name."""
    joined = lookup.join(rows, on="text", how="left", maintain_order="left")
    by_row = pl.col("identifier").is_null() & pl.col("row").is_not_null()
    by_row &= pl.col("problem").str.starts_with("names-none").fill_null(value=False)
    return joined.select(
        "text",
        pl.when(by_row).then("row").otherwise("identifier").alias("identifier"),
        pl.when(~by_row).then("problem").alias("problem"),
    )


def _named(target: RecordType, wanted: pl.Series, client: Client, *, by_identifier: bool) -> pl.DataFrame:
    records_by_field: dict[str, pl.DataFrame] = {}
    left = wanted
    for by in naming_fields(target, by_identifier=by_identifier):
        field = target.field(by)
        identifiers = in_long_form(field, left)
        if not field.quoted:
            identifiers = identifiers.filter(identifiers.str.contains(r"^\d{1,18}$"))
        if not identifiers.len():
            continue
        values = identifiers.alias(by).cast(dtype(field), strict=False).to_frame()
        records_by_field[by] = client.read_by_keys(target, [by], [by], values)
        known = records_by_field[by][by].cast(pl.String)
        if by != target.identifier:
            left = left.filter(~in_long_form(field, left).is_in(known.implode()))
    near = _near(target, left, records_by_field, client)
    return make_lookup(key_texts(wanted), target, records_by_field, near, by_identifier=by_identifier)


def _near(
    target: RecordType, left: pl.Series, records_by_field: dict[str, pl.DataFrame], client: Client
) -> dict[str, list[str]]:
    """The names nearest to those that name nobody, of a type that is small enough to be read for it: by any of the
    fields by which it was asked for."""
    by = target.shown_by
    identifiers = records_by_field.get(target.identifier)
    if identifiers is not None and len(left):
        left = left.filter(~left.is_in(identifiers[target.identifier].cast(pl.String).implode()))
    if by == target.identifier and not target.field(by).quoted:
        return {}
    if not len(left) or len(left) > _MOST_LOST or client.count(target) > _MOST_NEAR:
        return {}
    ways = [name for name in dict.fromkeys([by, *records_by_field]) if target.field(name).quoted]
    records = pl.concat(list(client.read(target, ways)))
    near: dict[str, list[str]] = {}
    for way in ways:
        known = records[way].cast(pl.String).drop_nulls().to_list()
        near |= near_keys([text for text in left.to_list() if text not in near], known)
    return near
