"""Rows of a plan as people read them: old, new and kept value of each cell."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.planning.comparing import do_column, kept_column, new_column, old_column
from vexo.core.planning.verdicts import Do
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW
from vexo.core.values import to_text

from .planning import Planned

DO_NAMES = {Do.NOTHING: "nothing", Do.WRITE: "write", Do.HELD: "held", Do.BAD: "unreadable"}


def rows_as_json(planned: Planned, plan: pl.DataFrame) -> list[dict[str, Any]]:
    """Each row with its verdict, and the cells that are written, held or unreadable."""
    carried = planned.settings.carried
    rows = plan[ROW].to_list()
    cells = planned.cells.filter(pl.col(ROW).is_in(plan[ROW].implode()))
    columns = {m.field.name: m.column for m in planned.matches if m.field}
    texts: dict[str, list[str | None]] = {}
    for name in carried:
        field = planned.record_type.field(name)
        for column in (old_column, new_column, kept_column):
            texts[column(name)] = to_text(field, plan[column(name)]).to_list()
        texts[do_column(name)] = plan[do_column(name)].to_list()
    raw = {
        name: dict(zip(cells[ROW].to_list(), cells[column].to_list(), strict=True)) for name, column in columns.items()
    }
    base = plan.select(ROW, "verdict", "reason", "field", pl.col(IDENTIFIER).alias("identifier")).to_dicts()
    for at, line in enumerate(base):
        line["key"] = [raw[name].get(rows[at]) for name in planned.settings.key]
        line["cells"] = {
            name: {
                "do": DO_NAMES[do],
                "old": texts[old_column(name)][at],
                "new": texts[new_column(name)][at] if do != Do.BAD else None,
                "kept": texts[kept_column(name)][at],
                "cell": raw[name].get(rows[at]),
            }
            for name in carried
            if (do := int(texts[do_column(name)][at] or 0)) != Do.NOTHING
        }
    return base
