"""Seals of journal entries: each holds its entry and the seal before it, under a key that the database has not."""

from __future__ import annotations

import hashlib
import hmac
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.conf import settings

from .models import Entry

SEALED = ("at", "who", "what", "message", "application", "stage", "trip", "rows", "file")
THINNED = "journal thinned"
"""Kind of the entry that tells which entries before it were taken off; its ``file`` is the seal of the last of them."""


def _text(before: str, values: Mapping[str, Any]) -> bytes:
    sealed = [before, values["at"].isoformat(), *[values[name] for name in SEALED[1:]]]
    if values["way"]:
        sealed.append(values["way"])
    return json.dumps(sealed, ensure_ascii=False).encode()


def old_seal(before: str, values: Mapping[str, Any]) -> str:
    """The seal of entries that were written before seals had a key."""
    return hashlib.sha256(_text(before, values)).hexdigest()


def seal(before: str, values: Mapping[str, Any]) -> str:
    """The seal of an entry: HMAC-SHA-256 of it and of the seal before, under a key made of the folder's."""
    key = hmac.digest(str(settings.SECRET_KEY).encode(), b"seals of the journal", "sha256")
    return hmac.new(key, _text(before, values), hashlib.sha256).hexdigest()


@dataclass(frozen=True)
class Verified:
    """What looking through the journal found.

    ``last_seal`` is that of the last entry that is as it was written, ``broken`` the number of the first that is not;
    ``without_key`` says how many of the first were sealed before seals had a key, ``first`` the number of the first
    that is still there, and ``sealed_so`` the number of the entry whose seal was asked for.
    """

    entries: int
    last_seal: str
    broken: int | None
    without_key: int
    first: int
    sealed_so: int | None = None


def _seal_before(first: int) -> str | None:
    """The seal before the first entry that is there; None where those before it are gone and no entry says so."""
    if first == 1:
        return ""
    thinned = Entry.objects.filter(what=THINNED, rows=first - 1, id__gte=first).order_by("id").first()
    return thinned.file if thinned is not None else None


def verify(wanted: str = "") -> Verified:
    """Look whether the journal is as it was written.

    Args:
        wanted: a seal that was kept elsewhere; ``sealed_so`` is the entry that has it, among those that are as they
            were written.
    """
    count, without_key, sealed_so = 0, 0, None
    number = first = Entry.objects.order_by("id").values_list("id", flat=True).first() or 1
    known = _seal_before(first)
    before = known or ""
    broken = first if known is None else None
    fields = ("id", "seal", "way", *SEALED)
    for entry in Entry.objects.order_by("id").values(*fields).iterator(1000) if broken is None else ():
        count += 1
        keyed = hmac.compare_digest(seal(before, entry), entry["seal"])
        # Only the first may be without the key: whoever can write the database could make such seals anew.
        older = not keyed and without_key == count - 1 and old_seal(before, entry) == entry["seal"]
        if not (keyed or older) or entry["id"] != number:
            broken = int(entry["id"])
            break
        without_key += older
        before, number = entry["seal"], number + 1
        if wanted and entry["seal"] == wanted:
            sealed_so = int(entry["id"])
    return Verified(count, before, broken, without_key, first, sealed_so)
