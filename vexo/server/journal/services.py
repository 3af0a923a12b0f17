"""Writing the journal, and seeing whether it is whole."""

from __future__ import annotations

import hashlib
import json
from typing import Any, Protocol

from django.db import transaction
from django.utils import timezone

from .models import Entry

_SEALED = ("at", "who", "what", "message", "application", "stage", "trip", "rows", "file")


class Named(Protocol):
    """What an entry tells of an application."""

    name: str
    stage: str


def _seal(before: str, values: dict[str, Any]) -> str:
    sealed = [before, values["at"].isoformat(), *[values[name] for name in _SEALED[1:]]]
    return hashlib.sha256(json.dumps(sealed, ensure_ascii=False).encode()).hexdigest()


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
            "file": file[:200],
        }
        number, before = (last["id"] + 1, last["seal"]) if last else (1, "")
        return Entry.objects.create(id=number, **values, seal=_seal(before, values))


def verify() -> tuple[int, str, int | None]:
    """Whether the journal is as it was written.

    Returns:
        how many entries there are, the last seal (kept elsewhere, it shows entries cut off at the end), and the number
        of the first entry that is not as it was written, or None.
    """
    before, count = "", 0
    for entry in Entry.objects.order_by("id").values("id", "seal", *_SEALED).iterator(1000):
        count += 1
        if _seal(before, entry) != entry["seal"]:
            return count, before, int(entry["id"])
        before = entry["seal"]
    return count, before, None
