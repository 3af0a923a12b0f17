"""Connecting applications and asking them."""

from __future__ import annotations

import re
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from string import Formatter
from typing import Any
from urllib.parse import urlsplit

from django.db import transaction
from django.utils import timezone

from vexo.applications import ApplicationError, Client, check_address, inner_place, open_client
from vexo.core.records import Catalogue
from vexo.core.rules_of_use import UseRules, under_rules

from ..errors import PlainError
from ..journal.services import note
from ..lengths import at_most
from ..people.models import Person
from ..people.rights import Action, require
from .models import Application, Stage
from .own_tokens import token_for
from .secrets import SecretError, lock, unlock


class UnknownApplication(PlainError):
    """An application that is not connected."""


def find_application(name: str) -> Application:
    """A connected application by its name. Raises UnknownApplication."""
    application = Application.objects.filter(name=name).first()
    if application is None:
        raise _unknown(name)
    return application


def _unknown(name: str) -> UnknownApplication:
    words = ", ".join(Application.objects.values_list("name", flat=True)) or "none yet"
    return UnknownApplication(f"No application is called {name!r}. Connected: {words}.")


@contextmanager
def client_of(application: Application, by: str = "", *, quick: bool = False, writes: bool = False) -> Iterator[Client]:
    """An open connection.

    Args:
        by: whose work it is, by the name they sign in with; where the application asks for that, it goes under their
            own token.
        writes: what is done writes.

    Raises:
        ApplicationError: where the stored token cannot be used, or there is none to write with.
    """
    token = token_for(application, by, writes=writes)
    with open_client(application.protocol, application.address, token, application.pages, quick=quick) as client:
        yield client


LONGEST_LABEL, LONGEST_ADDRESS = 120, 300
"""Characters of the name of an application for people, and of an address."""
_SHORT_NAME = re.compile(r"[-\w]{1,50}", re.ASCII)
_OF_ONE, _OF_ALL = 2, 4
_asking: Counter[str] = Counter()
_turns = threading.Lock()


@contextmanager
def a_turn(name: str) -> Iterator[None]:
    """A place among the few questions that screens wait for, so that a slow application takes no others with it.

    Raises:
        PlainError: where all places are taken.
    """
    with _turns:
        if _asking[name] >= _OF_ONE or _asking.total() >= _OF_ALL:
            raise PlainError("The application is slow just now, and others wait for it. Try again in a moment.", "slow")
        _asking[name] += 1
    try:
        yield
    finally:
        with _turns:
            _asking[name] -= 1


@contextmanager
def asking(application: Application, by: str = "") -> Iterator[Client]:
    """A connection for a question that a screen waits for: one try, a limit, and not too many at once.

    Args:
        by: whose question it is, as for ``client_of``.

    Raises:
        ApplicationError, PlainError
    """
    with a_turn(application.name), client_of(application, by, quick=True) as client:
        yield client


def describe(application: Application, client: Client | None = None) -> Catalogue:
    """Ask the application what it holds, and keep its answer and how long it took; its rules lie over it."""
    began = time.monotonic()
    try:
        if client is None:
            with client_of(application) as own_client:
                catalogue = own_client.describe()
        else:
            catalogue = client.describe()
    except ApplicationError as error:
        Application.objects.filter(pk=application.pk).update(trouble=str(error), answers_ms=None)
        raise
    took = int((time.monotonic() - began) * 1000)
    fresh: dict[str, Any] = {"described_at": timezone.now(), "answers_ms": took, "trouble": ""}
    if application.told != catalogue:
        application.catalogue = fresh["catalogue"] = catalogue.to_json()
    Application.objects.filter(pk=application.pk).update(**fresh)
    return under_rules(catalogue, UseRules.from_json(application.rules))


_JUST_NOW = timedelta(seconds=60)
"""How old an answer about what an application holds may be, for the second of two steps of one piece of work."""


def describe_once(application: Application, client: Client, described_at: datetime | None) -> Catalogue:
    """What the application holds, without asking again within one piece of work.

    Args:
        described_at: when the step before this one asked.
    """
    known = application.known
    last_described = application.described_at
    if (
        known is not None
        and last_described is not None
        and described_at == last_described
        and timezone.now() - last_described < _JUST_NOW
    ):
        return known
    return describe(application, client)


def check_place(address: str, *, inside: bool) -> None:
    """Raises ApplicationError for what is not an address, PlainError for an address of Vexo's own machine or network
    of which nobody has said that it is meant (an SSRF guard)."""
    check_address(address)
    place = inner_place(address)
    if place and not inside:
        raise PlainError(f"{address} is an address of {place}. Connect it if that is meant.", "inside")


