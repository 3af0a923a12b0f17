"""Single sign-on by OpenID Connect: the authorization code flow, with proof key, state and nonce."""

from __future__ import annotations

import re
import secrets
import time
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import httpx
from django.db import transaction
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from ..errors import PlainError
from ..journal.services import note
from .models import Person, Role
from .services import full_name, is_last_administrator
from .sso_settings import SsoSettings

if TYPE_CHECKING:
    # Imported when somebody comes in by it: it takes as long as all the rest of the page.
    from authlib.integrations.httpx_client import OAuth2Client

_SECONDS = 8.0
"""Seconds in which the provider has to answer: somebody waits before a page."""
_KEPT_SECONDS = 600.0
"""Seconds for which what the provider says of itself is not asked again."""
_LARGEST = 1024 * 1024
"""Bytes of an answer of the provider at most."""
_ALGORITHMS = ["RS256", "RS384", "RS512", "ES256", "ES384", "ES512", "PS256", "PS384", "PS512", "EdDSA"]
"""Signatures that are believed: all need the provider's own key, none a secret that others know."""
_LEEWAY = 60
"""Seconds that the provider's clock may be off."""


class SsoError(PlainError):
    """Somebody cannot come in by single sign-on; the sentence says why, and whom to ask."""

    def __init__(self, message: str) -> None:
        super().__init__(message, "sso")


@dataclass(frozen=True)
class _Provider:
    """What a provider says of itself."""

    authorization: str
    token: str
    keys: KeySet
    asked_at: float


_known: dict[str, _Provider] = {}


def _asked(client: httpx.Client, address: str) -> Any:
    with client.stream("GET", address) as answer:
        content = b""
        for piece in answer.iter_bytes():
            content += piece
            if len(content) > _LARGEST:
                raise SsoError("The provider of single sign-on answers with too much. Tell its administrator.")
        if answer.status_code != 200:
            raise SsoError(f"The provider of single sign-on answers with status {answer.status_code}.")
    return httpx.Response(200, content=content).json()


def _provider(settings: SsoSettings, *, anew: bool = False) -> _Provider:
    """What the provider says of itself. Raises SsoError."""
    known = _known.get(settings.issuer)
    if known is not None and not anew and 0 <= time.monotonic() - known.asked_at < _KEPT_SECONDS:
        return known
    try:
        with httpx.Client(timeout=_SECONDS, trust_env=False) as client:
            configuration = _asked(client, f"{settings.issuer}/.well-known/openid-configuration")
            if str(configuration["issuer"]).rstrip("/") != settings.issuer:
                raise SsoError("The provider of single sign-on names itself otherwise than it was said here.")
            keys = KeySet.import_key_set(_asked(client, configuration["jwks_uri"]))
            provider = _Provider(
                configuration["authorization_endpoint"], configuration["token_endpoint"], keys, time.monotonic()
            )
    except (httpx.HTTPError, httpx.InvalidURL, ValueError, KeyError, TypeError, JoseError) as error:
        raise SsoError("The provider of single sign-on does not answer as one does. Try again later.") from error
    _known[settings.issuer] = provider
    return provider


def _client(settings: SsoSettings, back: str) -> OAuth2Client:
    from authlib.integrations.httpx_client import OAuth2Client

    return OAuth2Client(
        settings.client,
        settings.secret or None,
        scope="openid profile email",
        redirect_uri=back,
        code_challenge_method="S256",
        token_endpoint_auth_method="client_secret_basic" if settings.secret else "none",
        timeout=_SECONDS,
        trust_env=False,
    )


def begin(settings: SsoSettings, back: str) -> tuple[str, dict[str, str]]:
    """Where the person is sent, and what has to be remembered until they are back. Raises SsoError."""
    provider = _provider(settings)
    verifier, nonce = secrets.token_urlsafe(48), secrets.token_urlsafe(24)
    with _client(settings, back) as client:
        address, state = client.create_authorization_url(provider.authorization, code_verifier=verifier, nonce=nonce)
    return address, {"state": state, "verifier": verifier, "nonce": nonce}


