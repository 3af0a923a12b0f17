"""Numbers and times within sentences: marked, so that whoever shows a sentence can write them as its reader does.

A sentence may be kept, and read by people of several countries: "1,204" is a thousand to some and one and a bit to
others. So it holds no separator at all but a mark, which the edge (the API, the command line, a file) replaces.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, time

# Unicode keeps these two for use within a program, so no text of a sheet or an application has them.
GROUP = "\ufdd0"
"""Between groups of three digits."""
MOMENT = "\ufdd1"
"""Before and after a moment or a time of the day, as ISO 8601."""


def thousands(number: float) -> str:
    """A whole number with its thousands marked; fractions are rounded."""
    return f"{round(number):,}".replace(",", GROUP)


def many(number: int, one: str, others: str) -> str:
    """A number with what is counted: ``one`` of it, or ``others``."""
    return f"{thousands(number)} {one if number == 1 else others}"


def one_of(words: Sequence[str]) -> str:
    """Words of which one is meant, as a list: ``a, b or c``."""
    return " or ".join(filter(None, [", ".join(words[:-1]), *words[-1:]]))


def moment(when: datetime) -> str:
    """A moment, marked; it is written in the zone of whoever reads it."""
    return f"{MOMENT}{when.astimezone(UTC).isoformat(timespec='seconds')}{MOMENT}"


def clock(at: time) -> str:
    """A time of the day, marked; in which zone, the sentence says."""
    return f"{MOMENT}{at:%H:%M}{MOMENT}"


def shortened(text: str, most: int) -> str:
    """A sentence of at most so many characters: one that is too long ends with an ellipsis in place of the words that
    are left out, and holds no half of a number or a moment."""
    if len(text) <= most:
        return text
    head = text[: most - 1]
    between_words = head.rfind(" ")
    return f"{head[:between_words] if between_words > 0 else head}…"
