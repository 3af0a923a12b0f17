"""What guards do on the trips of an application: as its administrator sets it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import F, Manager, QuerySet

from vexo.core.guards import GUARDS, GuardMode, GuardName, GuardSettings

from ..guard_words import WORDS, mode_words
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from .models import Application


@dataclass(frozen=True)
class LimitFact:
    """A number from which on a guard speaks: the one that counts, and the one that would where nothing is said."""

    name: str
    value: str
    otherwise: str
    least: str
    most: str
    said: bool


@dataclass(frozen=True)
class GuardFact:
    """A guard as it is told: what it looks for (``when``, its limits by their names in braces), what it does, what it
    would do where nothing is said (``otherwise``), and whether something is."""

    name: GuardName
    title: str
    when: str
    mode: GuardMode
    otherwise: GuardMode
    said: bool
    modes: list[tuple[GuardMode, str]]
    limits: list[LimitFact]


def told_guards(settings: GuardSettings, beneath: GuardSettings) -> list[GuardFact]:
    """All guards with what is said of them, and what counts where nothing is.

    Args:
        beneath: what counts where the settings say nothing.
    """
    return [_told(name, settings, beneath) for name in GUARDS]


def _told(name: GuardName, settings: GuardSettings, beneath: GuardSettings) -> GuardFact:
    setting, laid = settings.settings.get(name), settings.over(beneath)
    limits = [
        LimitFact(
            limit.name,
            format(laid.limit(name, limit.name), "f"),
            format(beneath.limit(name, limit.name), "f"),
            format(limit.least, "f"),
            format(limit.most, "f"),
            setting is not None and limit.name in setting.limits,
        )
        for limit in GUARDS[name].limits
    ]
    return GuardFact(
        name,
        WORDS[name].title,
        WORDS[name].when,
        laid.mode(name),
        beneath.mode(name),
        setting is not None and setting.mode is not None,
        [(mode, mode_words(name, mode)) for mode in GuardMode],
        limits,
    )


def set_guards(person: Person, application: Application, data: Any) -> Application:
    """Set what guards do on the trips of an application; plans that were made before are to be made anew.

    Raises:
        NotAllowed, GuardError
    """
    kept = Application.objects.filter(pk=application.pk)
    keep_guards(person, kept, application, f"Guards of {application.label}", data)
    application.refresh_from_db()
    return application


def keep_guards(person: Person, kept: QuerySet[Any], application: Application, title: str, data: Any) -> None:
    """Keep the settings of an application or of one of its routes; the journal says under the title what was changed.

    Args:
        kept: the application or route, alone.

    Raises:
        NotAllowed, GuardError
    """
    require(person, Action.CONNECT)
    settings = GuardSettings.from_json(data).to_json()
    with transaction.atomic():
        before = kept.get()
        kept.update(guards=settings)
        if before.guards != settings:
            plans_lapse(before.trips)
        note(person.username, "changed", f"{title}: {_words(before.guards, settings)}", application)


def plans_lapse(trips: Manager[Any] | QuerySet[Any]) -> None:
    """Let plans that count and were not sent count no longer: they are made anew under other guards."""
    rises = {name: F(name) + 1 for name in ("revision", "version")}
    counting = trips.filter(plans__revision=F("revision"), plans__passes=None)
    trips.filter(pk__in=counting.values("pk")).update(**rises)


def _words(before: dict[str, Any], after: dict[str, Any]) -> str:
    """What was changed of settings, for the journal."""
    changed = [name for name in GuardName if before.get(name) != after.get(name)]
    return "; ".join(f"{name} {_setting_words(after.get(name))}" for name in changed) or "nothing changed"


def _setting_words(setting: dict[str, Any] | None) -> str:
    if not setting:
        return "as it is by itself"
    limits = [f"{name} {value}" for name, value in setting.get("limits", {}).items()]
    return ", ".join([*([setting["mode"]] if "mode" in setting else []), *limits])
