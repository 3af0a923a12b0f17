"""All rows of a plan as data, for the command line."""

from __future__ import annotations

from typing import Any

import polars as pl

from vexo.core.planning.comparing import do_column, new_column, old_column
from vexo.core.planning.pairs import said_column
from vexo.core.planning.verdicts import Do
from vexo.core.records import IDENTIFIER
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import to_text

from .plans import Reviewed
from .windows import fault_words

DO_NAMES = {Do.NOTHING: "nothing", Do.WRITE: "write", Do.HELD: "held", Do.BAD: "unreadable"}


def rows_as_json(planned: Reviewed, plan: pl.DataFrame) -> list[dict[str, Any]]:
    """Each row with its verdict and faults, and the cells that are written, held or unreadable."""
    carried = planned.settings.carried
    rows = plan[ROW_ID].to_list()
    cells = planned.cells.filter(pl.col(ROW_ID).is_in(plan[ROW_ID].implode()))
    columns = {m.field.name: m.column for m in planned.matches if m.field and m.column}
    texts: dict[str, list[Any]] = {}
    for name in carried:
        field = planned.record_type.field(name)
        for column in (old_column, new_column, said_column):
            texts[column(name)] = to_text(field, plan[column(name)]).to_list()
        texts[do_column(name)] = plan[do_column(name)].to_list()
    numbers = cells[ROW_ID].to_list()
    raw = {name: dict(zip(numbers, cells[column].to_list(), strict=True)) for name, column in columns.items()}
    base = plan.select(ROW, ROW_ID, "verdict", "faults", pl.col(IDENTIFIER).alias("identifier")).to_dicts()
    for at, line in enumerate(base):
        line["faults"] = [
            {"code": f["code"], "field": f["field"] or None, "says": fault_words(planned, f)} for f in line["faults"]
        ]
        line["reason"] = line["faults"][0]["says"] if line["faults"] else None
        line["key"] = [raw.get(name, {}).get(rows[at]) for name in planned.settings.key]
        line["cells"] = {
            name: {
                "do": DO_NAMES[do],
                "old": texts[old_column(name)][at],
                "new": texts[new_column(name)][at] if do != Do.BAD else None,
                "kept": texts[said_column(name)][at],
                "cell": raw.get(name, {}).get(rows[at]),
            }
            for name in carried
            if (do := int(texts[do_column(name)][at] or 0)) != Do.NOTHING
        }
    return base
