"""A name in a request that means nothing is refused: misspelt, it would be as if nothing had been said."""

from __future__ import annotations

import re
import unittest
from typing import Any

from django.test import Client
from rest_framework import serializers

from tests.described import api
from tests.server.services import ServiceCase
from tests.support import template

template()

from pathlib import Path  # noqa: E402

from vexo.server import urls  # noqa: E402
from vexo.server.asked import Asked  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

SCHEMA = Path(__file__).parents[2] / "web" / "schema.yaml"


def subclasses(of: type[Any]) -> list[type[Any]]:
    return [one for each in of.__subclasses__() for one in (each, *subclasses(each))]


class Described(unittest.TestCase):
    def test_every_body_that_the_description_has_is_one(self) -> None:
        self.assertTrue(urls.urlpatterns)
        asked = {one.__name__.removesuffix("Serializer") for one in subclasses(Asked)}
        described = api()
        bodies = set()
        for path in described["paths"].values():
            for operation in path.values():
                content = operation.get("requestBody", {}).get("content", {}) if isinstance(operation, dict) else {}
                name = content.get("application/json", {}).get("schema", {}).get("$ref", "").rpartition("/")[2]
                bodies |= {name.removeprefix("Patched")} if name else set()
        self.assertGreater(len(bodies), 25)
        self.assertEqual(bodies - asked, set())

    def test_what_a_body_holds_knows_its_names_too(self) -> None:
        for body in subclasses(Asked):
            for name, field in body().fields.items():
                inner = getattr(field, "child", field)
                if isinstance(inner, serializers.BaseSerializer) and not field.read_only:
                    with self.subTest(body.__name__, name=name):
                        self.assertTrue(isinstance(inner, Asked), type(inner))

    def test_every_query_that_the_description_has_is_known_to_its_view_and_no_other(self) -> None:
        described = api()
        views = {re.sub(r"<\w+:\w+>", "{}", str(one.pattern)): one.callback for one in urls.urlpatterns}
        for path, operations in described["paths"].items():
            view = views[re.sub(r"{\w+}", "{}", path).lstrip("/")].view_class
            names = {
                parameter["name"]
                for operation in operations.values()
                for parameter in operation.get("parameters", [])
                if parameter["in"] == "query"
            }
            self.assertEqual(set(getattr(view, "asks", ())), names, path)

    def test_each_refuses_what_it_does_not_know_and_names_the_nearest(self) -> None:
        for one in subclasses(Asked):
            with self.subTest(one.__name__):
                names = [name for name, field in one().fields.items() if not field.read_only]
                near = f"{names[0]}x"
                with self.assertRaisesRegex(PlainError, f"Did you mean '{names[0]}'"):
                    one(data={near: 1}).is_valid()
                with self.assertRaisesRegex(PlainError, "Known are: "):
                    one(data={"0qzqz9": 1}).is_valid()


class Asking(ServiceCase):
    def test_a_misspelt_filter_shows_nothing(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-003,busy\n")
        client = Client()
        client.force_login(self.person)
        wrong = client.get(f"/api/trips/{trip.pk}/rows?stat=held")
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("Did you mean 'state'?", wrong.json()["detail"])
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/rows?state=held&part=1").status_code, 200)
        self.assertEqual(client.get("/api/trips?most=3").status_code, 422)
        self.assertEqual(client.get("/api/journal?wo=ada").status_code, 422)

    def test_a_misspelt_condition_sends_nothing_out(self) -> None:
        client = Client()
        client.force_login(self.person)
        body = {"application": "harbour-practice", "record_type": "Berth", "conditon": "harbour eq 'EELGRASS'"}
        before = Trip.objects.count()
        answer = client.post("/api/sent-out", body, content_type="application/json")
        self.assertEqual((answer.status_code, Trip.objects.count()), (422, before))
        self.assertIn("Did you mean 'condition'?", answer.json()["detail"])
        deep = {**body, "share": {"feild": "harbour"}}
        del deep["conditon"]
        answer = client.post("/api/sent-out", deep, content_type="application/json")
        self.assertEqual((answer.status_code, Trip.objects.count()), (422, before))

    def test_a_word_of_a_query_that_means_nothing_is_refused_and_the_nearest_named(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-003,busy\n")
        client = Client()
        client.force_login(self.person)
        wrong = {
            "state=helt": "Did you mean 'held'?",
            "state=nonsense": "Use create",
            "view=files": "Did you mean 'file'?",
            "code=fault": "Unknown code",
            "offset=-1": "not a whole number",
            "offset=x": "not a whole number",
            "limit=1e3": "not a whole number",
            "limit=٣": "not a whole number",
            "decision=first": "not a whole number",
            "moved=no": "Unknown moved",
            "order=berth_number": "Did you mean",
            "order=--notes": "no field",
            "column=emptied:nots": "Did you mean 'notes'?",
            "reason=x": "JSON list",
            "part=x": "not a whole number",
        }
        for query, words in wrong.items():
            answer = client.get(f"/api/trips/{trip.pk}/rows?{query}")
            with self.subTest(query):
                self.assertIn(answer.status_code, (400, 422), answer.content[:200])
                self.assertIn(words, answer.json()["detail"])
        right = "state=update&view=review&code=both-changed&offset=0&limit=3&order=-notes&column=notes&part=1&decision="
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/rows?{right}").status_code, 200)
        for path in ("journal?trip=x", "journal?before=x", "journal.csv?trip=-1", "upkeep/over?trips=x"):
            self.assertEqual(client.get(f"/api/{path}").status_code, 400, path)
