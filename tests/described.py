"""Answers held against the description of the API, ``web/schema.yaml``, so strictly that none tells more."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path
from typing import Any

import httpx
import jsonschema_rs
import yaml

SCHEMA = Path(__file__).parents[1] / "web" / "schema.yaml"


@cache
def api() -> dict[str, Any]:
    """The API's description as it is written; nobody changes what they are given."""
    quick = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
    told: dict[str, Any] = yaml.load(SCHEMA.read_text(encoding="utf-8"), Loader=quick)
    return told


@cache
def description() -> dict[str, Any]:
    """The API's description as JSON schema has it."""
    told: dict[str, Any] = _as_json_schema(api())
    return told


def _as_json_schema(node: Any) -> Any:
    """OpenAPI 3.0 says ``nullable`` beside a type; and an object has no more than it says."""
    if isinstance(node, list):
        return [_as_json_schema(part) for part in node]
    if not isinstance(node, dict):
        return node
    made = {name: _as_json_schema(part) for name, part in node.items() if name != "nullable"}
    if made.get("type") == "object" and isinstance(made.get("properties"), dict):
        made.setdefault("additionalProperties", False)
    return {"anyOf": [made, {"type": "null"}]} if node.get("nullable") is True else made


@cache
def _templates() -> list[tuple[re.Pattern[str], str]]:
    paths = sorted(description()["paths"], key=lambda path: path.count("{"))
    return [(re.compile(re.sub(r"\\{\w+\\}", "[^/]+", re.escape(path)) + "$"), path) for path in paths]


def template_of(path: str) -> str | None:
    """The described path that an address is of."""
    return next((name for pattern, name in _templates() if pattern.match(path)), None)


@cache
def _validator(path: str, method: str, status: str) -> Any:
    answers = description()["paths"][path][method].get("responses", {})
    content = answers.get(status, {}).get("content", {}).get("application/json")
    if content is None:
        return None
    schema = {**content["schema"], "components": description()["components"]}
    return jsonschema_rs.Draft202012Validator(schema)


@cache
def _problem() -> Any:
    reference = {"$ref": "#/components/schemas/Problem", "components": description()["components"]}
    return jsonschema_rs.Draft202012Validator(reference)


def check(response: httpx.Response) -> None:
    """Raises AssertionError where an answer in JSON is another than the description says."""
    method, address = response.request.method.lower(), response.request.url.path
    path = template_of(address)
    kind = response.headers.get("content-type", "")
    if path is not None and method in description()["paths"][path] and response.status_code >= 400:
        answers = description()["paths"][path][method]["responses"]
        assert str(response.status_code) in answers, f"{method} {path} refuses with {response.status_code}, undescribed"
        assert kind.startswith("application/problem+json"), f"{method} {path} refuses with {kind}"
        response.read()
        problem = response.json()
        assert _problem().is_valid(problem), f"{method} {path} refuses otherwise than it is described: {problem}"
    if not response.is_success or "application/json" not in kind:
        return
    response.read()
    assert path is not None and method in description()["paths"][path], f"{method} {address} is described nowhere"
    validator = _validator(path, method, str(response.status_code))
    assert validator is not None, f"{method} {path} answers with {response.status_code}, which is described nowhere"
    answer = response.json()
    if not validator.is_valid(answer):
        found = max(validator.iter_errors(answer), key=lambda error: len(error.instance_path))
        told = f"{'/'.join(map(str, found.instance_path))}: {found.message[:300]}"
        raise AssertionError(f"{method} {address} answers otherwise than it is described: {told}")


def readings() -> dict[str, Any]:
    """The operations that read and answer in JSON: path → operation."""
    return {
        path: operations["get"]
        for path, operations in description()["paths"].items()
        if "application/json" in operations.get("get", {}).get("responses", {}).get("200", {}).get("content", {})
    }
