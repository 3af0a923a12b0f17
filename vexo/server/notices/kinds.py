"""What people are told of."""

from __future__ import annotations

from enum import StrEnum

from ..people.models import Role


class NoticeKind(StrEnum):
    """What happened."""

    APPROVAL_ASKED = "approval asked"
    APPROVAL_ANSWERED = "approval answered"
    PASS_ENDED = "pass ended"
    PASS_INTERRUPTED = "pass interrupted"
    PART_BACK = "part back"
    ROUTE_WAITS = "route waits"
    BACKUP_FAILED = "backup failed"
    DISK = "disk"


KINDS = [str(kind) for kind in NoticeKind]
"""All of them, as the API names them."""
SAYS: dict[NoticeKind, str] = {
    NoticeKind.APPROVAL_ASKED: "somebody asks for an approval that you could give",
    NoticeKind.APPROVAL_ANSWERED: "an approval that you asked for is given, or sent back",
    NoticeKind.PASS_ENDED: "a pass of yours, or of a trip of yours, has ended",
    NoticeKind.PASS_INTERRUPTED: "such a pass was interrupted, or did not begin at its time",
    NoticeKind.PART_BACK: "a sheet came back in on a trip of yours, by somebody else",
    NoticeKind.ROUTE_WAITS: "a route that runs by itself waits for you",
    NoticeKind.BACKUP_FAILED: "a backup could not be made",
    NoticeKind.DISK: "the disk of Vexo is nearly full",
}
LEAST_ROLE: dict[NoticeKind, Role] = {
    kind: Role.ADMINISTRATOR if kind in (NoticeKind.BACKUP_FAILED, NoticeKind.DISK) else Role.PREPARER
    for kind in NoticeKind
}
"""Whom a kind concerns at all."""
