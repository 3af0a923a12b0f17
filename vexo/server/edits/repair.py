"""Damaged cells put back to what they were."""

from __future__ import annotations

import polars as pl

from vexo.core.sheets.overlay.edits import CHANGES, EditError
from vexo.core.sheets.sheet import ROW_ID

from .. import artifacts
from ..errors import PlainError
from ..jobs.models import Job
from ..people.models import Person
from ..trips.models import Edit
from ..trips.part_view import PartView
from ..trips.sheet_cells import headers_of
from ..trips.sheets import newest_sheet
from .edits import make

WORDS = {
    "lost-zeros": "zeros lost",
    "lost-figures": "figures lost at an end",
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


def repair(
    view: PartView, person: Person, damage: str, kind: str = "", column: str = "", *, run_here: bool = False
) -> tuple[Edit, Job]:
    """Put damaged cells back to what they were: of one kind in one column, or all that can be (both empty).

    Args:
        damage: the artifact with the damage that the plan found which the person saw; empty where it found none.

    Raises:
        NotAllowed, PlainError, EditError
    """
    if not damage:
        raise PlainError("Nothing is known to be damaged.", "no-damage")
    damaged = artifacts.read(damage).drop_nulls("repair")
    if kind:
        damaged = damaged.filter((pl.col("kind") == kind) & (pl.col("column") == column))
    if damaged.is_empty():
        raise EditError("For none of these cells is it known what stood there.")
    header = headers_of(newest_sheet(view)).get(column, column)
    words = f"Repaired {header}: {WORDS[kind]}" if kind else "Repaired all that was damaged"
    changes = damaged.select(ROW_ID, "column", pl.col("repair").alias("text")).cast(dict(CHANGES))  # type: ignore[arg-type]
    columns = changes["column"].unique(maintain_order=True).to_list()
    return make(view, person, "repair", words, columns, lambda _: changes, run_here=run_here)
