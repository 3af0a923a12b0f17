"""One pooled HTTP connection to an application, with patience and plain words for what goes wrong."""

from __future__ import annotations

import random
import ssl
import threading
import time
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

import httpx
import simplejson

from .base import ApplicationError
from .http_failures import (
    LARGEST_ANSWER,
    SOON,
    TOO_SLOW,
    AnswerTooLarge,
    Failure,
    failure_of,
    failure_of_single,
    failure_of_status,
)

TRIES = 6
"""Attempts of a read: with their pauses they take three seconds, which outlast a restart behind a proxy."""
_LONGEST_WAIT = 30.0
"""Seconds; an application that asks for more is told of, not waited for."""
_CHUNK = 64 * 1024
"""Bytes of a request's body that go at once."""
_OF_TRANSFER = ("content-encoding", "content-length", "transfer-encoding")
"""Headers that tell how an answer came, and not what it is."""
LONGEST_REQUEST = 60.0
"""Seconds between two reads of an answer, after which it is lost."""


@cache
def _trusted() -> ssl.SSLContext:
    """The certificates this machine trusts, read once: that takes longer than most questions."""
    return ssl.create_default_context()


@cache
def _unused() -> ssl.SSLContext:
    """What stands for certificates where none are asked for: making one takes longer than a short question."""
    return ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)


class Connection:
    """Sends requests below one address.

    Args:
        transport: another way to the network, for tests.
        sleep: how to wait, for tests.
        quick: someone waits for the answer: each question is asked once, and all of them must be over in ``SOON``.
    """

    def __init__(
        self,
        address: str,
        token: str,
        transport: httpx.BaseTransport | None = None,
        sleep: Callable[[float], None] = time.sleep,
        *,
        quick: bool = False,
    ) -> None:
        self._tries = 1 if quick else TRIES
        self._until = time.monotonic() + SOON if quick else None
        headers = {"Accept": "application/json", "OData-MaxVersion": "4.01"}
        if token:
            headers["Authorization"] = f"Bearer {token}"
        self.address = address.rstrip("/") + "/"
        self._sleep = sleep
        try:
            self._client = httpx.Client(
                base_url=self.address,
                headers=headers,
                timeout=httpx.Timeout(LONGEST_REQUEST, connect=5),
                limits=httpx.Limits(max_connections=8),
                transport=transport,
                verify=_trusted() if self.address.lower().startswith("https:") else _unused(),
                follow_redirects=False,
                trust_env=False,
            )
        except (httpx.InvalidURL, ValueError) as error:
            raise ApplicationError(f"{address} is not an address. Write it as http://host:port/path.") from error
        # The time limit of a request holds between two reads only: an answer that drips would go on without end.
        self._end = threading.Timer(SOON, self._client.close)
        self._end.daemon = True
        if quick:
            self._end.start()

    def close(self) -> None:
        self._end.cancel()
        self._client.close()

    @property
    def _over(self) -> bool:
        return self._until is not None and time.monotonic() >= self._until

    def get(self, path: str, headers: dict[str, str] | None = None) -> httpx.Response:
        """Read; asked again while the application is busy or the connection breaks."""
        return self._send("GET", path, headers)

    def post_once(
        self, path: str, body: Any, headers: dict[str, str], before_body: Callable[[], None]
    ) -> httpx.Response:
        """Send a batch of writes, once; what goes again and when is for the caller to say.

        Args:
            before_body: called when the request's head is out and nothing of its body; what it raises ends the request.

        Raises:
            NotTaken, TooLarge, NoAnswer: by the status of the answer, or by how far the request came.
        """
        response = self._once("POST", path, body, headers, before_body)
        self._refuse_failed(response, failure_of_status(response.status_code, write=True))
        return response

    def send_once(
        self, method: str, path: str, body: Any, headers: dict[str, str], before_body: Callable[[], None]
    ) -> httpx.Response:
        """Send one write by itself, once. Its refusal is an answer; else as ``post_once``.

        Args:
            body: None for a delete.
        """
        response = self._once(method, path, body, headers, before_body)
        self._refuse_failed(response, failure_of_single(response.status_code))
        return response

    def _once(
        self, method: str, path: str, body: Any, headers: dict[str, str], before_body: Callable[[], None]
    ) -> httpx.Response:
        content = simplejson.dumps(body, use_decimal=True).encode() if body is not None else b""
        length = {"Content-Type": "application/json", "Content-Length": str(len(content)), **headers}

        def body_of() -> Iterator[bytes]:
            before_body()
            for start in range(0, len(content), _CHUNK):
                yield content[start : start + _CHUNK]

        try:
            with self._client.stream(method, path, content=body_of(), headers=length) as answer:
                return _whole(answer)
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise self._failure(error).of_write_at(self.address) from error

    def _refuse_failed(self, response: httpx.Response, failure: Failure | None) -> None:
        if failure is None:
            return
        retry_after = min(_seconds(response.headers.get("Retry-After")), _LONGEST_WAIT)
        raised = failure.of_write_at(self.address, retry_after)
        raise raised if type(raised) is not ApplicationError else ApplicationError(f"{raised}{_said(response)}")

    def post_definition(self, path: str, body: Any) -> None:
        """Change what the application's records are; never sent twice. Raises ApplicationError with what it says."""
        try:
            content = simplejson.dumps(body, use_decimal=True).encode()
            headers = {"Content-Type": "application/json"}
            with self._client.stream("POST", path, content=content, headers=headers) as answer:
                response = _whole(answer)
        except httpx.HTTPError as error:
            raise ApplicationError(f"{self.address} gave no answer. Look whether it was done.") from error
        if response.status_code in (401, 403):
            raise ApplicationError(f"{self.address} does not let this token do that. Ask its administrator.")
        if response.status_code not in (200, 201, 204):
            raise ApplicationError(f"The application refuses it{_said(response)}")

    @staticmethod
    def _failure(error: Exception) -> Failure:
        failure = failure_of(error)
        if failure is None:
            raise error
        return failure

    def _own(self, path: str) -> httpx.URL:
        """A path or a link as an address. Raises ApplicationError where it leads to another origin."""
        base = httpx.URL(self.address)
        try:
            url = base.join(path)
        except (httpx.InvalidURL, ValueError) as error:
            raise ApplicationError(
                f"{self.address} gives a link that cannot be read. Tell its administrator."
            ) from error
        if (url.scheme, url.host, url.port) != (base.scheme, base.host, base.port) or url.userinfo:
            raise ApplicationError(
                f"{self.address} leads on to {url.scheme}://{url.host}. The token goes nowhere else, so this link is "
                "not followed. Ask its administrator."
            )
        return url

    def _limit(self) -> httpx.Timeout:
        """How long the next question may take. Raises ApplicationError where no time is left."""
        if self._until is None:
            return httpx.Timeout(LONGEST_REQUEST, connect=5)
        left = self._until - time.monotonic()
        if left <= 0:
            raise self._slow()
        return httpx.Timeout(left, connect=min(left, 5))

    def _slow(self) -> ApplicationError:
        return TOO_SLOW.of_read_at(self.address)

    def _send(self, method: str, path: str, headers: dict[str, str] | None) -> httpx.Response:
        url = self._own(path)
        for attempt in range(self._tries):
            retry_after: str | None = None
            cause: Exception | None = None
            try:
                asking = self._client.stream(method, url, headers=dict(headers or {}), timeout=self._limit())
                with asking as answer:
                    response = _whole(answer)
                failure = failure_of_status(response.status_code)
                retry_after = response.headers.get("Retry-After")
            except (httpx.HTTPError, httpx.InvalidURL, OSError, RuntimeError) as error:
                # The connection of a quick question is closed from outside when its time is over.
                if self._over and not isinstance(error, httpx.TimeoutException | httpx.ConnectError):
                    raise self._slow() from error
                failure, cause = self._failure(error), error
            if failure is None:
                return response
            if not failure.again or attempt == self._tries - 1:
                raise failure.of_read_at(self.address) from cause
            self._wait(attempt, retry_after)
        raise AssertionError("unreachable")

    def _wait(self, attempt: int, asked: str | None) -> None:
        seconds = min(2.0**attempt * 0.1, 5.0) * (1 + random.random() / 4)
        self._sleep(min(max(seconds, _seconds(asked)), _LONGEST_WAIT))


