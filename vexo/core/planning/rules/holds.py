"""What holds a row until a person decides."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import polars as pl

from ...columns.marks import VALUE
from ...operations import Operation
from ...problems import Case
from ...records import IDENTIFIER, Field, Kind
from ...sheets.sheet import ROW_ID
from ...spread import from_numbers
from ...values import same, to_text
from ..frame import (
    ALL_CELLS,
    CHANGED,
    CREATES,
    DELETED_BY_PASS,
    EDITED_SINCE,
    FieldColumns,
)
from ..inputs import Inputs, Settings
from ..verdicts import CellAction
from .merges import merged
from .texts import as_texts


def cell_cases(frame: pl.DataFrame, inputs: Inputs, settings: Settings, fields: Sequence[Field]) -> list[Case]:
    """Cells that were edited while the application changed too, edited keys, and columns emptied beyond the limit."""
    natural = inputs.record_type.natural_key
    cases = []
    for field in fields:
        columns = FieldColumns(field.name)
        speaks = [frame[name] for name in (columns.asked, columns.over_limit, columns.lost_point, columns.far_out)]
        if not any(flags.any() for flags in (frame[columns.action] == CellAction.HELD, *speaks)):
            continue
        held = pl.col(columns.action) == CellAction.HELD
        values = as_texts(field, columns.base_sent, columns.base_app, columns.proposed, columns.current)
        seen = (pl.col(IDENTIFIER), *values)
        moved = pl.col(columns.has_base) & ~pl.col(columns.current).eq_missing(pl.col(columns.base_app))
        keyed, many, asked = pl.lit(field.name in natural), pl.col(columns.over_limit), pl.col(columns.asked)
        if frame[columns.asked].any():
            shown = (pl.col(IDENTIFIER), pl.col(columns.raw_text), *values)
            unread = pl.col(columns.action) == CellAction.BAD
            if field.name not in settings.key:
                cases.append(Case("column-asked", (held | unread) & asked, field.name, seen=shown))
            held = held & ~asked
        lost, far = pl.col(columns.lost_point), pl.col(columns.far_out)
        cases.append(Case("emptied-many", many & ~asked, field.name, seen=seen))
        old_new = as_texts(field, columns.current, columns.proposed)
        cases.append(Case("lost-point", lost & ~asked, field.name, old_new, seen))
        cases.append(Case("far-out", far & ~asked, field.name, (old_new[1], *_usual_of(field, inputs)), seen))
        held = held & ~many & ~lost & ~far
        both = (_as_text(merged(field), field),) if field.kind == Kind.CHOICES else ()
        cases.append(Case("both-changed", held & (moved | ~keyed), field.name, both, seen))
        cases.append(Case("key-edited", held & ~moved & keyed, field.name, seen=seen))
    return cases


def _as_text(values: pl.Expr, field: Field) -> pl.Expr:
    return values.map_batches(partial(to_text, field), return_dtype=pl.String).fill_null("")


def _usual_of(field: Field, inputs: Inputs) -> tuple[pl.Expr, ...]:
    """Between which values half of those lie that the application holds in a field, as texts; and how many it holds."""
    spread = inputs.spreads.get(field.name)
    if spread is None:
        return ()
    middle = pl.Series([spread.first, spread.third])
    texts = to_text(field, from_numbers(middle, field))
    return pl.lit(texts[0]), pl.lit(texts[1]), pl.lit(str(spread.count))


def hold_asked(frame: pl.DataFrame, fields: Sequence[Field], settings: Settings) -> pl.DataFrame:
    """Hold the cells that would do something in columns of which something is asked; ``asked`` tells which those are,
    and which cannot be read as long as it has no answer."""
    changes: list[pl.Expr] = []
    for field in fields:
        columns, action = FieldColumns(field.name), pl.col(FieldColumns(field.name).action)
        if field.name not in settings.asked:
            changes.append(pl.lit(value=False).alias(columns.asked))
            continue
        is_asked = action != CellAction.NOTHING
        changes += [
            is_asked.alias(columns.asked),
            pl.when(is_asked & (action != CellAction.BAD))
            .then(CellAction.HELD)
            .otherwise(action)
            .cast(pl.UInt8)
            .alias(columns.action),
        ]
    return frame.with_columns(changes)


def compare_checks(frame: pl.DataFrame, checks: Sequence[Field]) -> pl.DataFrame:
    """Whether the cells of checks agree with their records: those that say something, of rows that have a record."""

    def agrees(field: Field) -> pl.Expr:
        columns = FieldColumns(field.name)
        unread = pl.col(columns.problem).is_not_null()
        compared = pl.col(IDENTIFIER).is_not_null() & ((pl.col(columns.cell_says) == VALUE) | unread)
        equal = same(columns.value, columns.current, field) & ~unread
        return pl.when(compared).then(equal).alias(columns.agrees)

    return frame.with_columns([agrees(field) for field in checks]) if checks else frame


def check_cases(checks: Sequence[Field]) -> list[Case]:
    """Rows whose check says something else than their record."""
    cases = []
    for field in checks:
        columns = FieldColumns(field.name)
        sheet, application = as_texts(field, columns.value, columns.current)
        sheet = pl.coalesce(columns.raw_text, sheet)
        differs = ~pl.col(columns.agrees).fill_null(value=True)
        seen = (pl.col(IDENTIFIER), sheet, application)
        cases.append(Case("check-differs", differs, field.name, (sheet, application), seen))
    return cases


def record_cases(inputs: Inputs, settings: Settings) -> list[Case]:
    """Rows that may be in already, or whose record an earlier pass deleted or others changed."""
    new = pl.col(ROW_ID) >= inputs.first_new
    may_be_in = pl.col(CREATES) & new & pl.lit(inputs.unmatched_creates > 0)
    cases = [
        Case("may-be-in", may_be_in, seen=(pl.col(ROW_ID),)),
        Case("deleted-before", pl.col(DELETED_BY_PASS) & pl.col(EDITED_SINCE), seen=(pl.col(ALL_CELLS),)),
    ]
    if settings.operation == Operation.DELETE:
        cases.append(Case("changed-since", pl.col(CHANGED).is_not_null(), seen=(pl.col(IDENTIFIER), pl.col(CHANGED))))
    return cases
