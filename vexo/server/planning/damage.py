"""What a spreadsheet did to a trip's sheet: found with each plan, told in groups, repaired by edits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import polars as pl

from vexo.core.columns.carried_columns import CarriedColumns
from vexo.core.columns.carried_values import Reading, cell_texts
from vexo.core.planning.damaged import is_meant
from vexo.core.planning.frame import beside
from vexo.core.planning.merge_base import sent_text
from vexo.core.records import IDENTIFIER, Field, Kind
from vexo.core.sheets.damage.search import KINDS, Looked, find_damage, find_lost_keys, unharmed_by_value
from vexo.core.sheets.formula_guard import FORMULA_BEGIN, PREFIX
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.sheets.writers.outgoing import column_of
from vexo.core.values import SPACES

from ..edits.repair import WORDS
from ..trips.facts.plans import Damage
from ..trips.sheet_cells import headers_of
from .context import PlanContext

_FIRST_ROWS = 5
"""Row numbers that are told of a group of damaged cells, to look at some."""


def _shown(field: Field, context: PlanContext) -> str | None:
    return column_of(field, context.catalogue) if field.kind == Kind.REFERENCE and field.path is None else None


@dataclass(frozen=True)
class DamageSearch:
    """A search for damaged cells of a planned sheet.

    Attributes:
        kept: the records as they went out, or None; of the rows that are searched at least.
        values: gives all values of a field in the application, where all records were read.
        all_sent: gives columns of all records as they went out, where ``kept`` has only some of them.
    """

    context: PlanContext
    kept: pl.DataFrame | None
    values: Callable[[str], pl.Series | None]
    reading: Reading
    all_sent: Callable[[list[str]], pl.DataFrame] | None = None

    def run(self, cells: pl.DataFrame, values: pl.DataFrame, identifiers: pl.Series) -> pl.DataFrame:
        """All damaged cells (see ``core.sheets.damage``), with the text to put there as it is written in this sheet.

        Args:
            cells: of the rows that are searched, ``values`` what they were read as, and ``identifiers`` the records
                that these are about.
        """
        context = self.context
        # What a lane treats is not what went out any more, and stands in no form of the kept copy.
        matches = [
            m
            for m in context.matches
            if m.field
            and m.column
            and not context.settings.lane(m.field.name).treatments
            and m.field.name != context.record_type.identifier
        ]
        texts = {m.field.name: cell_texts(cells, m, self.reading) for m in matches if m.field}
        fields = self._may_be_harmed([m.field for m in matches if m.field], texts, values, identifiers)
        sent = self._sent_beside(identifiers, fields)
        looked = [
            Looked(
                m.column,
                m.field,
                texts[m.field.name],
                sent.get(m.field.name),
                partial(self._all_values, m.field),
                partial(self._all_sent, m.field),
            )
            for m in matches
            if m.field in fields
        ]
        damaged = find_damage(cells, looked)
        if self.kept is not None:
            damaged = pl.concat([damaged, self._lost_keys(self.kept, cells, texts, identifiers)])
        return self._as_written(damaged.unique([ROW_ID, "column"], keep="last", maintain_order=True))

    def _sent(self, kept: pl.DataFrame, field: Field) -> pl.Series | None:
        """What went out in a field's column, one text a record of the kept copy; none for fields that did not."""
        return sent_text(field, kept, _shown(field, self.context)) if field.name in kept.columns else None

    def _all_sent(self, field: Field) -> pl.Series | None:
        """The different texts that went out in a field's column."""
        if self.kept is None or field.name not in self.kept.columns:
            return None
        names = [name for name in (field.name, _shown(field, self.context)) if name in self.kept.columns]
        sent = self._sent(self.all_sent(names) if self.all_sent else self.kept, field)
        return sent.drop_nulls().unique() if sent is not None else None

    def _may_be_harmed(
        self, fields: list[Field], texts: dict[str, pl.Series], values: pl.DataFrame, identifiers: pl.Series
    ) -> list[Field]:
        """The fields whose texts have to be looked at, since their values do not tell that none is harmed."""
        kept = self.kept if self.kept is not None else pl.DataFrame({IDENTIFIER: []}, {IDENTIFIER: pl.String})
        days = [field.name for field in fields if field.kind == Kind.DATE and field.name in kept.columns]
        sent = beside(identifiers, kept.select(IDENTIFIER, *days))

        def unharmed(field: Field) -> bool:
            value = CarriedColumns(field.name).value
            if value not in values.columns or field.read_only or self.context.settings.lane(field.name).fixed:
                return False
            then = sent[field.name] if field.name in sent.columns else None
            return unharmed_by_value(field, texts[field.name], values[value], then)

        return [field for field in fields if not unharmed(field)]

    def _sent_beside(self, identifiers: pl.Series, fields: list[Field]) -> dict[str, pl.Series]:
        """For each field the text that went out for the record of each row."""
        if self.kept is None:
            return {}
        texts = {f.name: sent for f in fields if (sent := self._sent(self.kept, f)) is not None}
        table = pl.DataFrame([self.kept[IDENTIFIER], *[text.alias(f"sent.{name}") for name, text in texts.items()]])
        kept_beside = beside(identifiers, table)
        return {name: kept_beside[f"sent.{name}"] for name in texts}

    def _all_values(self, field: Field) -> pl.Series | None:
        """All values of a field in the application, where all records were read."""
        values = self.values(field.name) if field.kind == Kind.TEXT else None
        return values.unique().drop_nulls() if values is not None else None

    def _lost_keys(
        self, kept: pl.DataFrame, cells: pl.DataFrame, texts: dict[str, pl.Series], identifiers: pl.Series
    ) -> pl.DataFrame:
        """Rows without a record, whose key a spreadsheet harmed."""
        context = self.context
        if not identifiers.null_count():
            return find_damage(cells, [])
        by_name = {m.field.name: m for m in context.matches if m.field and m.field.name in texts}
        matches = [by_name[name] for name in context.settings.key if name in by_name]
        free = kept.filter(~pl.col(IDENTIFIER).is_in(identifiers.drop_nulls().implode()))
        sent = [self._sent(free, m.field) for m in matches if m.field]
        columns = [
            text.alias(m.field.name) for m, text in zip(matches, sent, strict=True) if m.field and text is not None
        ]
        if not columns or len(columns) < len(context.settings.key):
            return find_damage(cells, [])
        key = [(m.column, m.field, texts[m.field.name]) for m in matches if m.field]
        return find_lost_keys(cells, key, identifiers.is_null(), pl.DataFrame(columns))

    def _as_written(self, damaged: pl.DataFrame) -> pl.DataFrame:
        """Repairs in the form in which the sheet holds them: a real bracket doubled, formulas guarded."""
        fields = {m.column: m.field for m in self.context.matches if m.field}
        texts = [name for name, f in fields.items() if f.kind in (Kind.TEXT, Kind.REFERENCE, Kind.CHOICE)]
        repair, is_text = pl.col("repair"), pl.col("column").is_in(texts)
        if self.reading.marks:
            repair = pl.when(is_text).then(repair.str.replace(rf"^({SPACES}*)\[", "${1}[[")).otherwise(repair)
        if self.reading.prefixed:
            repair = pl.when(is_text).then(repair.str.replace(FORMULA_BEGIN, f"{PREFIX}$0")).otherwise(repair)
        return damaged.with_columns(repair.alias("repair"))


