"""Who a request comes from: a browser that is signed in, or a script that shows a token."""

from __future__ import annotations

from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication, SessionAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from ..journal.way_in import set_way_in
from .access_tokens import WAY, token_of
from .models import AccessToken, Person

_SCHEME = "bearer"


class TokenAuthentication(BaseAuthentication):
    """``Authorization: Bearer vexo_…``. A token that is worth nothing is refused, also beside a session: a script that
    shows one means it."""

    def authenticate(self, request: Request) -> tuple[Person, AccessToken] | None:
        header = request.headers.get("Authorization", "")
        scheme, _, text = header.partition(" ")
        if scheme.lower() != _SCHEME:
            return None
        token = token_of(text.strip())
        if token is None:
            raise AuthenticationFailed("That token is not known, has ended or was withdrawn. Make a new one.")
        person = token.person
        person.role_cap = token.role
        set_way_in(f"{WAY}{token.name}")
        return person, token

    def authenticate_header(self, request: Request) -> str:
        return 'Bearer realm="vexo"'


class TokenScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the description of the API tells of it."""

    target_class = TokenAuthentication
    name = "accessToken"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "http", "scheme": _SCHEME, "description": "A token made under “Your access”."}


class BrowserAuthentication(SessionAuthentication):
    """Django's session, with its guard against requests from other pages."""


class BrowserScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the description of the API tells of it."""

    target_class = BrowserAuthentication
    name = "session"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {
            "type": "apiKey",
            "in": "cookie",
            "name": "sessionid",
            "description": "A browser that is signed in; changes need the header X-CSRFToken besides.",
        }
