"""Sessions: kept under a digest of their keys, known by whose they are, and ended when nobody is at them."""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth import SESSION_KEY, logout
from django.contrib.sessions.backends.db import SessionStore as Plain
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from vexo.core.wording import thousands

from ..errors import PlainError
from ..installation.services import installation_settings
from ..journal.services import note
from .models import Person, Session
from .rights import Action, require

IDLE_HEADER = "Vexo-Idle"
"""Header of a request: seconds since a key or the mouse was last used there. What a page asks by itself is not use."""
_WRITTEN_EACH = timedelta(minutes=1)
"""How exactly the last use is kept: each request would be a write else."""


def _digest(key: str) -> str:
    digest = hmac.new(settings.SECRET_KEY.encode(), f"session {key}".encode(), hashlib.sha256)
    return digest.hexdigest()[:40]


class SessionStore(Plain):
    """Django's own, but for the key under which a session is kept, and whose it is beside it."""

    @classmethod
    def get_model_class(cls) -> type[Session]:
        return Session

    def _get_session_from_db(self) -> Any:
        kept, key = _digest(str(self.session_key)), self._session_key
        try:
            self._session_key = kept
            return super()._get_session_from_db()  # type: ignore[misc]
        finally:
            if self._session_key == kept:
                self._session_key = key

    def exists(self, session_key: str) -> bool:
        return bool(super().exists(_digest(session_key)))

    def create_model_instance(self, data: dict[str, Any]) -> Any:
        session: Any = super().create_model_instance(data)
        session.session_key = _digest(session.session_key)
        session.person_id = data.get(SESSION_KEY)
        session.address, session.browser = data.get("address", ""), data.get("browser", "")
        session.began_at, session.used_at = _moment(data.get("began_at")), _moment(data.get("used_at"))
        return session

    def delete(self, session_key: str | None = None) -> None:
        key = session_key if session_key is not None else self.session_key
        if key is not None:
            super().delete(_digest(key))


def _moment(text: str | None) -> datetime | None:
    return datetime.fromisoformat(text) if text else None


def begin(request: HttpRequest, address: str) -> None:
    """Remember from where a session began, and when."""
    now = timezone.now().isoformat()
    browser = request.headers.get("User-Agent", "")[:300]
    request.session.update({"began_at": now, "used_at": now, "address": address[:60], "browser": browser})


class IdleMiddleware:
    """Ends a session at which nobody has been for as long as the installation allows."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.session.get(SESSION_KEY):
            self._look(request)
        return self.get_response(request)

    def _look(self, request: HttpRequest) -> None:
        now, limit = timezone.now(), installation_settings().idle_minutes
        before = _moment(request.session.get("used_at"))
        if limit and before is not None and now - before > timedelta(minutes=limit):
            logout(request)
            return
        header = request.headers.get(IDLE_HEADER, "")
        idle = int(header) if header.isascii() and header.isdecimal() and len(header) < 10 else 0
        used = now - timedelta(seconds=idle)
        # A clock that was set back leaves a use in the future: it is brought back, not believed.
        if before is None or used - before > _WRITTEN_EACH or before > now:
            request.session["used_at"] = used.isoformat()


def sessions_of(person: Person) -> list[Session]:
    """The browsers in which a person is signed in, last used first."""
    now = timezone.now()
    limit = installation_settings().idle_minutes
    sessions = Session.objects.filter(person=person, expire_date__gt=now)
    if limit:
        sessions = sessions.filter(used_at__gt=now - timedelta(minutes=limit))
    return list(sessions.order_by("-used_at"))


def public_number(session: Session) -> str:
    """How a session is named over HTTP: part of the digest, from which nothing can be made."""
    return str(session.session_key)[:12]


def is_this(session: Session, request: HttpRequest) -> bool:
    """Whether a request came in this session."""
    key = request.session.session_key
    return key is not None and hmac.compare_digest(_digest(key), session.session_key)


def end_sessions(by: Person, person: Person, *, number: str = "", but: HttpRequest | None = None) -> int:
    """End a person's sessions, or the one with a number: how many these were.

    Args:
        but: the request whose own session stays.

    Raises:
        NotAllowed, PlainError
    """
    if by.pk != person.pk:
        require(by, Action.PEOPLE)
    with transaction.atomic():
        ending = [
            session
            for session in Session.objects.filter(person=person)
            if (not number or public_number(session) == number) and (but is None or not is_this(session, but))
        ]
        if number and not ending:
            raise PlainError("That session has ended already.", "gone")
        Session.objects.filter(pk__in=[session.pk for session in ending]).delete()
        if ending:
            words = "1 session" if len(ending) == 1 else f"{thousands(len(ending))} sessions"
            note(by.username, "people", f"Signed {person.username} out of {words}")
    return len(ending)
