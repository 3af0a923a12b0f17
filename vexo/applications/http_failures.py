"""What goes wrong with a request, in one table: an exception or a status of HTTP, and what it means for us."""

from __future__ import annotations

from dataclasses import dataclass

import httpx

from .base import ApplicationError, NoAnswer, NotTaken, TooLarge

SOON = 8.0
"""Seconds that all questions of a quick connection may take together: longer, nobody waits before a screen."""
PAUSE = 2.0
"""Seconds before a write that was not taken goes again, where the application names no time."""


LARGEST_ANSWER = 128 * 1024**2
"""Bytes of one answer, unpacked, at most: a hundred times a page of records, and more than the largest description."""


class AnswerTooLarge(httpx.HTTPError):
    """An answer that has no end, or is packed so that it would fill the memory; the rest of it was not read."""


@dataclass(frozen=True)
class Failure:
    """What an exception or a status means.

    Attributes:
        says: the sentence, with the application's address for ``{}``.
        again: a read is worth asking again.
        write: what it is for a write: not taken, in doubt, too large, or an error that another try does not mend.
        of_write: the sentence for a write, where that is another one.
        wait: seconds after which a write that was not taken can go again by itself; None where a person has to do
            something first.
        code: of a read's error: "no-answer" where the same question may well be answered in a moment.
    """

    says: str
    again: bool = False
    write: type[ApplicationError] = ApplicationError
    of_write: str = ""
    wait: float | None = None
    code: str = ""

    def of_read_at(self, address: str) -> ApplicationError:
        """The error of a read."""
        error = ApplicationError(self.says.format(address))
        error.code = self.code
        return error

    def of_write_at(self, address: str, asked: float = 0.0) -> ApplicationError:
        """The error of a write.

        Args:
            asked: seconds that the application asks to wait.
        """
        sentence = (self.of_write or self.says).format(address)
        if self.write is not NotTaken:
            return self.write(sentence)
        return NotTaken(sentence, wait=(asked or self.wait) if self.wait is not None else None)


_NO_ANSWER = "no-answer"
_LOST = "{} took the request, but its answer never came."
_UNREACHABLE = Failure(
    "{} does not answer. Check the address and that the application is running.", True, NotTaken, wait=PAUSE
)
_NO_ADDRESS = Failure("{} is not an address. Write it as http://host:port/path.")
_TIMED_OUT = Failure("{} is slow: it did not answer in time. Try again.", True, NoAnswer, _LOST, code=_NO_ANSWER)
_BROKEN_OFF = Failure("{} breaks off its answers. Try again later.", True, NoAnswer, _LOST)
TOO_SLOW = Failure(f"{{}} is slow: no answer within {SOON:.0f} seconds. Try again later.", code=_NO_ANSWER)
_ENDLESS = Failure(
    f"{{}} answers with over {LARGEST_ANSWER // 1024**2} MB at once, which no page of records has. Tell its "
    "administrator.",
    write=NoAnswer,
    of_write=_LOST,
)
_EXCEPTIONS: tuple[tuple[type[Exception], Failure], ...] = (
    (httpx.ConnectError, _UNREACHABLE),
    (httpx.ConnectTimeout, _UNREACHABLE),
    (httpx.PoolTimeout, _UNREACHABLE),
    (httpx.UnsupportedProtocol, _NO_ADDRESS),
    (httpx.InvalidURL, _NO_ADDRESS),
    (httpx.ReadTimeout, _TIMED_OUT),
    (AnswerTooLarge, _ENDLESS),
    (httpx.HTTPError, _BROKEN_OFF),
)
"""Exceptions, the special ones first."""
_NO_TOKEN = Failure("{} refuses the token. Give it a new one, or ask its administrator.", write=NotTaken)
_BUSY = "{} is too busy to answer. Try again later."
_UNTOLD = "{{}} answered with status {}, which does not say what it took."
_STATUSES = {
    401: _NO_TOKEN,
    403: _NO_TOKEN,
    429: Failure(_BUSY, True, NotTaken, wait=PAUSE, code=_NO_ANSWER),
    **{status: Failure(_BUSY, True, NoAnswer, _UNTOLD.format(status), code=_NO_ANSWER) for status in (502, 503, 504)},
}
_OF_WRITES = {
    404: Failure("{} no longer takes batches. Ask its administrator.", write=NotTaken),
    413: Failure("{} does not take batches of this size.", write=TooLarge),
}
"""Statuses that are failures of a write only: a read of something that is not there is an answer."""


def failure_of_single(status: int) -> Failure | None:
    """What the status of one write means that goes by itself; None where it is this write's own answer: taken, or
    refused."""
    if status in (401, 413, 429) or status == 408 or status >= 500:
        return failure_of_status(status, write=True)
    if 300 <= status < 400:
        return Failure(f"{{}} leads elsewhere instead of answering a write (status {status})")
    return None


def failure_of(error: Exception) -> Failure | None:
    """What an exception means; None for one that is not of HTTP."""
    return next((failure for kind, failure in _EXCEPTIONS if isinstance(error, kind)), None)


def failure_of_status(status: int, *, write: bool = False) -> Failure | None:
    """What the status of an answer means; None where it is an answer to go on with."""
    known = _STATUSES.get(status) or (_OF_WRITES.get(status) if write else None)
    if known is not None or status == 200:
        return known
    if status >= 500 or (write and (status == 408 or 200 < status < 300)):
        says = f"{{}} failed with status {status}. Tell its administrator."
        return Failure(says, False, NoAnswer, _UNTOLD.format(status))
    return Failure(f"{{}} does not understand a batch (status {status})") if write else None
