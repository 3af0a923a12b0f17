"""Whatever is asked, the answer is not a mistake of Vexo's own: odd requests over all that the API describes."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from tests.described import api
from tests.server.services import ServiceCase
from tests.support import template

template()

from django.test import Client  # noqa: E402

API = api()
SPARED = {("/api/session", "delete"), ("/api/applications", "post"), ("/api/session", "post")}
CALLS = [
    (path, method)
    for path, methods in API["paths"].items()
    for method in methods
    if (path, method) not in SPARED and not path.startswith("/api/schema")
]
NUMBERS = st.sampled_from([0, 1, 2, -1, 2**31, 2**63, 2**64, 10**40, 1.5, "²", "٣", "1e9", "", None, True])
TEXTS = st.sampled_from(
    [
        "",
        "x",
        "Berth",
        "berth_no",
        "id",
        "²",
        "\x00",
        "\ud800",
        "../../key",
        "%2e%2e/key",
        "a" * 5000,
        "[]",
        "'",
        "a/b/c",
    ]
)
DEEP = ("[" * 100_000, '{"a":' * 50_000, "{", "\xff", '"' + "x" * 9_000_000 + '"', "1e999999", "-", "NaN")
ODD = st.recursive(
    st.one_of(NUMBERS, TEXTS),
    lambda inner: st.one_of(st.lists(inner, max_size=4), st.dictionaries(TEXTS, inner, max_size=4)),
    max_leaves=8,
)
NAMES = sorted(
    {name for schema in API["components"]["schemas"].values() for name in schema.get("properties", {})}
    | {p["name"] for methods in API["paths"].values() for m in methods.values() for p in m.get("parameters", [])}
)
BODIES = st.one_of(
    ODD,
    st.dictionaries(st.sampled_from(NAMES), ODD, max_size=6),
    st.fixed_dictionaries({"record_type": TEXTS, "chosen": st.lists(TEXTS, max_size=3), "condition": TEXTS}),
    st.fixed_dictionaries(
        {"plan": NUMBERS, "rows": st.lists(NUMBERS, max_size=3), "answer": st.sampled_from(["aside", "x"])}
    ),
)


def filled(path: str, places: list[str]) -> str:
    """A path with these in its places."""
    for place in places:
        before, brace, rest = path.partition("{")
        if brace:
            path = before + place.encode(errors="replace").decode() + rest.partition("}")[2]
    return path.replace("\x00", "%00")


class OddRequests(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        self.trip = self.bring("harbour,berth_no,notes\nTERNISLAND,D-001,odd\n")
        self.client = Client(raise_request_exception=False)
        self.client.force_login(self.person)

    # Without shrinking: four requests are short enough to read, and each costs too much for thousands more.
    @settings(max_examples=4 * settings.default.max_examples, phases=[Phase.explicit, Phase.reuse, Phase.generate])
    @given(
        st.lists(
            st.tuples(
                st.sampled_from(CALLS),
                st.lists(
                    st.one_of(st.sampled_from(["1", "harbour-live"]), TEXTS, NUMBERS.map(str)), min_size=3, max_size=3
                ),
                st.dictionaries(st.sampled_from(NAMES), st.one_of(TEXTS, NUMBERS.map(str)), max_size=3),
                BODIES,
            ),
            min_size=4,
            max_size=4,
        )
    )
    def test_a_thousand_odd_requests_are_no_mistake_of_the_server(self, calls: Any) -> None:
        for (path, method), places, query, body in calls:
            where = filled(path, places)
            told = {name: value.encode(errors="replace").decode() for name, value in query.items()}
            answer = self.client.generic(method.upper(), where, json.dumps(body), "application/json", query_params=told)
            self.assertLess(answer.status_code, 500, (method, where, told, body, getattr(answer, "content", b"")[:300]))

    def test_deep_and_huge_bodies(self) -> None:
        for content in DEEP:
            for path, method in CALLS:
                if method not in ("get", "delete"):
                    where = filled(path, ["harbour-live" if "{name}" in path else str(self.trip.pk), "1", "1"])
                    answer = self.client.generic(method.upper(), where, content, "application/json")
                    self.assertLess(answer.status_code, 500, (method, where, content[:40]))
