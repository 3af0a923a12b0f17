"""What may be done to the records of an application: as its administrator sets it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import transaction

from vexo.core.planning.verdicts import Verdict
from vexo.core.records import RecordType
from vexo.core.rules_of_use import Times, UseRules
from vexo.core.wording import clock

from ..errors import PlainError
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from .guarding import plans_lapse
from .models import Application

OFF = {Verdict.CREATE: "Making new {}", Verdict.UPDATE: "Changing {}", Verdict.DELETE: "Deleting {}"}
"""What can be off, in words; in braces the records."""


def rules_of(application: Application) -> UseRules:
    """The rules of an application."""
    return UseRules.from_json(application.rules)


def off_words(verdict: Verdict, plural: str, label: str) -> str:
    """That something is off, as a sentence."""
    return f"{OFF[verdict].format(plural.lower())} is off for {label}, by its administrator's rules."


def outside_times(application: Application, record_type: RecordType, moment: datetime) -> str:
    """Why records of a type are not written at a moment, in words; empty where they may be."""
    times = rules_of(application).of(record_type.name).times
    if times is None or times.allow(moment):
        return ""
    begins = times.next(moment)
    return (
        f"{record_type.plural} of {application.label} are written {times.says} alone, by its administrator's rules: "
        f"next on {begins:%a} {begins.day} {begins:%b} at {clock(begins.time())}."
    )


def set_rules(person: Person, application: Application, data: Any) -> Application:
    """Set what may be done to the records of an application; plans that were made before are to be made anew, of the
    record types of which anything was changed.

    Raises:
        NotAllowed, RuleError
        PlainError: where it is not known what the application holds.
    """
    require(person, Action.CONNECT)
    if application.told is None:
        raise PlainError(f"What {application.label} holds is not known yet. Test its connection.", "no-catalogue")
    rules = UseRules.from_json(data, application.told).to_json()
    with transaction.atomic():
        before = Application.objects.get(pk=application.pk)
        Application.objects.filter(pk=application.pk).update(rules=rules)
        changed = [name for name in {*before.rules, *rules} if before.rules.get(name) != rules.get(name)]
        plans_lapse(before.trips.filter(record_type__in=changed))
        note(person.username, "changed", f"Rules of {application.label}: {_words(before.rules, rules)}", application)
    application.refresh_from_db()
    return application


def _words(before: dict[str, Any], after: dict[str, Any]) -> str:
    """What was changed, for the journal."""
    changed = [name for name in sorted({*before, *after}) if before.get(name) != after.get(name)]
    return "; ".join(f"{name} {_off(after.get(name, {}))}" for name in changed) or "nothing changed"


def _off(rules: dict[str, Any]) -> str:
    parts = [f"{verdict} off" for verdict in rules.get("deny", [])]
    parts += [f"{name} never written" for name in rules.get("never", [])]
    parts += [f"nothing kept of {name} once a trip is over" for name in rules.get("masked", [])]
    parts += [f"approved first: {', '.join(sorted(rules['approve']))}"] if rules.get("approve") else []
    times = Times.from_json("", rules.get("times"))
    parts += [f"written {times.says}"] if times is not None else []
    return ", ".join(parts) or "all may be done"