def check_pages(pages: str) -> None:
    """Raises PlainError for what is not the address of a record's page, with ``{source}`` and ``{id}`` in it."""
    says = "The page of a record is an address such as https://stock.example.org/{source}/{id}/."
    try:
        parts = [one for one in Formatter().parse(pages) if one[1] is not None]
    except ValueError as error:
        raise PlainError(says, "pages") from error
    odd = [one for one in parts if one[1] not in ("source", "id") or one[2] or one[3]]
    if pages and (odd or urlsplit(pages).scheme not in ("http", "https") or not urlsplit(pages).hostname):
        raise PlainError(says, "pages")


@dataclass(frozen=True)
class Connection:
    """What a connection is made of. An empty ``token`` leaves the one that is kept, an empty ``label`` is the
    application's own; ``longest_request`` in seconds; None leaves what is kept."""

    name: str
    address: str
    stage: str
    token: str = ""
    label: str = ""
    pages: str = ""
    protocol: str = "odata"
    longest_request: float | None = None
    personal: bool | None = None


def connect(by: Person, wanted: Connection, *, change: bool = False, inside: bool = False) -> Application:
    """Connect an application; it must answer.

    Args:
        change: there is a connection of that name, and it becomes this one.
        inside: the address may be one of this machine or network; whoever says so has been told.

    Raises:
        NotAllowed, PlainError
        ApplicationError: where it does not answer; nothing is kept then.
    """
    require(by, Action.CONNECT)
    if not change and not _SHORT_NAME.fullmatch(wanted.name):
        raise PlainError("A short name has from 1 to 50 English letters, figures, - and _, and no blanks.", "name")
    at_most(LONGEST_LABEL, wanted.label, "An application's name", "name")
    at_most(LONGEST_ADDRESS, wanted.address, "An address", "name")
    at_most(LONGEST_ADDRESS, wanted.pages, "The address of a record's page", "pages")
    before = Application.objects.filter(name=wanted.name).first()
    if wanted.stage not in Stage.values:
        raise ApplicationError(f"{wanted.stage!r} is neither live nor practice.")
    if before is not None and not change:
        raise PlainError(f"{wanted.name} is connected already: {before.label}. Choose another short name.", "taken")
    if before is None and change:
        raise _unknown(wanted.name)
    check_pages(wanted.pages)
    if wanted.protocol == "odata":
        check_place(wanted.address, inside=inside)
    token = wanted.token or (_kept_token(before, wanted) if before else "")
    with (
        a_turn(wanted.name),
        open_client(wanted.protocol, wanted.address, token, wanted.pages, quick=True) as client,
    ):
        catalogue = client.describe()
    values: dict[str, Any] = {
        "label": wanted.label or catalogue.label,
        "address": wanted.address,
        "stage": wanted.stage,
        "pages": wanted.pages,
        "protocol": wanted.protocol,
    }
    if wanted.longest_request is not None:
        values["longest_request"] = wanted.longest_request
    if wanted.personal is not None:
        values["personal"] = wanted.personal
    changed = [name for name, value in values.items() if before is not None and getattr(before, name) != value]
    changed += ["token"] if before is not None and not _holds(before, token) else []
    fresh = {"secret": lock(token), "catalogue": catalogue.to_json(), "described_at": timezone.now(), "trouble": ""}
    with transaction.atomic():
        application, _ = Application.objects.update_or_create(name=wanted.name, defaults=values | fresh)
        if before is not None and _place(before.address) != _place(wanted.address):
            # They were given for the former place.
            application.personal_tokens.all().delete()
        words = f"Connected {application.label} at {application.address}"
        if before is not None:
            words = f"Changed the connection of {application.label}: {', '.join(changed) or 'nothing'}"
        if before is None or changed:
            note(by.username, "connected", words, application)
    return application


def _holds(kept: Application, token: str) -> bool:
    """Whether the kept token is this one."""
    try:
        return unlock(kept.secret) == token
    except SecretError:
        return False


def _place(address: str) -> tuple[str, str]:
    """The origin of an address."""
    parts = urlsplit(address)
    return parts.scheme, parts.netloc


def _kept_token(before: Application, wanted: Connection) -> str:
    """The token that is kept, but for another origin: it was given for the one it goes to."""
    if _place(before.address) != _place(wanted.address) and before.secret:
        raise PlainError("The token is kept for the former address. Give it again for this one.", "token")
    try:
        return unlock(before.secret)
    except SecretError as error:
        raise PlainError(str(error), "token") from error
