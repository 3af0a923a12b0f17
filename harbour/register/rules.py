"""The register's business rules: what it refuses, in its own words, and which field is at fault."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

from django.conf import settings

from . import models as m


class Refusal(Exception):
    """A write that the register turns down.

    ``field`` is the property at fault or None, ``code`` a short word for machines, ``status`` the HTTP status.
    """

    def __init__(self, message: str, code: str, field: str | None = None, status: int = 422) -> None:
        super().__init__(message)
        self.message, self.code, self.field, self.status = message, code, field, status
        self.repeated = ""


_EMAIL = re.compile(r"[^@\s]+@[^@\s.]+(\.[^@\s.]+)+")


def _today() -> date:
    return settings.TODAY


def _contract_under_way(berth: m.Berth, alias: str) -> bool:
    today = _today()
    return m.Contract.objects.using(alias).filter(berth_id=berth.pk, start__lte=today, end__gte=today).exists()


def _berth(berth: m.Berth, alias: str, changed: set[str]) -> None:
    if berth.status == "let" and berth.holder_id is None:
        raise Refusal("A let berth needs a holder.", "required-when-let", "holder")
    if berth.daily_rate is not None and not Decimal(0) < berth.daily_rate <= 500:
        raise Refusal("The daily rate must be above 0 and at most 500.", "rate-out-of-range", "daily_rate")
    if berth.daily_rate is not None and berth.flat_season_rate is not None:
        raise Refusal("A berth has a daily rate or a flat season rate, not both.", "two-rates", "flat_season_rate")
    if berth.status == "retired" and "status" in changed and _contract_under_way(berth, alias):
        raise Refusal("A berth with a contract under way cannot be retired.", "contract-under-way", "status")


def _holder(holder: m.Holder, alias: str, changed: set[str]) -> None:
    if holder.email is not None and not _EMAIL.fullmatch(holder.email):
        raise Refusal("The e-mail address is not well formed.", "email-form", "email")


def _contract(contract: m.Contract, alias: str, changed: set[str]) -> None:
    if contract.end <= contract.start:
        raise Refusal("A contract ends after it starts.", "end-before-start", "end")
    if contract.kind != "visitor" and contract.nights is not None:
        raise Refusal("Nights belong to visitor contracts only.", "visitor-only", "nights")
    if changed & {"berth", "start", "end"}:
        others = m.Contract.objects.using(alias).filter(
            berth_id=contract.berth_id, start__lte=contract.end, end__gte=contract.start
        )
        other = others.exclude(pk=contract.pk).first()
        if other:
            raise Refusal(f"It overlaps contract {other.contract_no} of the same berth.", "overlap", "start")


def _fob(fob: m.GateFob, alias: str, changed: set[str]) -> None:
    if fob.master and fob.blocked and changed & {"master", "blocked"}:
        others = m.GateFob.objects.using(alias).filter(harbour_id=fob.harbour_id, master=True, blocked=False)
        if not others.exclude(pk=fob.pk).exists():
            raise Refusal("The last master fob of a harbour cannot be blocked.", "last-master", "blocked")


_CHECKS: dict[type[m.Record], Callable[[Any, str, set[str]], None]] = {
    m.Berth: _berth,
    m.Holder: _holder,
    m.Contract: _contract,
    m.GateFob: _fob,
}


def check_write(record: m.Record, alias: str, changed: set[str]) -> None:
    """Raise Refusal where the record, as it would be saved, breaks a rule of its type."""
    check = _CHECKS.get(type(record))
    if check:
        check(record, alias, changed)
    for key in type(record).keys:
        fields = {name: getattr(record, type(record)._meta.get_field(name).attname) for name in key}
        if changed.isdisjoint(key) or any(value is None for value in fields.values()):
            continue
        if type(record)._default_manager.using(alias).filter(**fields).exclude(pk=record.pk).exists():
            labels = " and ".join(str(type(record)._meta.get_field(name).verbose_name) for name in key)
            raise Refusal(f"Another record has this {labels} already.", "not-unique", key[-1], 409)


def check_delete(record: m.Record, alias: str) -> None:
    """Raise Refusal where the record must not be deleted."""
    if isinstance(record, m.Berth) and _contract_under_way(record, alias):
        raise Refusal("A berth with a contract under way cannot be deleted.", "contract-under-way")
    if isinstance(record, m.Holder) and m.Contract.objects.using(alias).filter(holder_id=record.pk).exists():
        raise Refusal("A holder with contracts cannot be deleted.", "has-contracts")