def claims_of(settings: SsoSettings, back: str, code: str, remembered: Mapping[str, str]) -> Mapping[str, Any]:
    """What the provider says of who came back. Raises SsoError."""
    from authlib.common.errors import AuthlibBaseError

    provider = _provider(settings)
    try:
        with _client(settings, back) as client:
            token = client.fetch_token(provider.token, code=code, code_verifier=remembered["verifier"])
        signed = str(token["id_token"])
    except (httpx.HTTPError, AuthlibBaseError, KeyError, TypeError, ValueError) as error:
        raise SsoError("The provider of single sign-on did not say who you are. Try again.") from error
    try:
        try:
            read = jwt.decode(signed, provider.keys, algorithms=_ALGORITHMS)
        except (JoseError, ValueError):
            # It may have other keys by now.
            read = jwt.decode(signed, _provider(settings, anew=True).keys, algorithms=_ALGORITHMS)
        jwt.JWTClaimsRegistry(
            leeway=_LEEWAY,
            iss={"essential": True, "values": [settings.issuer, f"{settings.issuer}/"]},
            aud={"essential": True, "value": settings.client},
            exp={"essential": True},
            sub={"essential": True},
            nonce={"essential": True, "value": remembered["nonce"]},
        ).validate(read.claims)
    except (JoseError, ValueError, KeyError) as error:
        raise SsoError("What the provider of single sign-on says of you cannot be believed. Try again.") from error
    audience = read.claims["aud"]
    if isinstance(audience, list) and len(audience) > 1 and read.claims.get("azp") != settings.client:
        raise SsoError("What the provider of single sign-on says of you was meant for another program.")
    return read.claims


def _groups(settings: SsoSettings, claims: Mapping[str, Any]) -> list[str]:
    groups = claims.get(settings.groups_claim, [])
    return [str(group) for group in groups] if isinstance(groups, list) else [str(groups)]


def person_of_claims(settings: SsoSettings, claims: Mapping[str, Any]) -> Person:
    """Who that is here, with the role that their groups give by now; somebody new is added.

    Raises:
        SsoError: where their groups give no role, they were removed here, or their name is another's.
    """
    subject = f"{settings.issuer}|{claims['sub']}"
    role = settings.role_of(_groups(settings, claims))
    with transaction.atomic():
        person = Person.objects.filter(sso_subject=subject).first()
        if person is not None and not person.is_active:
            raise SsoError("Your access was removed here. Ask an administrator.")
        if role is None:
            raise SsoError("None of your groups has a role in Vexo. Ask whoever gives groups.")
        if person is None:
            person = _linked(subject, claims) or _added(subject, claims, role)
        _give(person, role)
    return person


def _username(claims: Mapping[str, Any]) -> str:
    claimed = str(claims.get("preferred_username") or claims.get("email") or "").strip()
    name = re.sub(r"[^\w.@+-]", "-", claimed, flags=re.ASCII)[:150]
    if not re.search(r"[0-9A-Za-z]", name):
        raise SsoError("The provider of single sign-on says no name by which you could be known here.")
    return name


def _linked(subject: str, claims: Mapping[str, Any]) -> Person | None:
    """Somebody whom an administrator has added without a password, for whoever the provider calls so; None where
    nobody has the name. A person with a password is somebody already: the name alone proves nothing."""
    person = Person.objects.filter(username__iexact=_username(claims)).first()
    if person is None:
        return None
    if not person.is_active or person.sso_subject or person.has_usable_password():
        raise SsoError(f"The name {person.username} is somebody else's here. Ask an administrator.")
    person.sso_subject = subject
    person.save(update_fields=["sso_subject"])
    note(person.username, "people", f"{person.username} is known by single sign-on from now on")
    return person


def _full_name(username: str, name: str) -> str:
    """As the provider says it, with what tells people of one name apart in the journal; the name to sign in with where
    that one cannot be read for sure. Raises SsoError."""
    for wanted in (name, f"{name[: 77 - len(username)]} ({username})", username):
        with suppress(PlainError):
            return full_name(username, wanted)
    raise SsoError(f"Nobody can be called {username} here. Ask an administrator.")


def _added(subject: str, claims: Mapping[str, Any], role: Role) -> Person:
    username = _username(claims)
    full = _full_name(username, str(claims.get("name") or username))
    email = str(claims.get("email") or "")[:254] if claims.get("email_verified") is True else ""
    person = Person(username=username, name=full, role=role, sso_subject=subject, email=email)
    person.set_unusable_password()
    person.save()
    note(username, "people", f"Added {username}, {role.label.lower()}, by single sign-on")
    return person


def _give(person: Person, role: Role) -> None:
    """The role that the groups give; but neither the first nor the last administrator loses theirs by a group."""
    if person.role == role or is_first_administrator(person) or is_last_administrator(person):
        return
    person.role = role
    person.save(update_fields=["role"])
    note(person.username, "people", f"{person.username} is {role.label.lower()} now, by their groups")


def is_first_administrator(person: Person) -> bool:
    """Whether the person began this installation: they can always come in with a password, whatever becomes of the
    provider."""
    first = Person.objects.order_by("pk").first()
    return first is not None and first.pk == person.pk and person.role == Role.ADMINISTRATOR
