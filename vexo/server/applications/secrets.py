"""Secrets at rest: encrypted with the key of the installation, never shown or logged."""

from __future__ import annotations

import base64
import hashlib
from typing import TYPE_CHECKING

from ..data_folder import secret_key

if TYPE_CHECKING:
    from cryptography.fernet import Fernet


class SecretError(Exception):
    """A secret that this installation's key does not open."""


def _box() -> Fernet:
    from cryptography.fernet import Fernet

    return Fernet(base64.urlsafe_b64encode(hashlib.sha256(b"application secrets:" + secret_key().encode()).digest()))


def lock(secret: str) -> str:
    """A secret as it may be stored."""
    return _box().encrypt(secret.encode()).decode() if secret else ""


def unlock(stored: str) -> str:
    """The secret again. Raises SecretError."""
    if not stored:
        return ""
    from cryptography.fernet import InvalidToken

    try:
        return _box().decrypt(stored.encode()).decode()
    except InvalidToken as error:
        raise SecretError("The stored token cannot be opened with this installation's key. Give it again.") from error
