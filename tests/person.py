"""Someone who works over HTTP, every answer held against the description of the API."""

from __future__ import annotations

from typing import Any

import httpx

from tests.described import check
from tests.support import wait_until


class Person:
    """Someone who is signed in over HTTP."""

    def __init__(self, address: str, username: str = "") -> None:
        hooks = {"response": [check]}
        self.http = httpx.Client(
            base_url=f"{address}/api/", trust_env=False, verify=False, timeout=300, event_hooks=hooks
        )
        self.http.get("session")
        if username:
            body = {"username": username, "password": "saltmarsh"}
            self.ask("POST", "session", json=body).raise_for_status()

    def ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        headers = {"X-CSRFToken": self.http.cookies.get("csrftoken") or "", **more.pop("headers", {})}
        return self.http.request(method, path, headers=headers, **more)

    def job(self, answer: httpx.Response) -> dict[str, Any]:
        """A job's end."""
        assert answer.status_code == 202, answer.text
        number = answer.json()["id"]

        def ended() -> dict[str, Any] | None:
            job = self.http.get(f"jobs/{number}").json()
            return job if job["state"] not in ("queued", "running") else None

        job = dict(wait_until(ended, what="the job"))
        if job["state"] == "done" and isinstance(job["result"], dict) and "next" in job["result"]:
            number = job["result"]["next"]
            return dict(wait_until(ended, what="the next job"))
        return job
