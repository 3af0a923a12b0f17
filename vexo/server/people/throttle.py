"""Slowing down who guesses passwords, without locking out who knows theirs.

A name from one address waits longer with every miss; so does an address that misses with many names. Misses of a name
from many addresses, and of others from one address, do not slow down who has signed in from there before: an office
behind one address does not lock itself out. What counts against an address falls with time, and with each success.
"""

from __future__ import annotations

import hashlib
import math
import time

from django.db import transaction

from vexo.core.wording import thousands

from .models import Misses

LONGEST = 900.0
"""Seconds that one waits for the next try at most."""
_FORGOTTEN = 24 * 3600.0
"""Seconds after which wrong passwords are forgotten."""
_FALLS = 600.0
"""Seconds in which one miss of an address is forgotten."""
_EACH_SUCCESS = 5
"""Misses of an address that a success takes away: guessers seldom succeed, and people mostly do."""
_FREE = {"pair": 3, "address": 15, "name": 10}


class TooMany(Exception):
    """Too many misses; ``seconds`` until the next try is looked at."""

    def __init__(self, seconds: float) -> None:
        self.seconds = max(1, math.ceil(seconds))
        words = "a second" if self.seconds == 1 else f"{thousands(self.seconds)} seconds"
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
    kinds = ["pair"] if pair is not None and pair.known else list(keys)
    seconds = max((_left(rows[keys[kind]], now) for kind in kinds if keys[kind] in rows), default=0.0)
    if seconds > 0:
        raise TooMany(seconds)


def _left(row: Misses, now: float) -> float:
    """Seconds until the next try is looked at: never more than were said when it was counted, whatever was done to the
    clock since."""
    return min(row.until - now, max(0.0, row.until - row.last), LONGEST)


def missed(username: str, address: str) -> None:
    """Count a sign-in that failed."""
    now = time.time()
    with transaction.atomic():
        Misses.objects.filter(last__lt=now - _FORGOTTEN, known=False).delete()
        for kind, key in _keys(username, address).items():
            row, _ = Misses.objects.get_or_create(key=key)
            fallen = int(max(0.0, now - row.last) / _FALLS) if kind == "address" and row.last else 0
            row.count, row.last = max(0, row.count - fallen) + 1, now
            row.until = now + _wait(kind, row.count)
            row.save()


def succeeded(username: str, address: str) -> None:
    """Forget the misses of this name here, and some of its address; remember that it signs in from here."""
    values = {"known": True, "count": 0, "until": 0.0, "last": time.time()}
    keys = _keys(username, address)
    with transaction.atomic():
        Misses.objects.update_or_create(key=keys["pair"], defaults=values)
        of_address = Misses.objects.filter(key=keys["address"]).first()
        if of_address is not None:
            of_address.count = max(0, of_address.count - _EACH_SUCCESS)
            of_address.until = min(of_address.until, time.time() + _wait("address", of_address.count))
            of_address.save()
