"""Plans as tables on a terminal."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import polars as pl

from vexo.core.planning.frame import FieldColumns
from vexo.core.planning.verdicts import CellAction
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import to_text

from .terminal import SIGNS

if TYPE_CHECKING:
    from rich.table import Table
    from rich.text import Text

    from vexo.server.planning.context import PlanContext


def _cell(line: dict[str, Any], texts: dict[str, dict[int, str]], name: str) -> Text:
    from rich.text import Text

    columns = FieldColumns(name)
    row, do = line[ROW_ID], line[columns.action]
    old, new, kept = (texts[c].get(row) or "" for c in (columns.current, columns.proposed, columns.base_app))
    raw = texts.get(f"raw.{name}", {}).get(row) or ""
    if do == CellAction.BAD:
        return Text(raw, style="bold magenta")
    if do == CellAction.HELD:
        return Text(f"{old or '·'} ⇄ {new or '·'} (was {kept or '·'})", style="yellow")
    if do == CellAction.WRITE:
        return Text(f"{old or '·'} → {new or '·'}" if line["verdict"] != "create" else new, style="bold")
    return Text(old or new, style="dim")


def plan_table(context: PlanContext, plan: pl.DataFrame, changed: list[str]) -> Table:
    """Rows with their verdict, keys, old → new of the changed columns, and the reason."""
    from rich.table import Table

    record_type = context.record_type
    keys = [name for name in context.settings.key if name not in changed]
    table = Table(box=None, header_style="bold", pad_edge=False)
    table.add_column("Row", justify="right")
    table.add_column("Verdict")
    for name in [*keys, *changed]:
        table.add_column(record_type.field(name).label)
    table.add_column("Reason", max_width=60)
    from vexo.server.rows.windows import fault_words

    rows = plan[ROW_ID].to_list()
    cells = context.cells.filter(pl.col(ROW_ID).is_in(rows))
    texts: dict[str, dict[int, str]] = {}
    for match in context.matches:
        if match.field is not None and match.column:
            texts[f"raw.{match.field.name}"] = dict(
                zip(cells[ROW_ID].to_list(), cells[match.column].to_list(), strict=True)
            )
    for name in changed:
        columns = FieldColumns(name)
        for column in (columns.current, columns.proposed, columns.base_app):
            values = to_text(record_type.field(name), plan[column]).to_list()
            texts[column] = dict(zip(rows, values, strict=True))
    for line in plan.iter_rows(named=True):
        key_cells = [texts.get(f"raw.{name}", {}).get(line[ROW_ID]) or "" for name in keys]
        values = [_cell(line, texts, name) for name in changed]
        verdict = line["verdict"]
        words = " ".join(fault_words(context, fault) for fault in line["faults"])
        table.add_row(str(line[ROW]), f"{SIGNS[verdict]} {verdict}", *key_cells, *values, words)
    return table
