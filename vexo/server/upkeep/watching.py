"""Looking every ten minutes whether something is wrong that nobody sees, and telling administrators."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone

from vexo.core.wording import thousands

from ..health import LEAST_FREE
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..notices.kinds import NoticeKind
from ..notices.models import Notice
from ..notices.services import administrators, ask_for_mail, tell_people
from .disk import room_free

_SAID_EACH = timedelta(days=1)
"""How often it is said that the disk is nearly full, while it is."""


def watch(lease: Lease) -> dict[str, int]:
    """The job that looks: how much room is free, and whether e-mail is still to go."""
    free = room_free()
    if free < LEAST_FREE:
        told_lately = Notice.objects.filter(kind=NoticeKind.DISK, at__gt=timezone.now() - _SAID_EACH)
        if not told_lately.exists():
            with lease.writing():
                words = f"Only {thousands(free // 1024**2)} MB are free on the disk of Vexo. Make room; see Upkeep."
                tell_people(NoticeKind.DISK, administrators(), words)
    if Notice.objects.filter(to_mail=True).exists():
        ask_for_mail()
    ended = Job.objects.filter(kind__in=("watch", "mail", "look"), ended_at__lt=timezone.now() - timedelta(days=1))
    ended.delete()
    return {"free": free}
