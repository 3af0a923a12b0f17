"""Tokens with which scripts act for a person."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime, timedelta

from django.db import transaction
from django.utils import timezone

from ..errors import PlainError
from ..journal.services import note
from .models import AccessToken, Person, Role
from .rights import Action, require

PREFIX = "vexo_"
"""How a token begins, so that it is known for one where it lies about."""
LONGEST_DAYS = 366
"""Days after which a token ends at the latest."""
WAY = "token "
"""How the way of what came in by a token begins, before its name."""
_LIVE_AT_MOST = 50
"""Tokens that a person may have at once: more are not looked after."""
_WRITTEN_EACH = timedelta(minutes=1)


def digest_of(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def tokens_of(person: Person) -> list[AccessToken]:
    """A person's tokens that were not withdrawn, those that have ended too."""
    return list(AccessToken.objects.filter(person=person, withdrawn_at=None))


def make_token(person: Person, name: str, role: str, days: int) -> tuple[AccessToken, str]:
    """A new token and its text, which is told this once.

    Args:
        name: what the journal calls it by; no two of a person have the same.
        role: the most that it may do; at most the person's own.
        days: after how many it ends.

    Raises:
        PlainError
    """
    name = " ".join(name.split())
    if not name or len(name) > 60 or not name.isprintable():
        raise PlainError("Give the token a name of at most 60 characters, by which the journal tells of it.")
    if role not in Role.values:
        raise PlainError(f"Unknown role {role!r}. Use {', '.join(Role.values)}.")
    if not person.may(role):
        raise PlainError(f"A token may do no more than its person. Yours is {person.get_role_display().lower()}.")
    if not 1 <= days <= LONGEST_DAYS:
        raise PlainError(f"A token ends after 1 to {LONGEST_DAYS} days.")
    text = PREFIX + secrets.token_urlsafe(32)
    now = timezone.now()
    with transaction.atomic():
        live = tokens_of(person)
        if name.casefold() in {token.name.casefold() for token in live}:
            raise PlainError(f"You have a token called {name} already. Withdraw it, or choose another name.", "taken")
        if len(live) >= _LIVE_AT_MOST:
            raise PlainError(f"You have {_LIVE_AT_MOST} tokens. Withdraw those that nothing uses any more.")
        token = AccessToken.objects.create(
            person=person,
            name=name,
            digest=digest_of(text),
            role=role,
            made_at=now,
            ends_at=now + timedelta(days=days),
        )
        words = f"Made the token {name}, {Role(role).label.lower()}, until {token.ends_at:%Y-%m-%d}"
        note(person.username, "people", words)
    return token, text


def withdraw_token(by: Person, person: Person, number: int) -> None:
    """A token is worth nothing from now on. One's own, or as an administrator. Raises NotAllowed, PlainError."""
    if by.pk != person.pk:
        require(by, Action.PEOPLE)
    with transaction.atomic():
        token = AccessToken.objects.filter(person=person, pk=number, withdrawn_at=None).first()
        if token is None:
            raise PlainError("There is no such token, or it was withdrawn already.", "gone")
        token.withdrawn_at = timezone.now()
        token.save(update_fields=["withdrawn_at"])
        note(by.username, "people", f"Withdrew the token {token.name} of {person.username}")


def token_of(text: str) -> AccessToken | None:
    """The token with a text, if it is worth something now; when it was used is written down."""
    token = AccessToken.objects.select_related("person").filter(digest=digest_of(text), withdrawn_at=None).first()
    now = timezone.now()
    if token is None or token.ends_at <= now or not token.person.is_active:
        return None
    if token.used_at is None or abs(now - token.used_at) > _WRITTEN_EACH:
        AccessToken.objects.filter(pk=token.pk).update(used_at=now)
    return token


def withdrawn_since(person: Person, way: str, at: datetime) -> str:
    """The name of the token by which something came in then, where it was withdrawn meanwhile; empty where it was not,
    or it came in another way."""
    if not way.startswith(WAY):
        return ""
    then = AccessToken.objects.filter(person=person, name=way.removeprefix(WAY), made_at__lte=at).order_by("made_at")
    token = then.last()
    return token.name if token is not None and token.withdrawn_at is not None else ""
