"""All rows of a plan as data, for the command line."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.planning.frame import FAULTS, VERDICT, each
from vexo.core.planning.verdicts import CELL_STATES, CellAction, RowState
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import to_text

from ..planning.context import PlanContext
from ..trips.answers import options_for_row
from ..trips.facts import to_json
from .windows import faults_of


def rows_as_json(context: PlanContext, plan: pl.DataFrame) -> list[dict[str, Any]]:
    """Each row with its verdict, faults and answers, and the cells that are written, held or unreadable."""
    carried = context.settings.carried
    rows = plan[ROW_ID].to_list()
    cells = context.cells.filter(pl.col(ROW_ID).is_in(plan[ROW_ID].implode()))
    sheet_columns = {m.field.name: m.column for m in context.matches if m.field and m.column}
    texts: dict[str, list[Any]] = {}
    for columns in each(carried):
        field = context.record_type.field(columns.name)
        for column in (columns.current, columns.proposed, columns.base_sent, columns.base_app):
            texts[column] = to_text(field, plan[column]).to_list()
        texts[columns.action] = plan[columns.action].to_list()
    numbers = cells[ROW_ID].to_list()
    raw = {name: dict(zip(numbers, cells[column].to_list(), strict=True)) for name, column in sheet_columns.items()}
    lines = plan.select(ROW, ROW_ID, VERDICT, FAULTS, IDENTIFIER).to_dicts()
    exported = []
    for at, line in enumerate(lines):
        faults = faults_of(context, {**line, "state": line[VERDICT]})
        answers = options_for_row(RowState(line[VERDICT]), [fault.code for fault in faults])
        exported.append(
            {
                ROW: line[ROW],
                ROW_ID: line[ROW_ID],
                VERDICT: line[VERDICT],
                "identifier": line[IDENTIFIER],
                "faults": to_json(faults),
                "answers": to_json(answers),
                "reason": faults[0].says if faults else None,
                "key": [raw.get(name, {}).get(rows[at]) for name in context.settings.key],
                "cells": {
                    columns.name: {
                        "action": CELL_STATES[action].value,
                        "current": texts[columns.current][at],
                        "proposed": texts[columns.proposed][at] if action != CellAction.BAD else None,
                        "sent": texts[columns.base_app if action == CellAction.HELD else columns.base_sent][at],
                        "cell": raw.get(columns.name, {}).get(rows[at]),
                    }
                    for columns in each(carried)
                    if (action := int(texts[columns.action][at] or 0)) != CellAction.NOTHING
                },
            }
        )
    return exported
