"""The approval of a plan by somebody else, as a trip's status tells it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Annotated, Any

from ...shapes import Serialized


class ApprovalState(StrEnum):
    """How an approval stands."""

    ASKED = "asked"
    APPROVED = "approved"
    SENT_BACK = "sent back"


@dataclass(frozen=True, slots=True)
class ApprovalFacts:
    """An approval that was asked for a plan, by whom and with which ``note``; and who gave it or sent it back, with
    which ``word``."""

    plan: int
    state: ApprovalState
    asked_by: str
    asked_at: datetime
    note: str = ""
    by: str = ""
    at: datetime | None = None
    word: str = ""


@dataclass(frozen=True, slots=True)
class Approval:
    """The approval of a trip's newest plan. ``why`` it is needed, empty where it is not; ``state`` of the one that was
    asked for this very plan, None where none was; ``may_approve``: this person may; ``others``: who could, by name;
    ``may_lift``: nobody could, and this person may let it go without, with a reason."""

    why: str
    state: ApprovalState | None
    asked_by: Annotated[Any, Serialized("vexo.server.who.WhoSerializer", allow_null=True)]
    note: str
    by: Annotated[Any, Serialized("vexo.server.who.WhoSerializer", allow_null=True)]
    word: str
    may_approve: bool
    others: list[str]
    may_lift: bool
