"""Guards: checks that hold rows, ask about a whole plan, or only say something; what each does and from which limit on
are settings. Rules: ``semantics.md`` 7.

Settings are data, ``{"far-out": {"mode": "say", "limits": {"ranges": "4"}}}``: what they do not name is as it is by
itself. Those of a route lie over those of its application.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation
from enum import StrEnum
from typing import Any

from .errors import MendableError
from .faults import CODES, Does


class GuardName(StrEnum):
    """The guards that can be set."""

    LOST_POINT = "lost-point"
    FAR_OUT = "far-out"
    DUPLICATE = "duplicate"
    LIKENESS = "likeness"
    CHECK = "check"
    DAMAGED = "damaged"
    MANY_CHANGES = "many-changes"
    MANY_DELETES = "many-deletes"
    FIELD_EMPTIED = "field-emptied"
    MOSTLY_NEW = "mostly-new"
    ALL_ALIKE = "all-alike"
    EXPECTED = "expected"


class GuardMode(StrEnum):
    """What a guard does: hold its rows (or, of a whole plan, have it wait for an answer), only say it, or nothing."""

    HOLD = "hold"
    SAY = "say"
    OFF = "off"


@dataclass(frozen=True)
class Limit:
    """A number from which on a guard speaks, between ``least`` and ``most``; ``whole``: without decimals."""

    name: str
    usual: Decimal
    least: Decimal
    most: Decimal
    whole: bool = False


@dataclass(frozen=True)
class Guard:
    """What is known of a guard: the faults of rows that are its own, its limits, and what it does by itself."""

    codes: tuple[str, ...] = ()
    limits: tuple[Limit, ...] = ()
    usual: GuardMode = GuardMode.HOLD


def _percent(name: str, usual: int) -> Limit:
    return Limit(name, Decimal(usual), Decimal(0), Decimal(100))


def _number(name: str, usual: int, most: int = 1_000_000) -> Limit:
    return Limit(name, Decimal(usual), Decimal(1), Decimal(most), whole=True)


GUARDS: Mapping[GuardName, Guard] = {
    GuardName.LOST_POINT: Guard(("lost-point",), (_percent("within", 10),)),
    GuardName.FAR_OUT: Guard(
        ("far-out",), (Limit("ranges", Decimal(3), Decimal("0.1"), Decimal(1000)), _number("values", 30))
    ),
    GuardName.DUPLICATE: Guard(("duplicate", "duplicate-row")),
    GuardName.LIKENESS: Guard(("like-record", "like-row")),
    GuardName.CHECK: Guard(("check-differs",)),
    GuardName.DAMAGED: Guard(("damaged",)),
    GuardName.MANY_CHANGES: Guard(limits=(_percent("share", 20), _number("least", 20))),
    GuardName.MANY_DELETES: Guard(limits=(_percent("share", 1), _number("number", 50), _number("least", 5))),
    GuardName.FIELD_EMPTIED: Guard(("emptied-many",), (_percent("share", 10), _number("least", 10))),
    GuardName.MOSTLY_NEW: Guard(limits=(_number("least", 10),)),
    GuardName.ALL_ALIKE: Guard(limits=(_number("least", 10),), usual=GuardMode.SAY),
    GuardName.EXPECTED: Guard(),
}
"""All guards, those of rows first. Shares are percents."""
_GUARD_OF = {code: name for name, guard in GUARDS.items() for code in guard.codes}


class GuardError(MendableError):
    """Settings of guards that cannot be; the message says what can."""


@dataclass(frozen=True)
class Setting:
    """What was said of one guard: None where nothing was."""

    mode: GuardMode | None = None
    limits: Mapping[str, Decimal] = field(default_factory=dict)


@dataclass(frozen=True)
class GuardSettings:
    """What guards do, where it is another than by themselves."""

    settings: Mapping[GuardName, Setting] = field(default_factory=dict)

    def mode(self, name: GuardName) -> GuardMode:
        """What a guard does."""
        return self.settings.get(name, Setting()).mode or GUARDS[name].usual

    def limit(self, name: GuardName, limit: str) -> Decimal:
        """The number from which on it speaks."""
        usual = next(one.usual for one in GUARDS[name].limits if one.name == limit)
        return self.settings.get(name, Setting()).limits.get(limit, usual)

    def does(self, code: str) -> Does | None:
        """What a fault does to its row under these settings; None where nobody is to hear of it."""
        guard = _GUARD_OF.get(code)
        mode = GuardMode.HOLD if guard is None else self.mode(guard)
        return {GuardMode.HOLD: CODES[code], GuardMode.SAY: Does.SAYS, GuardMode.OFF: None}[mode]

    def over(self, beneath: GuardSettings) -> GuardSettings:
        """These settings, and where they say nothing those beneath."""
        names = {*self.settings, *beneath.settings}
        laid = {}
        for name in names:
            mine, other = self.settings.get(name, Setting()), beneath.settings.get(name, Setting())
            laid[name] = Setting(mine.mode or other.mode, {**other.limits, **mine.limits})
        return GuardSettings(laid)

    def to_json(self) -> dict[str, Any]:
        """The settings as data, in the order of ``GUARDS``."""
        settings_json = {}
        for name in GUARDS:
            setting = self.settings.get(name, Setting())
            limits = {key: format(value, "f") for key, value in sorted(setting.limits.items())}
            setting_json = {
                **({"mode": setting.mode.value} if setting.mode else {}),
                **({"limits": limits} if limits else {}),
            }
            if setting_json:
                settings_json[name.value] = setting_json
        return settings_json

    @classmethod
    def from_json(cls, data: Any) -> GuardSettings:
        """Raises GuardError where a guard, what it is to do or a limit is not known, or a number cannot be."""
        if not isinstance(data, Mapping):
            raise GuardError("Guards are an object: the name of each, with its mode and limits.")
        return cls({_guard_named(name): _setting(_guard_named(name), said) for name, said in data.items()})


def _guard_named(name: object) -> GuardName:
    try:
        return GuardName(str(name))
    except ValueError as error:
        raise GuardError(f"No guard is called {name!r}. Guards: {', '.join(GuardName)}.") from error


def _setting(name: GuardName, said: Any) -> Setting:
    if not isinstance(said, Mapping) or not {"mode", "limits"}.issuperset(said):
        raise GuardError(f"Of the guard {name} its mode and its limits can be said.")
    mode, limits = said.get("mode"), said.get("limits", {})
    if mode not in (None, *GuardMode):
        raise GuardError(f"The guard {name} can be {', '.join(GuardMode)}; not {mode!r}.")
    if not isinstance(limits, Mapping):
        raise GuardError(f"Limits of the guard {name} are an object: the name of each, with its number.")
    return Setting(GuardMode(mode) if mode else None, {str(at): _limited(name, str(at), limits[at]) for at in limits})


def _limited(name: GuardName, limit: str, said: Any) -> Decimal:
    """A limit's number. Raises GuardError."""
    known = {one.name: one for one in GUARDS[name].limits}
    if limit not in known:
        names = f"Its limits: {', '.join(known)}." if known else "It has none."
        raise GuardError(f"The guard {name} has no limit {limit!r}. {names}")
    bounds = known[limit]
    try:
        number = Decimal(str(said).strip())
    except InvalidOperation as error:
        raise GuardError(f"{said!r} is not a number, for {limit} of the guard {name}.") from error
    if not number.is_finite() or not bounds.least <= number <= bounds.most:
        raise GuardError(f"{limit} of the guard {name} is from {bounds.least} to {bounds.most}, not {said}.")
    if bounds.whole and number != number.to_integral_value():
        raise GuardError(f"{limit} of the guard {name} is a whole number, not {said}.")
    return number


USUAL = GuardSettings()
"""Guards as they are by themselves."""
