"""What is open on a trip: everything that waits for a person, in one list for the screens, the API and the commands."""

from __future__ import annotations

from dataclasses import dataclass, field

from vexo.core.planning.verdicts import RowState

from .columns import Option
from .rows import AnswerOption
from .status import StationName


@dataclass(frozen=True, slots=True)
class OpenItem:
    """One thing that is open.

    Attributes:
        code: what kind of thing: a question about columns (``field``, ``form``, ``unit``, ``separator``, ``conflict``),
            ``route``, ``expected``, ``damage``, ``changed-elsewhere``, or the code of a fault that holds or stops rows.
        says: it in words.
        count: how many columns, cells or rows it is about.
        stops: nothing is sent before it is answered; rows that wait stay behind and stop nothing.
        station: where it is put right.
        of: the field by its name, or the column by its header, of a question about columns.
        options: its answers that change columns and lanes, ``answers`` those that decide about rows.
        sure: only one answer fits.
        state: the state of the rows behind it, and ``field`` the field of their fault.
    """

    code: str
    says: str
    count: int
    stops: bool
    station: StationName
    of: str = ""
    options: list[Option] = field(default_factory=list)
    answers: list[AnswerOption] = field(default_factory=list)
    sure: bool = False
    state: RowState | None = None
    field: str = ""