def groups(damaged: pl.DataFrame, context: PlanContext, decisions: pl.DataFrame) -> list[Damage]:
    """Damage by kind and column, as a plan's summary tells it.

    Args:
        decisions: the answers that count.
    """
    headers, fields = headers_of(context.sheet), context.carried_columns
    damaged = damaged.with_columns(is_meant(damaged, decisions, fields).alias("meant"))
    order = {name: at for at, name in enumerate(KINDS)}
    columns = {column: at for at, column in enumerate(headers)}
    damages = []
    for (kind, column), cells in damaged.partition_by("kind", "column", as_dict=True, maintain_order=True).items():
        mended = cells.drop_nulls("repair")
        example = (mended if len(mended) else cells).row(0, named=True)
        damages.append(
            Damage(
                kind=str(kind),
                column=str(column),
                header=headers.get(str(column), str(column)),
                says=WORDS[str(kind)],
                count=len(cells),
                sure=int(cells["sure"].sum()),
                repairs=len(mended),
                rows=cells[ROW].sort().head(_FIRST_ROWS).to_list(),
                text=example["text"],
                repair=example["repair"],
                field=fields.get(str(column), ""),
                meant=int(cells["meant"].sum()),
            )
        )
    return sorted(damages, key=lambda group: (order[group.kind], columns.get(group.column, 0)))
