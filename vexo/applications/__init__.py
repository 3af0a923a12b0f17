"""Speaking to applications. Nothing else opens a connection to one."""

from typing import Protocol
from urllib.parse import urlsplit

from .base import Application, ApplicationError
from .fake import FakeApplication
from .odata import ODataApplication


class _Opens(Protocol):
    def __call__(self, address: str, token: str, pages: str, *, quick: bool) -> Application: ...


PROTOCOLS: dict[str, _Opens] = {"odata": ODataApplication, "fake": FakeApplication}


def open_application(protocol: str, address: str, token: str, pages: str = "", *, quick: bool = False) -> Application:
    """The application behind an address.

    Args:
        quick: someone waits for the answers: one try, and a limit for all of them together.

    Raises:
        ApplicationError: where the protocol is not known.
    """
    if protocol not in PROTOCOLS:
        raise ApplicationError(
            f"{protocol!r} is no protocol that can be spoken here; it is one of {', '.join(PROTOCOLS)}."
        )
    return PROTOCOLS[protocol](address, token, pages, quick=quick)


def check_address(address: str) -> None:
    """Raises ApplicationError where an address is not one of the web, or has a name and password in it."""
    wrong = ApplicationError(f"{address} is no address. Write it as https://host/path, or http://host:port/path.")
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        raise wrong from None
    if parts.scheme not in ("http", "https") or not parts.hostname or port == 0 or parts.fragment or parts.query:
        raise wrong
    if parts.username is not None or parts.password is not None:
        raise ApplicationError("An address has no name and password in it. Give the token apart.")


__all__ = ["Application", "ApplicationError", "check_address", "open_application"]
