"""The addresses of the interface: service document, ``$metadata``, collections, records and ``$batch``."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

import simplejson
from django.conf import settings
from django.db import DatabaseError, transaction
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import csrf_exempt

from .. import added_fields, repeatability, trouble
from ..models import TYPES, Record
from ..rules import Refusal
from . import aggregates, metadata, queries, writes

_ADDRESS = re.compile(r"(\w+)(?:\((.+)\))?(/\$count)?$")
_MAX_BATCH = 1000
_ADDING = {"AddedFields": added_fields.add_field, "AddedChoices": added_fields.add_choice}


def _json(body: Any, status: int = 200, headers: Mapping[str, str] | None = None) -> HttpResponse:
    text = simplejson.dumps(body, use_decimal=True, ensure_ascii=False, separators=(",", ":"))
    return HttpResponse(
        text, status=status, content_type="application/json", headers={"OData-Version": "4.01", **(headers or {})}
    )


def error_body(refusal: Refusal) -> dict[str, Any]:
    """A refusal as an OData error object; ``target`` is the property at fault."""
    error: dict[str, Any] = {"code": refusal.code, "message": refusal.message}
    if refusal.field:
        error["target"] = refusal.field
    return {"error": error}


def _who(headers: Mapping[str, str]) -> str:
    scheme, _, token = headers.get("Authorization", "").partition(" ")
    if scheme.lower() != "bearer" or token not in settings.TOKENS:
        raise Refusal("The token is missing or not known.", "no-access", None, 401)
    return str(settings.TOKENS[token])


def _one(
    records: writes.Records, who: str, method: str, url: str, headers: Mapping[str, str], body: Any
) -> tuple[int, Any, dict[str, str]]:
    """One request on a collection or record → status, JSON body, headers."""
    alias, parts = records.alias, urlsplit(url)
    query = dict(parse_qsl(parts.query, keep_blank_values=True))
    address = _ADDRESS.match(unquote(parts.path.strip("/")))
    if not address:
        raise Refusal("There is nothing at that address.", "no-such-address", None, 404)
    if method == "POST" and address[1] in _ADDING and address[2] is None:
        if not isinstance(body, dict):
            raise Refusal("The body must be a JSON object.", "bad-body", None, 400)
        return 201, _ADDING[address[1]](body), {}
    model = writes.model_of(address[1])
    if method in ("POST", "PATCH") and not isinstance(body, dict):
        raise Refusal("The body must be a JSON object.", "bad-body", None, 400)
    match method, address[2], address[3]:
        case "GET", None, None if "$apply" in query:
            return 200, aggregates.apply(model, alias, query["$apply"]), {}
        case "GET", None, None:
            size = re.search(r"maxpagesize=(\d+)", headers.get("Prefer", ""))
            return 200, queries.page(model, alias, query, int(size[1]) if size else None), {}
        case "GET", None, str():
            rows = model._default_manager.using(alias)
            text = query.get("$filter")
            return 200, (rows.filter(queries.read_filter(model, text, alias)) if text else rows).count(), {}
        case "GET", key, None:
            record = records.find(model, writes.read_key(model, key))
            shape = queries.read_shape(model, query)
            with_record = model._default_manager.using(alias).filter(pk=record.pk)
            return 200, next(iter(queries.write_records(shape, with_record))), _tag(record)
        case "POST", None, None:
            record = writes.create(model, alias, body, who)
            tag = {**_tag(record), "Location": queries.url_key(model, record.pk)}
            return 201, writes.as_json(record), tag
        case "PATCH", str() as key, None:
            record = records.find(model, writes.read_key(model, key))
            writes.update(record, alias, body, headers.get("If-Match"), who)
            records.keep(record)
            tag = _tag(record)
            if "return=minimal" in headers.get("Prefer", ""):
                return 204, None, tag
            return 200, writes.as_json(record), tag
        case "DELETE", str() as key, None:
            writes.delete(records.find(model, writes.read_key(model, key)), alias, headers.get("If-Match"), who)
            records.forget()
            return 204, None, {}
    raise Refusal(f"{method} is not possible there.", "no-such-method", None, 405)


def _described() -> HttpResponse:
    versioned = tuple(model.__name__ for model in TYPES if trouble.promises_versions(model))
    content = metadata.document(versioned, trouble.behaviour("repeatable") != "no", trouble.behaviour("keys"))
    return HttpResponse(content, content_type="application/xml", headers={"OData-Version": "4.01"})


def _tag(record: Record) -> dict[str, str]:
    return {"ETag": f'W/"{record.version}"'} if trouble.carries_version(type(record), record.pk) else {}


def _batch_entry(records: writes.Records, who: str, request: Mapping[str, Any]) -> tuple[int, Any, dict[str, str]]:
    # Header names inside a JSON batch are lower case; outside they come from Django's canonical mapping.
    headers = {str(k).title(): str(v) for k, v in (request.get("headers") or {}).items()}
    method, url = str(request.get("method", "")).upper(), str(request.get("url", ""))
    body = request.get("body")

    def run() -> tuple[int, Any, dict[str, str]]:
        return _one(records, who, method, url, headers, body)

    try:
        with transaction.atomic(using=records.alias):
            return repeatability.once(records.alias, headers, method, url, body, run)
    except Refusal as refusal:
        answer = refusal.status, error_body(refusal), {"Repeatability-Result": "accepted"}
        if refusal.code == "repeat-rejected":
            refusal.repeated = "rejected"
        elif refusal.status < 500:
            repeatability.remember_refusal(records.alias, headers, method, url, body, answer)
        raise


def _answer(entry: Mapping[str, Any], run: Callable[[], tuple[int, Any, dict[str, str]]]) -> dict[str, Any]:
    answer: dict[str, Any] = {"id": entry.get("id"), "atomicityGroup": entry.get("atomicityGroup")}
    try:
        status, body, headers = run()
    except Refusal as refusal:
        status, body, headers = refusal.status, error_body(refusal), {}
        if refusal.repeated:
            headers = {"Repeatability-Result": refusal.repeated}
    answer.update(status=status, headers={k.lower(): v for k, v in headers.items()}, body=body)
    return {k: v for k, v in answer.items() if v is not None}


def _named(entries: list[Mapping[str, Any]]) -> Iterator[tuple[type[Record], Any]]:
    for entry in entries:
        address = _ADDRESS.match(unquote(str(entry.get("url", ""))))
        if address and address[2]:
            try:
                model = writes.model_of(address[1])
                yield model, writes.read_key(model, address[2])
            except Refusal:
                continue


def _group(records: writes.Records, who: str, group: list[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """An atomicity group: all of it, or none and the one that failed named."""
    answers: list[dict[str, Any]] = []
    try:
        with transaction.atomic(using=records.alias):
            for entry in group:
                current = entry
                status, body, headers = _batch_entry(records, who, entry)
                answers.append(_answer(entry, lambda s=status, b=body, h=headers: (s, b, h)))  # type: ignore[misc]
    except Refusal as refusal:
        records.forget()
        failed = error_body(refusal)
        undone = error_body(Refusal("Another request of its group was refused.", "group-undone", None, 424))
        return [
            {"id": e.get("id"), "atomicityGroup": e.get("atomicityGroup"), "status": refusal.status, "body": failed}
            if e is current
            else {"id": e.get("id"), "atomicityGroup": e.get("atomicityGroup"), "status": 424, "body": undone}
            for e in group
        ]
    return answers


def _batch(alias: str, who: str, body: Any) -> dict[str, Any]:
    entries = body.get("requests") if isinstance(body, dict) else None
    if not isinstance(entries, list) or len(entries) > _MAX_BATCH:
        raise Refusal(f"A batch is a list of at most {_MAX_BATCH} requests.", "bad-batch", None, 400)
    if len(entries) > trouble.behaviour("most"):
        raise Refusal("The batch is too large.", "too-large", None, 413)
    responses: list[dict[str, Any]] = []
    groups: dict[Any, list[Mapping[str, Any]]] = {}
    for position, entry in enumerate(entries):
        groups.setdefault(entry.get("atomicityGroup") or position, []).append(entry)
    records = writes.Records(alias)
    fails = trouble.behaviour("rows")
    with transaction.atomic(using=alias):
        records.read(_named(entries))
        for number, group in enumerate(groups.values()):
            if group[0].get("atomicityGroup"):
                responses.extend(_group(records, who, group))
                continue
            entry = group[0]
            if fails and number % 2:
                failure = error_body(Refusal("The register stumbled over this one.", "stumbled", None, fails))
                responses.append({"id": entry.get("id"), "status": fails, "body": failure})
            else:
                responses.append(_answer(entry, lambda entry=entry: _batch_entry(records, who, entry)))  # type: ignore[misc]
            if responses[-1]["status"] >= 400 and not trouble.behaviour("continues"):
                break
    return {"responses": responses}


@csrf_exempt
def serve(request: HttpRequest, name: str, path: str) -> HttpResponse:
    """Every request below ``/live/odata/`` and ``/practice/odata/``."""
    try:
        alias = settings.ALIAS.get(name)
        if alias is None:
            raise Refusal("There is no such set of records.", "no-such-set", None, 404)
        who = _who(request.headers)
        if path == "":
            sets = [{"name": m.entity_set, "kind": "EntitySet", "url": m.entity_set} for m in TYPES]
            return _json({"@odata.context": "$metadata", "value": sets})
        if path == "$metadata":
            return _described()
        body = None
        if request.method in ("POST", "PATCH"):
            try:
                body = simplejson.loads(request.body, use_decimal=True)
            except ValueError:
                raise Refusal("The body is not JSON.", "bad-body", None, 400) from None
        if path == "$batch" and request.method == "POST":
            return _json(_batch(alias, who, body))
        url = path + ("?" + request.META["QUERY_STRING"] if request.META.get("QUERY_STRING") else "")
        with transaction.atomic(using=alias):
            status, answer, headers = _one(
                writes.Records(alias), who, request.method or "GET", url, request.headers, body
            )
        if answer is None:
            return HttpResponse(status=status, headers={"OData-Version": "4.01", **headers})
        return _json(answer, status, headers)
    except Refusal as refusal:
        return _json(error_body(refusal), refusal.status)
    except DatabaseError:
        return _json(error_body(Refusal("The register is busy.", "busy", None, 503)), 503, {"Retry-After": "1"})
