"""One pooled HTTP connection to an application, with patience and plain words for what goes wrong."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from typing import Any

import httpx
import simplejson

from .base import ApplicationError, NoAnswer

TRIES = 6
_BUSY = (429, 502, 503, 504)
_LONGEST_WAIT = 30.0


class Connection:
    """Sends requests below one address.

    Args:
        transport: another way to the network, for tests.
        sleep: how to wait, for tests.
    """

    def __init__(
        self,
        address: str,
        token: str,
        transport: httpx.BaseTransport | None = None,
        sleep: Callable[[float], None] = time.sleep,
    ) -> None:
        headers = {"Accept": "application/json", "OData-MaxVersion": "4.01"}
        if token:
            headers["Authorization"] = f"Bearer {token}"
        self.address = address.rstrip("/") + "/"
        self._sleep = sleep
        try:
            self._client = httpx.Client(
                base_url=self.address,
                headers=headers,
                timeout=httpx.Timeout(60, connect=5),
                limits=httpx.Limits(max_connections=8),
                transport=transport,
                follow_redirects=False,
                trust_env=False,
            )
        except (httpx.InvalidURL, ValueError) as error:
            raise ApplicationError(f"{address} is no address. Write it as http://host:port/path.") from error

    def close(self) -> None:
        self._client.close()

    def get(self, path: str, headers: dict[str, str] | None = None) -> httpx.Response:
        """Read; asked again while the application is busy or the connection breaks."""
        return self._send("GET", path, None, headers, repeatable=True)

    def post(self, path: str, body: Any) -> httpx.Response:
        """Write; sent again only where it certainly was not taken.

        Raises:
            NoAnswer: where it was sent and the answer did not come.
        """
        return self._send("POST", path, simplejson.dumps(body, use_decimal=True), None, repeatable=False)

    def _send(
        self, method: str, path: str, content: str | None, headers: dict[str, str] | None, repeatable: bool
    ) -> httpx.Response:
        sent_headers = dict(headers or {})
        if content is not None:
            sent_headers["Content-Type"] = "application/json"
        for attempt in range(TRIES):
            last = attempt == TRIES - 1
            try:
                response = self._client.request(method, path, content=content, headers=sent_headers)
            except (httpx.ConnectError, httpx.ConnectTimeout, httpx.PoolTimeout) as error:
                if last:
                    raise ApplicationError(
                        f"{self.address} does not answer. Check the address and that the application is running."
                    ) from error
                self._wait(attempt, None)
                continue
            except (httpx.UnsupportedProtocol, httpx.InvalidURL) as error:
                raise ApplicationError(f"{self.address} is no address. Write it as http://host:port/path.") from error
            except httpx.TransportError as error:
                if not repeatable:
                    raise NoAnswer(f"{self.address} took the request, but its answer never came.") from error
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
        if asked and asked.isdigit():
            seconds = max(seconds, float(asked))
        self._sleep(min(seconds, _LONGEST_WAIT))

    def _checked(self, response: httpx.Response) -> httpx.Response:
        if response.status_code in (401, 403):
            raise ApplicationError(
                f"{self.address} refuses the token. Give it a new one with `vexo connect`, or ask its administrator."
            )
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
