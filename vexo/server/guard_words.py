"""Guards in words: what each looks for, with its limits in braces, and what it can do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from vexo.core.guards import GUARDS, Guard, GuardMode, GuardName


@dataclass(frozen=True)
class GuardWords:
    """A guard's name for people, and when it speaks: a sentence's end in which a limit's name in braces is its
    number."""

    title: str
    when: str


WORDS: Mapping[GuardName, GuardWords] = {
    GuardName.LOST_POINT: GuardWords(
        "Lost point",
        "a number becomes 10, 100 or 1,000 times what is there, or that part of it, give or take {within} %",
    ),
    GuardName.FAR_OUT: GuardWords(
        "Far out",
        "a number or day lies more than {ranges} times the width of the field's middle half outside of it; where there "
        "are fewer than {values} values, ten times beyond all of them",
    ),
    GuardName.DUPLICATE: GuardWords(
        "Duplicate", "a unique field would get a value that another record keeps, or that another row writes too"
    ),
    GuardName.LIKENESS: GuardWords(
        "Likeness",
        "a row matched by nothing has the name, mail address or phone of a record, or of a row before it",
    ),
    GuardName.CHECK: GuardWords("Check", "a column that is only compared says something else than the record"),
    GuardName.DAMAGED: GuardWords("Damage", "a spreadsheet seems to have changed a cell that would be written"),
    GuardName.MANY_CHANGES: GuardWords(
        "Many changes", "more than {share} % of a record type, and at least {least} records, would be changed"
    ),
    GuardName.MANY_DELETES: GuardWords(
        "Many deletions",
        "more than {share} % of a record type or more than {number} records, and at least {least}, would be deleted",
    ),
    GuardName.FIELD_EMPTIED: GuardWords(
        "Emptied", "more than {share} % of a field's values, and at least {least} of them, would be cleared"
    ),
    GuardName.MOSTLY_NEW: GuardWords(
        "Mostly new", "at least {least} new records would be made, and more than are changed"
    ),
    GuardName.ALL_ALIKE: GuardWords("All alike", "at least {least} cells of a field change, and all to the same value"),
    GuardName.EXPECTED: GuardWords("Expected", "a count or sum that was typed in at File does not agree"),
}


def mode_words(name: GuardName, mode: GuardMode) -> str:
    """What a guard does in a mode."""
    holds = "hold the rows" if GUARDS[name].codes and name != GuardName.FIELD_EMPTIED else "ask first"
    return {GuardMode.HOLD: holds, GuardMode.SAY: "only say it", GuardMode.OFF: "nothing"}[mode]


def limit_names(guard: Guard) -> list[str]:
    """The names of a guard's limits, in their order."""
    return [limit.name for limit in guard.limits]
