"""Writing the journal."""

from __future__ import annotations

from typing import Any, Protocol

from django.db import transaction
from django.utils import timezone

from vexo.core.wording import shortened

from .models import Entry
from .seals import seal
from .way_in import way_in

BY_ITSELF = "Vexo"
"""Who the journal says did what nobody asked for."""


class Named(Protocol):
    """What an entry tells of an application."""

    name: str
    stage: str


def note(
    who: str,
    what: str,
    message: str,
    application: Named | None = None,
    trip: int | None = None,
    rows: int | None = None,
    file: str = "",
) -> Entry:
    """Add an entry: ``what`` is a short word to filter by, ``message`` the sentence for people.

    Within the transaction of what it tells of, it is written exactly once, whatever dies in between.
    """
    with transaction.atomic(savepoint=False):
        last = Entry.objects.order_by("-id").values("id", "at", "seal").first()
        now = timezone.now()
        values: dict[str, Any] = {
            "at": max(now, last["at"]) if last else now,
            "who": who[:150],
            "what": what,
            "message": message,
            "application": application.name if application else "",
            "stage": application.stage if application else "",
            "trip": trip,
            "rows": rows,
            "file": shortened(file, 200),
            "way": way_in(),
        }
        number, before = (last["id"] + 1, last["seal"]) if last else (1, "")
        return Entry.objects.create(id=number, **values, seal=seal(before, values))
