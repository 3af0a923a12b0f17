"""How people of several countries write numbers and times; the words around them stay English."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime, time, tzinfo
from decimal import Decimal
from functools import lru_cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from vexo.core.wording import GROUP, MOMENT

_MARKED = re.compile(f"{MOMENT}([0-9T:+.-]+){MOMENT}")


@dataclass(frozen=True)
class Locale:
    """How numbers, days and times are written.

    Attributes:
        tag: BCP 47, by which a browser knows the same.
        group: what tells thousands apart; ``decimal`` what stands before fractions.
        day: a day as ``str.format`` makes it of ``day``, ``month``, ``year`` and ``name``, the month's English short
            name.
        halves: hours are counted to twelve, twice a day.
    """

    tag: str
    label: str
    group: str
    decimal: str
    day: str
    halves: bool = False

    def clock(self, at: time) -> str:
        """A time of the day, without seconds."""
        if self.halves:
            return f"{at.hour % 12 or 12}:{at:%M} {'AM' if at.hour < 12 else 'PM'}"
        return f"{at:%H:%M}"

    def moment(self, when: datetime) -> str:
        """A day and a time of it, in the zone that ``when`` has."""
        day = self.day.format(day=when.day, month=when.month, year=when.year, name=_MONTHS[when.month - 1])
        return f"{day} {self.clock(when.time())}"


_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
USUAL = Locale("en-GB", "British", ",", ".", "{day} {name} {year}")
LOCALES = {
    locale.tag: locale
    for locale in (
        USUAL,
        Locale("en-US", "American", ",", ".", "{name} {day}, {year}", halves=True),
        Locale("de-DE", "German", ".", ",", "{day:02}.{month:02}.{year}"),
        Locale("fr-FR", "French", "\u202f", ",", "{day:02}/{month:02}/{year}"),
    )
}
"""Those that a person can choose from, by tag."""
CHOICES = [(tag, locale.label) for tag, locale in LOCALES.items()]
"""The same as choices of a form: tag and name."""


@lru_cache(maxsize=256)
def zone_named(name: str) -> tzinfo | None:
    """A time zone of the IANA database; None for what is none."""
    try:
        return ZoneInfo(name) if name else None
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return None


@lru_cache(maxsize=1)
def zones() -> list[str]:
    """The time zones that people choose from, by name; each that has a place's name, under all names that it has."""
    places = re.compile(r"(Africa|America|Antarctica|Arctic|Asia|Atlantic|Australia|Europe|Indian|Pacific)/.*|UTC")
    return sorted(name for name in available_timezones() if places.fullmatch(name))


@dataclass(frozen=True)
class Reader:
    """Whoever reads a sentence: how they write numbers, and in which zone they live."""

    locale: Locale = USUAL
    zone: tzinfo = UTC

    @classmethod
    def named(cls, tag: str, zone: str) -> Reader:
        """By the names of both; what is not known is as usual."""
        return cls(LOCALES.get(tag, USUAL), zone_named(zone) or UTC)

    def text(self, sentence: str) -> str:
        """A sentence with its marked numbers and times as they are read; a moment in UTC says so."""
        if GROUP not in sentence and MOMENT not in sentence:
            return sentence
        written = _MARKED.sub(self._time, sentence.replace(GROUP, self.locale.group))
        # A kept sentence may have been cut within a time.
        return written.replace(MOMENT, "")

    def _time(self, match: re.Match[str]) -> str:
        marked = match[1]
        if "T" not in marked:
            return self.locale.clock(time.fromisoformat(marked))
        moment = datetime.fromisoformat(marked).astimezone(self.zone)
        return self.locale.moment(moment) + (" UTC" if self.zone is UTC else "")

    def exact(self, number: str) -> str:
        """A decimal text with all its digits, its thousands told apart."""
        whole, point, rest = f"{Decimal(number):,f}".partition(".")
        return whole.replace(",", self.locale.group) + (self.locale.decimal + rest if point else "")


ANYONE = Reader()
"""Who reads what is not for one person alone: a receipt, the journal's file, a terminal."""