def _whole(answer: httpx.Response) -> httpx.Response:
    """An answer with all of its content, unpacked. Raises AnswerTooLarge, and what breaks off."""
    pieces, size = [], 0
    for piece in answer.iter_bytes():
        size += len(piece)
        if size > LARGEST_ANSWER:
            raise AnswerTooLarge("the answer is too large")
        pieces.append(piece)
    headers = [(name, value) for name, value in answer.headers.multi_items() if name.lower() not in _OF_TRANSFER]
    return httpx.Response(answer.status_code, headers=headers, content=b"".join(pieces), request=answer.request)


def _seconds(asked: str | None) -> float:
    """What a Retry-After header asks for in seconds; 0 where it says no number."""
    return float(asked) if asked and asked.isascii() and asked.isdecimal() else 0.0


def json_of(response: httpx.Response) -> Any:
    """The JSON of an answer, numbers exact. Raises ApplicationError."""
    try:
        return simplejson.loads(response.content, use_decimal=True)
    except ValueError:
        address = response.request.url.copy_with(query=None)
        raise ApplicationError(f"{address} does not answer in JSON. Is it the address of an OData service?") from None


def _said(response: httpx.Response) -> str:
    """The message of an OData error, if there is one."""
    try:
        message = simplejson.loads(response.content)["error"]["message"]
    except (ValueError, KeyError, TypeError):
        return ". Tell its administrator."
    return f": {str(message)[:300]}"
