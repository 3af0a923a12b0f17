"""Options that say the rules of fields → lanes."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from vexo.core.columns.lanes import PLAIN, Blank, Lane, lanes_from_json

if TYPE_CHECKING:
    from vexo.server.trips.models import Trip


def _pair(option: str, said: str) -> tuple[str, str]:
    from vexo.server.errors import PlainError

    field, equals, text = said.partition("=")
    if not equals or not field:
        raise PlainError(f"{option} {said!r} should be FIELD=…")
    return field, text


def lanes_said(
    trip: Trip,
    blanks: tuple[str, ...],
    defaults: tuple[str, ...],
    updates: tuple[str, ...],
    only_empty: tuple[str, ...],
    always: tuple[str, ...],
) -> dict[str, Lane]:
    """The lanes that options change, on top of those that the trip has; ``*`` stands for every carried field."""
    from vexo.server.errors import PlainError

    lanes = lanes_from_json(trip.lanes)
    carried = [c["field_name"] for c in trip.standing.get("columns", []) if c["carried"]]
    changed: dict[str, Lane] = {}

    def lay(names: tuple[str, ...], **rules: object) -> None:
        for name in [one for said in names for one in (carried if said == "*" else [said])]:
            changed[name] = replace(changed.get(name, lanes.get(name, PLAIN)), **rules)  # type: ignore[arg-type]

    for said in blanks:
        field, word = _pair("--blank", said)
        if word not in (Blank.LEAVE, Blank.CLEAR):
            raise PlainError(f"--blank {said!r}: a blank cell means leave or clear; a text with --default.")
        lay((field,), blank=Blank(word), default="", updates=False)
    for said in defaults:
        field, text = _pair("--default", said)
        lay((field,), blank=Blank.DEFAULT, default=text)
    lay(updates, updates=True)
    lay(only_empty, only_empty=True)
    lay(always, only_empty=False)
    return changed
