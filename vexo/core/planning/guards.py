"""Guards of the whole plan: how much it does, where that is more than people usually mean. Rules: ``semantics.md`` 7.

They change no verdict. Each is asked once, or only said; an answer counts until the number rises above the one that was
answered. What *make the same* deletes is answered record by record: as many others are another question.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from ..guards import GuardMode, GuardName, GuardSettings
from ..operations import Operation
from .verdicts import Verdict


class GuardCode(StrEnum):
    """What a guard of the whole plan asks about."""

    MANY_CHANGES = "many-changes"
    MANY_DELETES = "many-deletes"
    FIELD_EMPTIED = "field-emptied"
    MOSTLY_NEW = "mostly-new"
    MAKES_SAME = "makes-same"
    ALL_ALIKE = "all-alike"


@dataclass(frozen=True)
class FieldChanges:
    """What a plan does to a field of records that are there: ``changed`` cells, of which ``cleared`` empty one that is
    ``filled`` in so many of the rows' records; ``alike``: the one value that all of them get, as a text, or None."""

    field: str
    changed: int
    cleared: int
    filled: int
    alike: str | None


@dataclass(frozen=True)
class Raised:
    """A guard that speaks: about how many records, of how many; of one field, and of the value that it gets, where it
    is about these. ``asks``: it waits for an answer."""

    code: GuardCode
    count: int
    of: int
    field: str = ""
    value: str = ""
    asks: bool = True


@dataclass(frozen=True)
class Extent:
    """How much a plan does.

    Attributes:
        verdicts: rows by verdict.
        type_size: how many records the type has; 0 where that is not known.
        absent: records to be deleted that have no row.
        fields: what it does to each field.
    """

    verdicts: Mapping[str, int]
    operation: Operation
    type_size: int
    absent: int = 0
    fields: Sequence[FieldChanges] = ()


def raised(extent: Extent, guards: GuardSettings) -> list[Raised]:
    """The guards that a plan raises."""
    spoken = [*_of_rows(extent, guards), *_of_fields(extent.fields, guards)]
    if extent.absent:
        spoken.append(Raised(GuardCode.MAKES_SAME, extent.absent, extent.type_size))
    order = list(GuardCode)
    return sorted(spoken, key=lambda guard: (not guard.asks, order.index(guard.code)))


def _of_rows(extent: Extent, guards: GuardSettings) -> Iterator[Raised]:
    numbers = (extent.verdicts.get(v, 0) for v in (Verdict.UPDATE, Verdict.DELETE, Verdict.CREATE))
    changed, deleted, new = numbers
    size = extent.type_size
    if _speaks(GuardName.MANY_CHANGES, guards, changed) and changed > _share(GuardName.MANY_CHANGES, guards) * size:
        yield _raised(GuardCode.MANY_CHANGES, guards, changed, size)
    over = deleted > _share(GuardName.MANY_DELETES, guards) * size
    if _speaks(GuardName.MANY_DELETES, guards, deleted) and (
        over or deleted > guards.limit(GuardName.MANY_DELETES, "number")
    ):
        yield _raised(GuardCode.MANY_DELETES, guards, deleted, size)
    makes = extent.operation in (Operation.UPSERT, Operation.MAKE_SAME)
    if makes and new > changed and _speaks(GuardName.MOSTLY_NEW, guards, new):
        yield _raised(GuardCode.MOSTLY_NEW, guards, new, changed)


def _of_fields(fields: Sequence[FieldChanges], guards: GuardSettings) -> Iterator[Raised]:
    for one in fields:
        over = one.cleared > _share(GuardName.FIELD_EMPTIED, guards) * one.filled
        if _speaks(GuardName.FIELD_EMPTIED, guards, one.cleared) and over:
            yield _raised(GuardCode.FIELD_EMPTIED, guards, one.cleared, one.filled, one.field)
        elif one.alike is not None and _speaks(GuardName.ALL_ALIKE, guards, one.changed):
            yield _raised(GuardCode.ALL_ALIKE, guards, one.changed, 0, one.field, one.alike)


def _speaks(name: GuardName, guards: GuardSettings, count: int) -> bool:
    return guards.mode(name) != GuardMode.OFF and count >= guards.limit(name, "least")


def _share(name: GuardName, guards: GuardSettings) -> float:
    return float(guards.limit(name, "share")) / 100


def _raised(code: GuardCode, guards: GuardSettings, count: int, of: int, field: str = "", value: str = "") -> Raised:
    return Raised(code, count, of, field, value, guards.mode(GuardName(code.value)) == GuardMode.HOLD)
