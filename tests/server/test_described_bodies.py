"""Bodies made after the API's own description, then spoilt: a name that is not known, at any depth, is never ignored;
what is too long or of another kind is never a mistake of the server."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.described import api
from tests.server.services import ServiceCase
from tests.server.test_odd_requests import SPARED, filled
from tests.support import template

template()

from django.test import Client  # noqa: E402

API = api()
SCHEMAS: dict[str, Any] = API["components"]["schemas"]
FREE = ("Rules", "Guards", "KeepDocument")
"""Schemas of which parts are free: names that people chose (fields, columns, groups)."""


def resolved(schema: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in schema or "allOf" in schema or "oneOf" in schema or "anyOf" in schema:
        if "$ref" in schema:
            schema = SCHEMAS[schema["$ref"].rpartition("/")[2]]
        else:
            schema = (schema.get("allOf") or schema.get("oneOf") or schema.get("anyOf"))[0]
    return schema


def body_of(schema: dict[str, Any], depth: int = 0) -> Any:
    """A body as it is described, with everything that may be said."""
    schema = resolved(schema)
    if "enum" in schema:
        return schema["enum"][0]
    kind = schema.get("type")
    if kind == "object":
        if depth > 5 or "properties" not in schema:
            return {}
        properties = {n: p for n, p in schema["properties"].items() if not p.get("readOnly")}
        return {name: body_of(part, depth + 1) for name, part in properties.items()}
    if kind == "array":
        return [body_of(schema["items"], depth + 1)]
    if kind == "integer":
        return max(1, schema.get("minimum", 1))
    if kind == "boolean":
        return False
    if kind == "number":
        return 1
    return "12:00" if schema.get("format") == "time" else "x"


def closed_objects(value: Any, schema: dict[str, Any], at: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Where in a body there are objects whose names are all described."""
    schema = resolved(schema)
    places: list[tuple[Any, ...]] = []
    if isinstance(value, dict) and "properties" in schema:
        places.append(at)
        for name, part in schema["properties"].items():
            if name in value:
                places += closed_objects(value[name], part, (*at, name))
    elif isinstance(value, list) and value and "items" in schema:
        places += closed_objects(value[0], schema["items"], (*at, 0))
    return places


def spoilt(value: Any, at: tuple[Any, ...], name: str, what: Any) -> Any:
    copy = json.loads(json.dumps(value))
    place = copy
    for step in at:
        place = place[step]
    place[name] = what
    return copy


def scalars(value: Any, at: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Where in a body there are texts, numbers and the like."""
    if isinstance(value, dict):
        return [place for name, part in value.items() for place in scalars(part, (*at, name))]
    if isinstance(value, list):
        return [place for number, part in enumerate(value) for place in scalars(part, (*at, number))]
    return [at]


BODIES = [
    (path, method, content["schema"])
    for path, methods in API["paths"].items()
    for method, operation in methods.items()
    if (path, method) not in SPARED
    and (content := operation.get("requestBody", {}).get("content", {}).get("application/json"))
]
ODD = st.sampled_from(
    [None, True, -1, 0, 2**31, 2**64, 10**30, 1.5, "", "\0", "\ud800", "x" * 40_000, [], [[]], {}, {"a": 1}, ["x"] * 3]
)


class DescribedBodies(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.trip = self.bring("harbour,berth_no,notes\nTERNISLAND,D-001,described\n")
        self.client = Client(raise_request_exception=False)
        self.client.force_login(self.person)

    def send(self, path: str, method: str, body: Any) -> Any:
        where = filled(path, ["harbour-practice" if "{name}" in path else str(self.trip.pk), "1", "1"])
        where = where.replace("//", "/")
        return self.client.generic(method.upper(), where, json.dumps(body), "application/json")

    def test_an_unknown_name_is_refused_at_every_depth_of_every_body(self) -> None:
        looked_at = 0
        for path, method, schema in BODIES:
            body = body_of(schema)
            for at in closed_objects(body, schema):
                answer = self.send(path, method, spoilt(body, at, "qzqzq", 1))
                looked_at += 1
                with self.subTest(path, method=method, at=at):
                    self.assertIn(answer.status_code, (400, 404, 412, 422), answer.content[:200])
        self.assertGreater(looked_at, 60)

    def test_an_unknown_name_is_named_where_all_else_is_right(self) -> None:
        """Of nested ones: nothing before them is refused."""
        edit = {"kind": "cell", "row_id": 0, "column": "c2", "text": "new"}
        wrong: list[tuple[str, str, dict[str, Any]]] = [
            (f"trips/{self.trip.pk}/edits", "post", {**edit, "shown": {"stat": "held"}}),
            (f"trips/{self.trip.pk}/edits", "post", {**edit, "replace": {"find": "a", "put": "b", "wole": True}}),
            (f"trips/{self.trip.pk}/columns", "patch", {"lanes": {"notes": {"only_emtpy": True}}}),
            (f"trips/{self.trip.pk}/columns", "patch", {"lanes": {"notes": {"treatments": [{"do": "trim", "x": 1}]}}}),
            (f"trips/{self.trip.pk}/lanes", "post", {"field": "notes", "lane": {"blnk": "clear"}}),
            ("notices", "put", {"wishes": [{"kind": "disk", "listed": True, "mailed": False, "maild": True}]}),
            ("applications/harbour-practice/rules", "put", {"said": {"Berth": {"deni": ["delete"]}}}),
            ("applications/harbour-practice/guards", "put", {"said": {"numbers": {"mod": "off"}}}),
        ]
        for path, method, body in wrong:
            with self.subTest(path):
                answer = getattr(self.client, method)(f"/api/{path}", body, content_type="application/json")
                self.assertIn(answer.status_code, (400, 422), answer.content[:200])

    @settings(suppress_health_check=[HealthCheck.too_slow])
    @given(st.sampled_from(BODIES), st.data())
    def test_another_kind_or_far_too_much_is_never_a_mistake_of_the_server(self, operation: Any, data: Any) -> None:
        path, method, schema = operation
        body = body_of(schema)
        places = scalars(body)
        if not places:
            return
        *at, last = data.draw(st.sampled_from(places))
        body = spoilt(body, tuple(at), last, data.draw(ODD))
        answer = self.send(path, method, body)
        self.assertLess(answer.status_code, 500, (path, method, str(body)[:300], answer.content[:300]))
