"""What a spreadsheet did to a trip's sheet: found with each plan, told in groups, repaired by edits."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.columns.carrying import Reading, cell_texts
from vexo.core.columns.matching import ColumnMatch
from vexo.core.planning.pairs import out_text
from vexo.core.records import IDENTIFIER, Field, Kind
from vexo.core.sheets.damage import KINDS, Looked, find_damage, find_lost_keys
from vexo.core.sheets.editing import CHANGES, EditError
from vexo.core.sheets.outgoing import FORMULA_BEGIN, PREFIX, column_of
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import SPACES

from .. import stages
from ..bringin.edits import headers_of, make
from ..bringin.models import Edit
from ..errors import PlainError
from ..jobs.models import Job
from ..people.models import Person
from ..trips.models import Trip
from .decisions import seen_plan
from .plans import Reviewed

_FIRST = 5
WORDS = {
    "lost-zeros": "zeros lost",
    "long-number": "long numbers shortened",
    "date": "turned into dates",
    "serial": "days turned into numbers, or moved by four years",
    "error": "error values",
    "accents": "broken accents",
    "spaces": "spaces at the ends, or that do not break",
    "quotes": "quotation marks and dashes exchanged",
    "cut-off": "text cut off",
    "read-only": "edited, though only for reading",
}


def _shown(field: Field, planned: Reviewed) -> str | None:
    return column_of(field, planned.catalogue) if field.kind == Kind.REFERENCE and field.path is None else None


def _as_out(planned: Reviewed, kept: pl.DataFrame, match: ColumnMatch) -> pl.Series | None:
    """What went out in a column, one text a record of the kept copy; none for fields that did not."""
    field = match.field
    if field is None or field.name not in kept.columns:
        return None
    return out_text(field, kept, _shown(field, planned))


def _was(planned: Reviewed, kept: pl.DataFrame, match: ColumnMatch, records: pl.Series) -> pl.Series | None:
    texts = _as_out(planned, kept, match)
    if texts is None:
        return None
    table = pl.DataFrame([kept[IDENTIFIER], texts.alias("was")]).unique(IDENTIFIER)
    return records.to_frame(IDENTIFIER).join(table, on=IDENTIFIER, how="left", maintain_order="left")["was"]


def _known(match: ColumnMatch, records: pl.DataFrame, total: int) -> pl.Series | None:
    """All values of a field in the application, where all records were read."""
    field = match.field
    if field is None or field.kind != Kind.TEXT or field.name not in records.columns or len(records) < total:
        return None
    return records[field.name].cast(pl.String).drop_nulls().unique()


def look(
    planned: Reviewed,
    plan: pl.DataFrame,
    kept: pl.DataFrame | None,
    records: pl.DataFrame,
    reading: Reading,
    total: int,
) -> pl.DataFrame:
    """All damaged cells (see ``core.sheets.damage``), with the text to put there as it is written in this sheet.

    Args:
        total: how many records the type has.
    """
    cells = planned.cells.select(ROW_ID, ROW, *[n for n in planned.cells.columns if n not in (ROW_ID, ROW)])
    # What a lane treats is not what went out any more, and stands in no form of the kept copy.
    matches = [
        m for m in planned.matches if m.field and m.column and not planned.settings.lane(m.field.name).treatments
    ]
    met = plan.select(ROW_ID, IDENTIFIER)
    ids = cells.select(ROW_ID).join(met, on=ROW_ID, how="left", maintain_order="left")[IDENTIFIER]
    looked, texts = [], {}
    for match in matches:
        field = match.field
        assert field is not None
        if field.name == planned.record_type.identifier:
            continue
        texts[field.name] = cell_texts(cells, match, reading)
        was = _was(planned, kept, match, ids) if kept is not None else None
        looked.append(Looked(match.column, field, texts[field.name], was, _known(match, records, total)))
    found = find_damage(cells, looked)
    if kept is not None:
        found = pl.concat([found, _keys(planned, cells, texts, kept, ids)])
    return _as_written(found.unique([ROW_ID, "column"], keep="last", maintain_order=True), planned, reading)


def _keys(
    planned: Reviewed, cells: pl.DataFrame, texts: dict[str, pl.Series], kept: pl.DataFrame, ids: pl.Series
) -> pl.DataFrame:
    """Rows without a record, whose key a spreadsheet harmed."""
    own = [m for m in planned.matches if m.field and m.field.name in planned.settings.key and m.field.name in texts]
    free = kept.filter(~pl.col(IDENTIFIER).is_in(ids.drop_nulls().implode()))
    columns = [_as_out(planned, free, m) for m in own]
    if not own or len(own) < len(planned.settings.key) or any(column is None for column in columns):
        return find_damage(cells, [])
    unmet = pl.DataFrame(
        [c.alias(m.field.name) for m, c in zip(own, columns, strict=True) if m.field and c is not None]
    )
    key = [(m.column, m.field, texts[m.field.name]) for m in own if m.field]
    return find_lost_keys(cells, key, ids.is_null(), unmet)


def _as_written(found: pl.DataFrame, planned: Reviewed, reading: Reading) -> pl.DataFrame:
    """Repairs in the form in which the sheet holds them: a real bracket doubled, formulas guarded."""
    fields = {m.column: m.field for m in planned.matches if m.field}
    texts = [name for name, f in fields.items() if f.kind in (Kind.TEXT, Kind.REFERENCE, Kind.CHOICE)]
    repair, is_text = pl.col("repair"), pl.col("column").is_in(texts)
    if reading.marks:
        repair = pl.when(is_text).then(repair.str.replace(rf"^({SPACES}*)\[", "${1}[[")).otherwise(repair)
    if reading.prefixed:
        repair = pl.when(is_text).then(repair.str.replace(FORMULA_BEGIN, f"{PREFIX}$0")).otherwise(repair)
    return found.with_columns(repair.alias("repair"))


def groups(found: pl.DataFrame, planned: Reviewed) -> list[dict[str, Any]]:
    """Damage by kind and column, as a plan's summary tells it."""
    headers = headers_of(planned.sheet)
    order = {name: at for at, name in enumerate(KINDS)}
    columns = {column: at for at, column in enumerate(headers)}
    told = []
    for (kind, column), own in found.partition_by("kind", "column", as_dict=True, maintain_order=True).items():
        mended = own.drop_nulls("repair")
        example = (mended if len(mended) else own).row(0, named=True)
        told.append(
            {
                "kind": kind,
                "column": column,
                "header": headers.get(str(column), str(column)),
                "says": WORDS[str(kind)],
                "count": len(own),
                "sure": int(own["sure"].sum()),
                "repairs": len(mended),
                "rows": own[ROW].sort().head(_FIRST).to_list(),
                "text": example["text"],
                "repair": example["repair"],
            }
        )
    return sorted(told, key=lambda one: (order[one["kind"]], columns.get(one["column"], 0)))


def repair(trip: Trip, person: Person, number: int, kind: str, column: str, *, mine: bool = False) -> tuple[Edit, Job]:
    """Put damaged cells back to what they were: of one kind in one column, or all that can be (both empty).

    Args:
        number: the plan that was seen.

    Raises:
        NotAllowed, PlainError, Stale, EditError
    """
    plan = seen_plan(trip, number)
    if not plan.damage:
        raise PlainError("Nothing is known to be damaged.", "no-damage")
    found = stages.read(plan.damage).drop_nulls("repair")
    if kind:
        found = found.filter((pl.col("kind") == kind) & (pl.col("column") == column))
    if found.is_empty():
        raise EditError("For none of these cells is it known what stood there.")
    header = headers_of(plan.sheet).get(column, column)
    words = f"Repaired {header}: {WORDS[kind]}" if kind else "Repaired all that was damaged"
    changes = found.select(ROW_ID, "column", pl.col("repair").alias("text")).cast(dict(CHANGES))  # type: ignore[arg-type]
    columns = changes["column"].unique(maintain_order=True).to_list()
    return make(trip, person, "repair", words, columns, lambda _: changes, mine=mine)
