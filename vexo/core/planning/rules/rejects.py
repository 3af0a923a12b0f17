"""What rejects a row or one of its cells."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ...columns.marks import CLEAR, LEAVE
from ...faults import CELL_CODES
from ...operations import Operation
from ...problems import Case, arguments_of, code_of
from ...records import Field
from ..frame import BOUND, CREATES, DELETED_BY_PASS, GONE, KEY_MATCHES, FieldColumns, each
from ..inputs import Inputs, Settings
from ..verdicts import CellAction

_MOST_ARGUMENTS = 3
"""Arguments that a cell's problem has at most."""


def _arguments(columns: FieldColumns) -> tuple[pl.Expr, ...]:
    """The arguments of a field's problems: they differ in number from row to row, so as many as any can have."""
    arguments = arguments_of(pl.col(columns.problem))
    return tuple(arguments.list.get(at, null_on_oob=True) for at in range(_MOST_ARGUMENTS))


def _problem_cases(frame: pl.DataFrame, columns: FieldColumns, bad: pl.Expr) -> list[Case]:
    """One case for each problem that cells of a field have."""
    problem = pl.col(columns.problem)
    codes = frame.select(code_of(problem).filter(bad).unique()).to_series().to_list()
    return [
        Case(code, bad & (code_of(problem) == code), columns.name, _arguments(columns), (pl.col(columns.raw_text),))
        for code in CELL_CODES
        if code in codes
    ]


def unreadable_cases(frame: pl.DataFrame, fields: Sequence[Field]) -> list[Case]:
    """Cells that cannot be read, but where it is asked how."""
    bad = {
        columns.name: (pl.col(columns.action) == CellAction.BAD) & ~pl.col(columns.asked)
        for columns in each(field.name for field in fields)
    }
    if not bad:
        return []
    has_cells = frame.select(cells.any().alias(name) for name, cells in bad.items()).row(0, named=True)
    return [
        case
        for name, cells in bad.items()
        if has_cells[name]
        for case in _problem_cases(frame, FieldColumns(name), cells)
    ]


def key_cases(inputs: Inputs, settings: Settings) -> list[Case]:
    """Keys that cannot be read, are blank, or lead nowhere or too far; and those that wait for an answer about their
    column. Such a cell cannot be left out: the row would be about no record, or another."""
    record_type, key = inputs.record_type, each(settings.key)
    if not key:
        return []
    first, creates = settings.key[0], settings.operation.creates
    by_identifier = settings.key == (record_type.identifier,)
    bound = pl.col(BOUND).is_not_null() | pl.col(DELETED_BY_PASS)
    cases: list[Case] = []
    for columns in key:
        key_asked, unread = pl.lit(columns.name in settings.asked), pl.col(columns.problem).is_not_null()
        none = pl.col(columns.key).is_null() & ~unread
        reason = (code_of(pl.col(columns.problem)), *_arguments(columns))
        cases.append(Case("key-unread", unread & ~key_asked, columns.name, reason))
        cases.append(Case("key-asked", key_asked & ~none, columns.name))
        if not (by_identifier and creates):
            cases.append(Case("key-blank", none & ~bound, columns.name))
    bound = bound | pl.lit(bool(settings.asked.intersection(settings.key)))
    blank = pl.any_horizontal([pl.col(columns.key).is_null() for columns in key])
    several = (pl.col(KEY_MATCHES) > 1) & ~bound & pl.lit(settings.operation == Operation.DELETE)
    cases.append(Case("finds-several", several, first, (pl.col(KEY_MATCHES), pl.lit(record_type.plural))))
    lost = (pl.col(KEY_MATCHES) == 0) & ~pl.col(GONE) & ~bound & ~blank
    if by_identifier and creates and record_type.field(record_type.identifier).read_only:
        unknown = lost & pl.col(FieldColumns(record_type.identifier).key).is_not_null()
        cases.append(Case("unknown-identifier", unknown, first))
    return cases


def value_cases(frame: pl.DataFrame, inputs: Inputs, settings: Settings, fields: Sequence[Field]) -> list[Case]:
    """Cells that cannot be read, and records that would lack what they must have."""
    record_type, creates = inputs.record_type, pl.col(CREATES)
    label = pl.lit(record_type.label)
    cases = unreadable_cases(frame, [field for field in fields if field.name not in settings.key])
    for field in fields:
        if not field.required:
            continue
        columns = FieldColumns(field.name)
        action, says = pl.col(columns.action), pl.col(columns.cell_says)
        cases.append(
            Case("required-empty", action.is_in([CellAction.WRITE, CellAction.HELD]) & (says == CLEAR), field.name)
        )
        if not field.has_default:
            none = creates & ((says == LEAVE) | (action == CellAction.NOTHING))
            cases.append(Case("required-new", none, field.name, (label,)))
    carried = {field.name for field in fields}
    for field in record_type.fields:
        if field.required and not field.has_default and not field.read_only and field.name not in carried:
            cases.append(Case("required-column", creates, field.name, (label,)))
    return cases
