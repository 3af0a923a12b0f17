"""Someone who works over HTTP, every answer held against the description of the API."""

from __future__ import annotations

from typing import Any

import httpx

from tests.described import check
from tests.support import wait_until

_SIGNED_IN: dict[tuple[str, str], Person] = {}


def signed_in(address: str, username: str = "ada") -> Person:
    """Someone who has signed in before, or does so now: to try a password takes as long as to open a page."""
    known = _SIGNED_IN.get((address, username))
    if known is None or not known.http.get("session").json()["person"]:
        known = _SIGNED_IN[address, username] = Person(address, username)
    return known


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

    def trip(self, number: int) -> dict[str, Any]:
        """A trip as its page is told it."""
        told: dict[str, Any] = self.ask("GET", f"trips/{number}").json()
        return told

    def plan_again(self, trip: int) -> None:
        """The application is asked anew."""
        self.job(self.ask("POST", f"trips/{trip}/plan"))

    def mean_it(self, trip: int) -> None:
        """What is asked about the plan as a whole is answered with yes."""
        page = self.trip(trip)
        for item in page["open"]:
            if item["stops"] and item["answers"]:
                said = {"code": item["code"], "field": item["field"], "answer": item["answers"][0]["answer"]}
                self.ask("POST", f"trips/{trip}/decisions", json={"plan": page["plan"]["number"], **said})
        wait_until(lambda: not self.trip(trip)["job"], what="the plan")

    def bring(self, content: bytes, application: str, record_type: str, **more: Any) -> int:
        """A file brought in, as a trip of its own where nothing else is said: the trip's number."""
        name = more.pop("name", "sheet.csv")
        upload = self.ask("POST", "uploads", json={"name": name, "size": len(content)}).json()["id"]
        headers = {"Content-Type": "application/octet-stream"}
        self.ask("PUT", f"uploads/{upload}?offset=0", content=content, headers=headers).raise_for_status()
        body = {"application": application, "record_type": record_type, "trip": "new", **more}
        job = self.job(self.ask("POST", f"uploads/{upload}/bring-in", json=body))
        assert not job["error"], job["error"]
        return int(job["trip"])
