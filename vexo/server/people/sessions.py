"""Sessions whose keys cannot be read from a copy of the database: a digest stands there in their place."""

from __future__ import annotations

import hashlib
import hmac
from typing import Any

from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore as Plain


def _digest(key: str) -> str:
    digest = hmac.new(settings.SECRET_KEY.encode(), f"session {key}".encode(), hashlib.sha256)
    return digest.hexdigest()[:40]


class SessionStore(Plain):
    """Django's own, but for the key under which a session is kept."""

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
        session = super().create_model_instance(data)
        session.session_key = _digest(session.session_key)
        return session

    def delete(self, session_key: str | None = None) -> None:
        key = session_key if session_key is not None else self.session_key
        if key is not None:
            super().delete(_digest(key))
