"""Tokens that people give for themselves: what they read and write in such an application goes under these."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from django.db import transaction

from vexo.applications import ApplicationError, open_client

from ..errors import PlainError
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from .models import Application, PersonalToken
from .secrets import SecretError, lock, unlock

if TYPE_CHECKING:
    from collections.abc import Iterable


def token_for(application: Application, by: str, *, writes: bool = False) -> str:
    """The token under which somebody's work goes: their own where the application asks for one and they have given it;
    else, to read, the application's.

    Args:
        by: the name that the person signs in with.
        writes: what is done writes.

    Raises:
        ApplicationError: where the token cannot be opened, or there is none to write with.
    """
    own_token = _of(application, by) if application.personal else None
    if own_token is None and application.personal and writes:
        raise ApplicationError(_asks(application))
    try:
        return unlock(own_token.secret if own_token is not None else application.secret)
    except SecretError as error:
        raise ApplicationError(f"{application.label}: {error}") from error


def _of(application: Application, by: str) -> PersonalToken | None:
    return application.personal_tokens.filter(person__username=by, person__is_active=True).first()


def _asks(application: Application) -> str:
    return f"{application.label} asks each person for a token of their own. Give yours, then apply."


def lacking(person: Person, applications: Iterable[Application]) -> set[int]:
    """Of these applications those that ask for a token of the person's own and have none."""
    asking = {one.pk for one in applications if one.personal}
    if not asking:
        return set()
    given = PersonalToken.objects.filter(person=person, application__in=asking)
    return asking - set(given.values_list("application", flat=True))


def refuse_without_own(application: Application, person: Person) -> None:
    """Raises PlainError where a person cannot write for want of a token of their own."""
    if lacking(person, [application]):
        raise PlainError(_asks(application), "own-token")


def given_at(application: Application, person: Person) -> datetime | None:
    """When a person gave their token; None where they have not."""
    own_token = _of(application, person.username)
    return own_token.given_at if own_token is not None else None


def give(person: Person, application: Application, token: str) -> None:
    """Keep a person's own token. The application has to answer to it.

    Raises:
        NotAllowed, PlainError
        ApplicationError: where it does not answer; nothing is kept then.
    """
    require(person, Action.PREPARE)
    if not application.personal:
        raise PlainError(f"{application.label} does not ask for a token of your own.", "own-token")
    if not token.strip():
        raise PlainError("A token is needed.", "token")
    from .services import a_turn

    with (
        a_turn(application.name),
        open_client(application.protocol, application.address, token.strip(), application.pages, quick=True) as client,
    ):
        client.describe()
    with transaction.atomic():
        kept = {"secret": lock(token.strip())}
        PersonalToken.objects.update_or_create(application=application, person=person, defaults=kept)
        note(person.username, "connected", f"Gave a token of their own for {application.label}", application)


def withdraw(person: Person, application: Application) -> None:
    """Forget a person's own token."""
    with transaction.atomic():
        gone, _ = PersonalToken.objects.filter(application=application, person=person).delete()
        if gone:
            note(person.username, "connected", f"Withdrew their own token for {application.label}", application)
