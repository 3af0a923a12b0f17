"""Sharing out: which records go on which sheet."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from vexo.core.documents import Share
from vexo.core.records import Catalogue, Field, RecordType
from vexo.core.sheets.writers.outgoing import MOST_ROWS, cells_of
from vexo.core.wording import thousands

from ..errors import PlainError
from .record_pieces import Pieces

MOST_PARTS = 500
"""Sheets that one trip is shared out to: as many as a department has people."""


@dataclass(frozen=True)
class PartPlan:
    """One sheet to be written: its number and name, and the places of its records in their order."""

    number: int
    label: str
    places: pl.Series


def _labels(pieces: Pieces, share: Share, field: Field, record_type: RecordType, catalogue: Catalogue) -> pl.Series:
    """For each record the name of its sheet."""
    texts = pl.concat([cells_of([field], piece, record_type, catalogue)["c0"] for piece in pieces])
    groups = {value: name for name, values in share.groups for value in values}
    taken = texts.filter(~texts.is_in(list(groups)) & texts.is_in([name for name, _ in share.groups]))
    if len(taken):
        raise PlainError(
            f"A group is called {taken[0]}, which is also a value of {field.label} that is in no group. "
            "Give the group another name, or put the value into one.",
            "groups",
        )
    named = texts.replace(groups) if groups else texts
    return named.fill_null(f"No {field.label}")


def share_out(
    pieces: Pieces, places: pl.Series, share: Share | None, record_type: RecordType, catalogue: Catalogue
) -> list[PartPlan]:
    """The sheets of a trip: one, or one for each value or group, in the order of the groups and then of the values.

    Where a sheet would hold more than a worksheet does, it is cut into several.

    Raises:
        PlainError: for a field with more values than anyone wants sheets.
    """
    if share is None or not len(places):
        return _cut([("", places)])
    field = catalogue.field(record_type, share.field)
    labels = _labels(pieces, share, field, record_type, catalogue).gather(places)
    first = [name for name, _ in share.groups]
    values = labels.unique().sort().to_list()
    if len(values) > MOST_PARTS:
        raise PlainError(
            f"{field.label} has {thousands(len(values))} values here, and a trip is shared out to at most "
            f"{MOST_PARTS}. "
            "Make groups of them, or choose another field.",
            "parts",
        )
    wanted = [*[name for name in first if name in values], *[name for name in values if name not in first]]
    return _cut([(name, places.filter(labels == name)) for name in wanted])


def _cut(sheets: list[tuple[str, pl.Series]]) -> list[PartPlan]:
    part_plans: list[PartPlan] = []
    for label, places in sheets:
        starts = range(0, max(len(places), 1), MOST_ROWS)
        for number, start in enumerate(starts, start=1):
            words = f"{label} {number} of {len(starts)}".strip() if len(starts) > 1 else label
            part_plans.append(PartPlan(len(part_plans) + 1, words, places.slice(start, MOST_ROWS)))
    return part_plans
