"""Writing the journal."""

from __future__ import annotations

from typing import Protocol

from .models import Entry


class Named(Protocol):
    """What an entry tells of an application."""

    name: str
    stage: str


def note(
    who: str,
    what: str,
    said: str,
    application: Named | None = None,
    trip: int | None = None,
    rows: int | None = None,
    file: str = "",
) -> Entry:
    """Add an entry: ``what`` is a short word to filter by, ``said`` the sentence for people."""
    return Entry.objects.create(
        who=who,
        what=what,
        said=said,
        application=application.name if application else "",
        stage=application.stage if application else "",
        trip=trip,
        rows=rows,
        file=file,
    )
