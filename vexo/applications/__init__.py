"""Speaking to applications. Nothing else opens a connection to one."""

from collections.abc import Callable

from .base import Application, ApplicationError
from .fake import FakeApplication
from .odata import ODataApplication

PROTOCOLS: dict[str, Callable[[str, str, str], Application]] = {"odata": ODataApplication, "fake": FakeApplication}


def open_application(protocol: str, address: str, token: str, pages: str = "") -> Application:
    """The application behind an address.

    Raises:
        ApplicationError: where the protocol is not known.
    """
    if protocol not in PROTOCOLS:
        raise ApplicationError(
            f"{protocol!r} is no protocol that can be spoken here; it is one of {', '.join(PROTOCOLS)}."
        )
    return PROTOCOLS[protocol](address, token, pages)


__all__ = ["Application", "ApplicationError", "open_application"]
