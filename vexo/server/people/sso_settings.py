"""What was said about single sign-on when Vexo was started."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from ..errors import PlainError
from .models import Role


@dataclass(frozen=True)
class SsoSettings:
    """A provider of OpenID Connect, and what its groups may do here.

    Attributes:
        issuer: its address, as it names itself.
        roles: group → role.
        groups_claim: under which name an ID token tells the groups.
        label: what people call it.
        local_passwords: whether people may sign in with a password too; the first administrator always may.
    """

    issuer: str
    client: str
    secret: str = field(repr=False)
    roles: Mapping[str, Role]
    groups_claim: str
    label: str
    local_passwords: bool

    def role_of(self, groups: Iterable[str]) -> Role | None:
        """The highest role that these groups give; None where they give none."""
        order = list(Role)
        given = [self.roles[group] for group in groups if group in self.roles]
        return max(given, key=order.index, default=None)


def _roles(said: str) -> dict[str, Role]:
    roles = {}
    for pair in filter(None, (one.strip() for one in said.split(","))):
        group, _, role = pair.rpartition("=")
        if not group or role not in Role.values:
            raise PlainError(
                f"VEXO_OIDC_ROLES has {pair!r}. Write it as GROUP=ROLE, divided by commas; roles are "
                f"{', '.join(Role.values)}."
            )
        roles[group.strip()] = Role(role)
    return roles


def sso_settings() -> SsoSettings | None:
    """As the environment says; None where there is no single sign-on.

    Raises:
        PlainError: where only half of it was said, or something that cannot be meant.
    """
    issuer, client = os.environ.get("VEXO_OIDC_ISSUER", "").rstrip("/"), os.environ.get("VEXO_OIDC_CLIENT", "")
    passwords = os.environ.get("VEXO_LOCAL_PASSWORDS", "on")
    if passwords not in ("on", "off"):
        raise PlainError("VEXO_LOCAL_PASSWORDS is on or off.")
    if not issuer and not client:
        if passwords == "off":
            raise PlainError("Without single sign-on (VEXO_OIDC_ISSUER), local passwords cannot be off.")
        return None
    parts = urlsplit(issuer)
    if parts.scheme not in ("https", "http") or not parts.hostname or not client:
        raise PlainError("Single sign-on needs VEXO_OIDC_ISSUER, the provider's whole address, and VEXO_OIDC_CLIENT.")
    if parts.scheme == "http" and parts.hostname not in ("127.0.0.1", "localhost"):
        raise PlainError("VEXO_OIDC_ISSUER begins with https: what it says of people must not be changed on its way.")
    roles = _roles(os.environ.get("VEXO_OIDC_ROLES", ""))
    if not roles:
        raise PlainError("VEXO_OIDC_ROLES says which group has which role, such as harbour-office=preparer.")
    return SsoSettings(
        issuer,
        client,
        os.environ.get("VEXO_OIDC_SECRET", ""),
        roles,
        os.environ.get("VEXO_OIDC_GROUPS", "groups"),
        os.environ.get("VEXO_OIDC_LABEL", "") or parts.hostname,
        passwords == "on",
    )
