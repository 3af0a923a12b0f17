"""Guards of the whole plan: how much it does, where that is more than people usually mean. Rules: ``semantics.md`` 7.

They change no verdict. Each is asked once; an answer counts until the number rises above the one that was answered.
What *make the same* deletes is answered record by record: as many others are another question.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from ..operations import Operation
from .verdicts import Verdict


class GuardCode(StrEnum):
    """What a guard of the whole plan asks about."""

    MANY_CHANGES = "many-changes"
    MANY_DELETES = "many-deletes"
    MOSTLY_NEW = "mostly-new"
    MAKES_SAME = "makes-same"


CHANGED_SHARE, LEAST_CHANGED = 0.2, 20
"""Share of a type's records above which changes are asked about, and how many these are at least."""
DELETED_SHARE, MOST_DELETED, LEAST_DELETED = 0.01, 50, 5
"""Share of a type's records, or number, above which deletions are asked about, and how many these are at least."""
LEAST_NEW = 10
"""New records that are asked about at least, where they are more than those that change."""


@dataclass(frozen=True)
class Raised:
    """A guard that asks: about how many records, of how many."""

    code: GuardCode
    count: int
    of: int


def raised(verdicts: Mapping[str, int], operation: Operation, type_size: int, absent: int = 0) -> list[Raised]:
    """The guards that a plan raises.

    Args:
        verdicts: rows by verdict.
        type_size: how many records the type has; 0 where that is not known.
        absent: records to be deleted that have no row.
    """
    changed, deleted, new = (verdicts.get(v, 0) for v in (Verdict.UPDATE, Verdict.DELETE, Verdict.CREATE))
    asks = []
    if changed >= LEAST_CHANGED and changed > CHANGED_SHARE * type_size:
        asks.append(Raised(GuardCode.MANY_CHANGES, changed, type_size))
    if deleted >= LEAST_DELETED and (deleted > DELETED_SHARE * type_size or deleted > MOST_DELETED):
        asks.append(Raised(GuardCode.MANY_DELETES, deleted, type_size))
    if absent:
        asks.append(Raised(GuardCode.MAKES_SAME, absent, type_size))
    if operation in (Operation.UPSERT, Operation.MAKE_SAME) and new >= LEAST_NEW and new > changed:
        asks.append(Raised(GuardCode.MOSTLY_NEW, new, changed))
    return asks
