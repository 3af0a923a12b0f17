"""Repeatable requests: a write that comes again with its number is answered as before, not done again.

Source: OASIS Repeatable Requests 1.0.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from typing import Any

import simplejson

from . import trouble
from .models import Repeat
from .rules import Refusal

NUMBER, FIRST_SENT = "Repeatability-Request-Id", "Repeatability-First-Sent"
Answer = tuple[int, Any, dict[str, str]]


def _digest(method: str, url: str, body: Any) -> str:
    text = simplejson.dumps([method, url, body], use_decimal=True, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def once(alias: str, headers: Mapping[str, str], method: str, url: str, body: Any, run: Callable[[], Answer]) -> Answer:
    """Do a write, or give the answer that it had. The note of it is part of the write's own transaction."""
    number, promised = headers.get(NUMBER, ""), trouble.behaviour("repeatable")
    if not number or promised == "no" or method not in ("POST", "PATCH", "DELETE"):
        return run()
    if promised == "rejecting" or not headers.get(FIRST_SENT):
        raise Refusal("The request's number is no longer kept.", "repeat-rejected", None, 412)
    digest = _digest(method, url, body)
    known = Repeat.objects.using(alias).filter(number=number).first()
    if known is not None:
        if known.digest != digest:
            raise Refusal("Another request had this number.", "repeat-rejected", None, 412)
        return known.status, simplejson.loads(known.body, use_decimal=True), dict(known.headers)
    status, answer, told = run()
    answer_headers = {**told, "Repeatability-Result": "accepted"}
    text = simplejson.dumps(answer, use_decimal=True)
    Repeat.objects.using(alias).create(number=number, digest=digest, status=status, body=text, headers=answer_headers)
    return status, answer, answer_headers


def remember_refusal(alias: str, headers: Mapping[str, str], method: str, url: str, body: Any, answer: Answer) -> None:
    """A refusal is an answer too: it is given again."""
    number = headers.get(NUMBER, "")
    if not number or trouble.behaviour("repeatable") != "yes" or not headers.get(FIRST_SENT):
        return
    text = simplejson.dumps(answer[1], use_decimal=True)
    values = {"digest": _digest(method, url, body), "status": answer[0], "body": text, "headers": answer[2]}
    Repeat.objects.using(alias).get_or_create(number=number, defaults=values)
