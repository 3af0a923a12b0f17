"""Connecting applications and asking them."""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.utils import timezone

from vexo.applications import Application as Client
from vexo.applications import ApplicationError, check_address, open_application
from vexo.core.records import Catalogue

from ..errors import PlainError
from .models import Application, Stage
from .secrets import SecretError, lock, unlock


class UnknownApplication(PlainError):
    """An application that is not connected."""


def find_application(name: str) -> Application:
    """A connected application by its name. Raises UnknownApplication."""
    found = Application.objects.filter(name=name).first()
    if found is None:
        there = ", ".join(Application.objects.values_list("name", flat=True)) or "none yet"
        raise UnknownApplication(f"No application is called {name!r}. Connected: {there}.")
    return found


@contextmanager
def client_of(application: Application, *, quick: bool = False) -> Iterator[Client]:
    """An open connection. Raises ApplicationError where the stored token cannot be used."""
    try:
        token = unlock(application.secret)
    except SecretError as error:
        raise ApplicationError(f"{application.label}: {error}") from error
    with open_application(application.protocol, application.address, token, application.pages, quick=quick) as client:
        yield client


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
def asking(application: Application) -> Iterator[Client]:
    """A connection for a question that a screen waits for: one try, a limit, and not too many at once.

    Raises:
        ApplicationError, PlainError
    """
    with a_turn(application.name), client_of(application, quick=True) as client:
        yield client


def describe(application: Application, client: Client | None = None) -> Catalogue:
    """Ask the application what it holds, and keep its answer and how long it took."""
    began = time.monotonic()
    try:
        if client is None:
            with client_of(application) as own:
                catalogue = own.describe()
        else:
            catalogue = client.describe()
    except ApplicationError as error:
        Application.objects.filter(pk=application.pk).update(trouble=str(error), answers_ms=None)
        raise
    took = int((time.monotonic() - began) * 1000)
    fresh: dict[str, Any] = {"described_at": timezone.now(), "answers_ms": took, "trouble": ""}
    known = application.known
    if known is None or known.version != catalogue.version:
        application.catalogue = fresh["catalogue"] = catalogue.to_json()
    Application.objects.filter(pk=application.pk).update(**fresh)
    return catalogue


def connect(
    name: str,
    label: str,
    address: str,
    token: str,
    stage: str,
    pages: str = "",
    protocol: str = "odata",
    longest_request: float | None = None,
) -> Application:
    """Connect an application, or change the connection of that name; it must answer.

    Raises:
        ApplicationError: where it does not; nothing is kept then.
    """
    if stage not in Stage.values:
        raise ApplicationError(f"{stage!r} is neither live nor practice.")
    if protocol == "odata":
        check_address(address)
    with a_turn(name), open_application(protocol, address, token, pages, quick=True) as client:
        catalogue = client.describe()
    values = {
        "label": label or catalogue.label,
        "address": address,
        "secret": lock(token),
        "stage": stage,
        "pages": pages,
        "protocol": protocol,
        "catalogue": catalogue.to_json(),
        "described_at": timezone.now(),
        "trouble": "",
    }
    if longest_request is not None:
        values["longest_request"] = longest_request
    application, _ = Application.objects.update_or_create(name=name, defaults=values)
    return application
