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

from .base import ApplicationError, NoAnswer, NotTaken, TooLarge

TRIES = 6
_BUSY = (429, 502, 503, 504)
_LONGEST_WAIT = 30.0
_CHUNK = 64 * 1024
LONGEST_REQUEST = 60.0
SOON = 8.0
"""Seconds that all questions of a quick connection may take together."""


@cache
def _trusted() -> ssl.SSLContext:
    """The certificates this machine trusts, read once: that takes longer than most questions."""
    return ssl.create_default_context()


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
                verify=_trusted() if self.address.lower().startswith("https:") else False,
                follow_redirects=False,
                trust_env=False,
            )
        except (httpx.InvalidURL, ValueError) as error:
            raise ApplicationError(f"{address} is no address. Write it as http://host:port/path.") from error
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
        """Write, once; what goes again and when is for the caller to say.

        Args:
            before_body: called when the request's head is out and nothing of its body; what it raises ends the request.

        Raises:
            NotTaken, TooLarge, NoAnswer: by the status of the answer, or by how far the request came.
        """
        content = simplejson.dumps(body, use_decimal=True).encode()
        length = {"Content-Type": "application/json", "Content-Length": str(len(content)), **headers}

        def body_of() -> Iterator[bytes]:
            before_body()
            for start in range(0, len(content), _CHUNK):
                yield content[start : start + _CHUNK]

        try:
            response = self._client.post(path, content=body_of(), headers=length)
        except (httpx.ConnectError, httpx.ConnectTimeout, httpx.PoolTimeout) as error:
            raise NotTaken(f"{self.address} does not answer. Is it running?", wait=2.0) from error
        except (httpx.UnsupportedProtocol, httpx.InvalidURL) as error:
            raise ApplicationError(f"{self.address} is no address. Write it as http://host:port/path.") from error
        except httpx.HTTPError as error:
            raise NoAnswer(f"{self.address} took the request, but its answer never came.") from error
        return self._written(response)

    def post_definition(self, path: str, body: Any) -> None:
        """Change what the application's records are; never sent twice. Raises ApplicationError with what it says."""
        try:
            content = simplejson.dumps(body, use_decimal=True).encode()
            response = self._client.post(path, content=content, headers={"Content-Type": "application/json"})
        except httpx.HTTPError as error:
            raise ApplicationError(f"{self.address} gave no answer. Look whether it was done.") from error
        if response.status_code in (401, 403):
            raise ApplicationError(f"{self.address} does not let this token do that. Ask its administrator.")
        if response.status_code not in (200, 201, 204):
            raise ApplicationError(f"The application refuses it{_said(response)}")

    def _written(self, response: httpx.Response) -> httpx.Response:
        status = response.status_code
        if status == 200:
            return response
        if status in (401, 403):
            raise NotTaken(f"{self.address} refuses the token. Give it a new one, or ask its administrator.")
        if status == 404:
            raise NotTaken(f"{self.address} takes no batches any more. Ask its administrator.")
        if status == 429:
            asked = response.headers.get("Retry-After", "")
            wait = min(float(asked), _LONGEST_WAIT) if asked.isascii() and asked.isdecimal() else 2.0
            raise NotTaken(f"{self.address} is too busy to answer. Try again later.", wait=wait)
        if status == 413:
            raise TooLarge(f"{self.address} does not take batches of this size.")
        if status == 408 or status >= 500 or 200 <= status < 300:
            raise NoAnswer(f"{self.address} answered with status {status}, which does not say what it took.")
        raise ApplicationError(f"{self.address} does not understand a batch (status {status}){_said(response)}")

    def _own(self, path: str) -> httpx.URL:
        """A path or a link as an address. Raises ApplicationError where it leads to another origin."""
        base = httpx.URL(self.address)
        try:
            url = base.join(path)
        except (httpx.InvalidURL, ValueError) as error:
            raise ApplicationError(f"{self.address} gives a link that is none. Tell its administrator.") from error
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
        return ApplicationError(f"{self.address} is slow: no answer within {SOON:.0f} seconds. Try again later.")

    def _send(self, method: str, path: str, headers: dict[str, str] | None) -> httpx.Response:
        url = self._own(path)
        for attempt in range(self._tries):
            last = attempt == self._tries - 1
            try:
                response = self._client.request(method, url, headers=dict(headers or {}), timeout=self._limit())
            except httpx.ReadTimeout as error:
                if last:
                    raise ApplicationError(f"{self.address} is slow: it did not answer in time. Try again.") from error
                self._wait(attempt, None)
                continue
            except (httpx.ConnectError, httpx.ConnectTimeout, httpx.PoolTimeout) as error:
                if last:
                    raise ApplicationError(
                        f"{self.address} does not answer. Check the address and that the application is running."
                    ) from error
                self._wait(attempt, None)
                continue
            except (httpx.UnsupportedProtocol, httpx.InvalidURL) as error:
                raise ApplicationError(f"{self.address} is no address. Write it as http://host:port/path.") from error
            except (httpx.HTTPError, OSError, RuntimeError) as error:
                if self._over:
                    raise self._slow() from error
                if not isinstance(error, httpx.HTTPError):
                    raise
                if last:
                    raise ApplicationError(f"{self.address} breaks off its answers. Try again later.") from error
                self._wait(attempt, None)
                continue
            if response.status_code in _BUSY and not last:
                self._wait(attempt, response.headers.get("Retry-After"))
                continue
            return self._checked(response)
        raise AssertionError("unreachable")

    def _wait(self, attempt: int, asked: str | None) -> None:
        seconds = min(2.0**attempt * 0.1, 5.0) * (1 + random.random() / 4)
        if asked and asked.isascii() and asked.isdecimal():
            seconds = max(seconds, float(asked))
        self._sleep(min(seconds, _LONGEST_WAIT))

    def _checked(self, response: httpx.Response) -> httpx.Response:
        if response.status_code in (401, 403):
            raise ApplicationError(f"{self.address} refuses the token. Give it a new one, or ask its administrator.")
        if response.status_code in _BUSY:
            raise ApplicationError(f"{self.address} is too busy to answer. Try again later.")
        if response.status_code >= 500:
            raise ApplicationError(f"{self.address} failed with status {response.status_code}. Tell its administrator.")
        return response


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
