"""Speaking to applications. Nothing else opens a connection to one."""

import ipaddress
import socket
from contextlib import suppress
from importlib import import_module
from typing import Protocol
from urllib.parse import urlsplit

from .base import ApplicationError, Client


class _Opens(Protocol):
    def __call__(self, address: str, token: str, pages: str, *, quick: bool) -> Client: ...


PROTOCOLS = {"odata": "vexo.applications.odata:ODataClient", "fake": "vexo.applications.fake:FakeClient"}
"""Where the client of each protocol is: most of what Vexo does asks no application, and loads none."""


def open_client(protocol: str, address: str, token: str, pages: str = "", *, quick: bool = False) -> Client:
    """The application behind an address.

    Args:
        quick: someone waits for the answers: one try, and a limit for all of them together.

    Raises:
        ApplicationError: where the protocol is not known.
    """
    if protocol not in PROTOCOLS:
        raise ApplicationError(f"Unknown protocol {protocol!r}. Use {', '.join(PROTOCOLS)}.")
    module, _, name = PROTOCOLS[protocol].partition(":")
    opens: _Opens = getattr(import_module(module), name)
    return opens(address, token, pages, quick=quick)


def check_address(address: str) -> None:
    """Raises ApplicationError where an address is not one of the web, or has a name and password in it."""
    wrong = ApplicationError(f"{address} is not an address. Write it as https://host/path, or http://host:port/path.")
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        raise wrong from None
    if parts.scheme not in ("http", "https") or not parts.hostname or port == 0 or parts.fragment or parts.query:
        raise wrong
    if parts.username is not None or parts.password is not None:
        raise ApplicationError("An address has no name and password in it. Give the token apart.")


def inner_place(address: str) -> str:
    """Where an address leads that is not a public one, in words: this machine, or the network it stands in.

    Such an address can be right, but whoever connects it should mean it: a request to it comes from Vexo's own machine
    and may reach what they could not. Empty where it is public, or where its name is not known.
    """
    host = urlsplit(address).hostname or ""
    inner_places: set[str] = set()
    with suppress(ValueError):
        inner_places.add(str(ipaddress.ip_address(host)))
    if not inner_places:
        with suppress(OSError, UnicodeError):
            inner_places = {str(one[4][0]) for one in socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)}
    places = [ipaddress.ip_address(one.partition("%")[0]) for one in sorted(inner_places)]
    plain = [getattr(place, "ipv4_mapped", None) or place for place in places]
    if any(place.is_loopback or place.is_unspecified for place in plain):
        return "the machine that Vexo runs on"
    return "Vexo's own network" if any(not place.is_global for place in plain) else ""


__all__ = ["ApplicationError", "Client", "check_address", "inner_place", "open_client"]
