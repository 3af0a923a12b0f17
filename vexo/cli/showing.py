"""Plans and sums as tables on a terminal."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import polars as pl
from rich.console import Console
from rich.table import Table
from rich.text import Text

from vexo.core.planning.comparing import do_column, new_column, old_column
from vexo.core.planning.pairs import said_column
from vexo.core.planning.verdicts import Do
from vexo.core.sheets.sheet import ROW, ROW_ID
from vexo.core.values import to_text

if TYPE_CHECKING:
    from vexo.server.bringin.models import Edit
    from vexo.server.review.models import Decision
    from vexo.server.review.plans import Reviewed

SIGNS = {
    "create": "+",
    "update": "△",
    "same": "=",
    "delete": "−",
    "held": "?",
    "rejected": "×",
    "aside": "‖",
    "created": "+",
    "updated": "△",
    "deleted": "−",
    "refused": "×",
    "unclear": "≈",
    "waiting": "○",
}


def console() -> Console:
    """Standard output; without a terminal, wide enough that nothing is cut."""
    out = Console(markup=False, highlight=False)
    return out if out.is_terminal else Console(width=240, markup=False, highlight=False)


def print_made(columns: Sequence[str], made: Sequence[tuple[Edit | Decision, str]], none: str) -> None:
    """What people made on a trip, each with its words; ``none`` is said where there is nothing."""
    table = Table(*columns, "By", "When", box=None, header_style="bold")
    for one, words in made:
        table.add_row(str(one.pk), words, f"{one.count:,}", one.by, f"{one.at:%Y-%m-%d %H:%M}")
    console().print(table if made else none)


def sum_line(rows: int, terms: dict[str, int]) -> str:
    """The row sum in words."""
    parts = [f"{count:,} {name}" for name, count in terms.items() if count]
    return f"{rows:,} rows read = {' + '.join(parts) or '0'}"


def _cell(line: dict[str, Any], texts: dict[str, dict[int, str]], name: str) -> Text:
    row, do = line[ROW_ID], line[do_column(name)]
    old, new, kept = (texts[column(name)].get(row) or "" for column in (old_column, new_column, said_column))
    raw = texts.get(f"raw.{name}", {}).get(row) or ""
    if do == Do.BAD:
        return Text(raw, style="bold magenta")
    if do == Do.HELD:
        return Text(f"{old or '·'} ⇄ {new or '·'} (was {kept or '·'})", style="yellow")
    if do == Do.WRITE:
        return Text(f"{old or '·'} → {new or '·'}" if line["verdict"] != "create" else new, style="bold")
    return Text(old or new, style="dim")


def plan_table(planned: Reviewed, plan: pl.DataFrame, changed: list[str]) -> Table:
    """Rows with their verdict, keys, old → new of the changed columns, and the reason."""
    record_type = planned.record_type
    keys = [name for name in planned.settings.key if name not in changed]
    table = Table(box=None, header_style="bold", pad_edge=False)
    table.add_column("Row", justify="right")
    table.add_column("Verdict")
    for name in [*keys, *changed]:
        table.add_column(record_type.field(name).label)
    table.add_column("Reason", max_width=60)
    from vexo.server.review.windows import fault_words

    rows = plan[ROW_ID].to_list()
    cells = planned.cells.filter(pl.col(ROW_ID).is_in(rows))
    texts: dict[str, dict[int, str]] = {}
    for match in planned.matches:
        if match.field is not None and match.column:
            texts[f"raw.{match.field.name}"] = dict(
                zip(cells[ROW_ID].to_list(), cells[match.column].to_list(), strict=True)
            )
    for name in changed:
        for column in (old_column, new_column, said_column):
            values = to_text(record_type.field(name), plan[column(name)]).to_list()
            texts[column(name)] = dict(zip(rows, values, strict=True))
    for line in plan.iter_rows(named=True):
        key_cells = [texts.get(f"raw.{name}", {}).get(line[ROW_ID]) or "" for name in keys]
        values = [_cell(line, texts, name) for name in changed]
        verdict = line["verdict"]
        said = " ".join(fault_words(planned, fault) for fault in line["faults"])
        table.add_row(str(line[ROW]), f"{SIGNS[verdict]} {verdict}", *key_cells, *values, said)
    return table
