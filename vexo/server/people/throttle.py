"""Slowing down who guesses passwords, without locking out who knows theirs.

A name from one address waits longer with every miss; so does an address that misses with many names. Misses of a name
from many addresses slow down only addresses from which it has never signed in.
"""

from __future__ import annotations

import hashlib
import math
import time

from django.db import transaction

from .models import Misses

LONGEST = 900.0
"""Seconds that one waits for the next try at most."""
_FORGOTTEN = 24 * 3600.0
"""Seconds after which wrong passwords are forgotten."""
_FREE = {"pair": 3, "address": 15, "name": 10}


class TooMany(Exception):
    """Too many misses; ``seconds`` until the next try is looked at."""

    def __init__(self, seconds: float) -> None:
        self.seconds = max(1, math.ceil(seconds))
        words = "a second" if self.seconds == 1 else f"{self.seconds:,} seconds"
        super().__init__(f"Too many wrong passwords. Try again in {words}.")


def _keys(username: str, address: str) -> dict[str, str]:
    """Digests, so that what was typed as a name (a password, by mistake) is not kept."""
    name = username.strip().casefold()[:150]
    keys = {"pair": f"pair {name} {address}", "address": f"address {address}", "name": f"name {name}"}
    return {kind: hashlib.sha256(text.encode()).hexdigest() for kind, text in keys.items()}


def _wait(kind: str, count: int) -> float:
    over = count - _FREE[kind]
    return 0.0 if over < 0 else min(LONGEST, 2.0 ** min(over, 20))


def look(username: str, address: str) -> None:
    """Raises TooMany where this name or address has to wait."""
    keys, now = _keys(username, address), time.time()
    rows = {row.key: row for row in Misses.objects.filter(key__in=keys.values())}
    pair = rows.get(keys["pair"])
    kinds = [kind for kind in keys if not (kind == "name" and pair is not None and pair.known)]
    until = max((rows[keys[kind]].until for kind in kinds if keys[kind] in rows), default=0.0)
    if until > now:
        raise TooMany(until - now)


def missed(username: str, address: str) -> None:
    """Count a sign-in that failed."""
    now = time.time()
    with transaction.atomic():
        Misses.objects.filter(last__lt=now - _FORGOTTEN, known=False).delete()
        for kind, key in _keys(username, address).items():
            row, _ = Misses.objects.get_or_create(key=key)
            row.count, row.last = row.count + 1, now
            row.until = now + _wait(kind, row.count)
            row.save()


def succeeded(username: str, address: str) -> None:
    """Forget the misses of this name here, and remember that it signs in from here."""
    values = {"known": True, "count": 0, "until": 0.0, "last": time.time()}
    Misses.objects.update_or_create(key=_keys(username, address)["pair"], defaults=values)
