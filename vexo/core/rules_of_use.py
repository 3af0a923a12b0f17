"""What may be done to the records of an application, by record type, as its administrator says.

Rules are data, ``{"Holder": {"deny": ["delete"], "never": ["email"]}}``: what they do not name may be done.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from .errors import MendableError
from .planning.verdicts import WRITTEN, Verdict
from .records import Catalogue, RecordType, UnknownName
from .wording import clock


class RuleError(MendableError):
    """Rules that cannot be; the message says what can."""


@dataclass(frozen=True)
class Approve:
    """Which plans somebody else has to approve: every one (``always``), those that delete (``deletes``), those that
    write more than ``above`` records."""

    always: bool = False
    deletes: bool = False
    above: int | None = None

    def to_json(self) -> dict[str, Any]:
        """What is said, as data."""
        answers = {"always": self.always, "deletes": self.deletes, "above": self.above}
        return {name: value for name, value in answers.items() if value is not None and value is not False}

    @classmethod
    def from_json(cls, name: str, said: Any) -> Approve:
        """Raises RuleError where it cannot be."""
        if not isinstance(said, Mapping) or not {"always", "deletes", "above"}.issuperset(said):
            raise RuleError(f"Of {name} it can be said that plans are approved always, for deletes, above a number.")
        above = said.get("above")
        if above is not None and (not isinstance(above, int) or isinstance(above, bool) or above < 0):
            raise RuleError(f"Above how many records plans for {name} are approved is a number, from 0 on.")
        if not all(isinstance(said.get(one, False), bool) for one in ("always", "deletes")):
            raise RuleError(f"Whether plans for {name} are approved always, or for deletes, is true or false.")
        return cls(bool(said.get("always")), bool(said.get("deletes")), above)


DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_TIME = re.compile(r"([01]\d|2[0-3]):([0-5]\d)")


@dataclass(frozen=True)
class Times:
    """When records may be written: on these days (their places in ``DAYS``), from ``begins`` until ``ends`` in the time
    of ``zone``. A time that ends before it begins goes on into the next day; one that ends as it begins is all day."""

    days: tuple[int, ...]
    begins: time
    ends: time
    zone: str

    def allow(self, moment: datetime) -> bool:
        """Whether a moment, which has a time zone, lies in these times."""
        local = moment.astimezone(ZoneInfo(self.zone))
        now, day = local.time(), local.weekday()
        if self.begins < self.ends:
            return day in self.days and self.begins <= now < self.ends
        if now >= self.begins:
            return day in self.days
        return now < self.ends and (day - 1) % 7 in self.days

    def next(self, moment: datetime) -> datetime:
        """The first moment from this one on, to the minute, that lies in these times."""
        if self.allow(moment):
            return moment
        local = moment.astimezone(ZoneInfo(self.zone))
        for later in range(8):
            day = local.date() + timedelta(days=later)
            begins = datetime.combine(day, self.begins, ZoneInfo(self.zone))
            if begins > local and self.allow(begins):
                return begins
        return moment

    @property
    def says(self) -> str:
        """The times in words."""
        days = "" if len(self.days) == len(DAYS) else f" on {', '.join(DAYS[day] for day in self.days)}"
        hours = "at all hours" if self.begins == self.ends else f"from {clock(self.begins)} to {clock(self.ends)}"
        return f"{hours}{days} ({self.zone})"

    def to_json(self) -> dict[str, Any]:
        """What is said, as data."""
        days = [DAYS[day] for day in self.days]
        return {"days": days, "from": f"{self.begins:%H:%M}", "to": f"{self.ends:%H:%M}", "zone": self.zone}

    @classmethod
    def from_json(cls, name: str, said: Any) -> Times | None:
        """Raises RuleError where it cannot be. None where nothing is said."""
        if not said:
            return None
        if not isinstance(said, Mapping) or not {"days", "from", "to", "zone"}.issuperset(said):
            raise RuleError(f"When {name} may be written is said by days, from, to and zone.")
        days, zone = said.get("days", list(DAYS)), said.get("zone", "UTC")
        if not isinstance(days, list) or not days or not set(days).issubset(DAYS):
            raise RuleError(f"The days on which {name} may be written are a list of {', '.join(DAYS)}.")
        begins, ends = (_TIME.fullmatch(str(said.get(one, ""))) for one in ("from", "to"))
        if begins is None or ends is None:
            raise RuleError(f"From when and to when {name} may be written is said as 20:00.")
        try:
            ZoneInfo(str(zone))
        except (ZoneInfoNotFoundError, ValueError, OSError) as error:
            raise RuleError(f"{zone!r} is not a time zone; one is Europe/London.") from error
        places = tuple(at for at, day in enumerate(DAYS) if day in days)
        hours = [time(int(one[1]), int(one[2])) for one in (begins, ends)]
        return cls(places, hours[0], hours[1], str(zone))


@dataclass(frozen=True)
class TypeRules:
    """What is off for one record type: ``deny``, of create, update and delete; the fields that are ``never`` written;
    what somebody else has to approve first; the ``times`` at which it may be written, None for all; and the fields that
    are ``masked``: their values stand in no file of ours once a trip is over."""

    deny: frozenset[Verdict] = frozenset()
    never: frozenset[str] = frozenset()
    approve: Approve = Approve()
    times: Times | None = None
    masked: frozenset[str] = frozenset()

    def to_json(self) -> dict[str, Any]:
        """What is said, as data."""
        deny = [verdict.value for verdict in WRITTEN if verdict in self.deny]
        said: dict[str, Any] = {"deny": deny, "never": sorted(self.never), "approve": self.approve.to_json()}
        said["times"] = self.times.to_json() if self.times is not None else {}
        said["masked"] = sorted(self.masked)
        return {name: values for name, values in said.items() if values}


@dataclass(frozen=True)
class UseRules:
    """The rules of an application: record type by its name → what is off for it."""

    types: Mapping[str, TypeRules] = field(default_factory=dict)

    def of(self, record_type: str) -> TypeRules:
        """Those of one record type."""
        return self.types.get(record_type, TypeRules())

    def to_json(self) -> dict[str, Any]:
        """The rules as data, by the names of types."""
        by_type = {name: rules.to_json() for name, rules in sorted(self.types.items())}
        return {name: rules for name, rules in by_type.items() if rules}

    @classmethod
    def from_json(cls, data: Any, catalogue: Catalogue | None = None) -> UseRules:
        """Raises RuleError where a rule cannot be.

        Args:
            catalogue: what the application holds, where types and fields are to be looked for.
        """
        if not isinstance(data, Mapping):
            raise RuleError("Rules are an object: the name of each record type, with what is off for it.")
        rules = {str(name): _rules(str(name), said) for name, said in data.items()}
        if catalogue is not None:
            rules = {_type(name, catalogue).name: _known(name, one, catalogue) for name, one in rules.items()}
        return cls(rules)


def _rules(name: str, said: Any) -> TypeRules:
    if not isinstance(said, Mapping) or not {"deny", "never", "approve", "times", "masked"}.issuperset(said):
        raise RuleError(
            f"Of {name} it can be said what is off (deny), which fields are never written (never), what has to be "
            "approved (approve), when it may be written (times), and of which fields nothing is kept once a trip is "
            "over (masked)."
        )
    deny, never, masked = said.get("deny", []), said.get("never", []), said.get("masked", [])
    if not isinstance(deny, list) or not isinstance(never, list) or not isinstance(masked, list):
        raise RuleError(f"What is off for {name}, and which fields are never written or masked, are lists.")
    odd = [one for one in deny if one not in list(WRITTEN)]
    if odd:
        raise RuleError(f"What can be off for {name}: {', '.join(WRITTEN)}; not {odd[0]!r}.")
    approve = Approve.from_json(name, said.get("approve", {}))
    times = Times.from_json(name, said.get("times"))
    return TypeRules(
        frozenset(map(Verdict, deny)), frozenset(map(str, never)), approve, times, frozenset(map(str, masked))
    )


def _type(name: str, catalogue: Catalogue) -> RecordType:
    try:
        return catalogue.type(name)
    except UnknownName as error:
        raise RuleError(str(error)) from error


def _known(name: str, rules: TypeRules, catalogue: Catalogue) -> TypeRules:
    record_type = _type(name, catalogue)
    try:
        never, masked = (frozenset(record_type.field(one).name for one in said) for said in (rules.never, rules.masked))
        return replace(rules, never=never, masked=masked)
    except UnknownName as error:
        raise RuleError(str(error)) from error


def under_rules(catalogue: Catalogue, rules: UseRules) -> Catalogue:
    """A catalogue in which fields that are never written can only be read. Its version tells."""
    never = {name: one.never for name, one in rules.types.items() if one.never}
    if not never:
        return catalogue
    text = ";".join(f"{name}:{','.join(sorted(fields))}" for name, fields in sorted(never.items()))
    digest = hashlib.sha256(text.encode()).hexdigest()[:12]
    types = tuple(_only_read(one, never.get(one.name, frozenset())) for one in catalogue.types)
    return replace(catalogue, types=types, version=f"{catalogue.version}-{digest}")


def _only_read(record_type: RecordType, never: frozenset[str]) -> RecordType:
    if not never:
        return record_type
    fields = tuple(
        replace(one, read_only=True, required=False) if one.name in never else one for one in record_type.fields
    )
    return replace(record_type, fields=fields)
