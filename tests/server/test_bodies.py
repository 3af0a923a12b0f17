"""What a request says beside something else counts, or is refused: nothing of it is overlooked."""

from __future__ import annotations

import json
from typing import Any

from django.test import Client

from tests.server.sharing_case import SharingCase
from tests.server.test_unknown_names import subclasses
from vexo.core.documents import Picked, SendOut
from vexo.core.records import NewField
from vexo.server import urls
from vexo.server.applications.shaping import add_field
from vexo.server.asked import Asked
from vexo.server.errors import PlainError
from vexo.server.passes.models import Pass
from vexo.server.routes.models import Route
from vexo.server.routes.saved_routes import keep_trip
from vexo.server.trips.models import Edit, Trip
from vexo.server.trips.part_view import PartView

SHEET = "harbour,berth_no,notes\nTERNISLAND,B-003,beside the ladder\nTERNISLAND,B-004,by the steps\n"
BERTHS = {"application": "harbour-practice", "record_type": "Berth"}
CONDITION = "harbour eq 'TERNISLAND'"
PICKED = {"key": ["harbour", "berth_no"], "values": [["TERNISLAND", "B-003"]]}


class Bodies(SharingCase):
    def setUp(self) -> None:
        super().setUp()
        self.http = Client()
        self.http.force_login(self.person)

    def ask(self, method: str, path: str, body: Any) -> Any:
        text = body if isinstance(body, str) else json.dumps(body)
        return self.http.generic(method, f"/api/{path}", text, content_type="application/json")

    def refused(self, words: str, method: str, path: str, body: Any) -> None:
        answer = self.ask(method, path, body)
        self.assertIn(answer.status_code, (400, 422), answer.content[:300])
        self.assertIn(words, str(answer.json()))

    def route(self, **changes: Any) -> Route:
        document = SendOut("Berth", ("notes",), CONDITION).to_json()
        given = {"application": self.practice, "send_document": document, "made_by": "ada", **changes}
        return Route.objects.create(name=f"Notes {Route.objects.count()}", **given)

    def test_what_goes_with_what_are_names_of_the_body(self) -> None:
        self.assertTrue(urls.urlpatterns)
        found = 0
        for one in subclasses(Asked):
            names = set(one().fields)
            pairs = [*((name, other) for name, (other, _) in one.only_with.items()), *one.not_with.items()]
            found += len(pairs)
            with self.subTest(one.__name__):
                self.assertEqual({name for pair in pairs for name in pair} - names, set())
        self.assertGreater(found, 15)

    def test_a_name_is_said_once(self) -> None:
        trip = self.bring(SHEET)
        self.refused("'title' more than once", "PATCH", f"trips/{trip.pk}", '{"title": "One", "title": "Two"}')
        nested = '{"name": "notes", "lane": {"fixed": "a", "fixed": "b"}}'
        self.refused("'fixed' more than once", "POST", f"trips/{trip.pk}/lanes", nested)
        self.refused("cannot be read", "PATCH", f"trips/{trip.pk}", '{"title": ')
        self.refused("cannot be read", "PATCH", f"trips/{trip.pk}", '{"title": NaN}')
        twice = self.http.get(f"/api/trips/{trip.pk}/rows?state=update&state=held")
        self.assertEqual((twice.status_code, twice.json()["code"]), (422, "twice"))
        self.assertEqual(self.http.get(f"/api/trips/{trip.pk}/rows?state=update").status_code, 200)
        self.assertEqual(self.ask("PATCH", f"trips/{trip.pk}", {"title": "Two"}).status_code, 200)

    def test_what_goes_out_is_said_one_way(self) -> None:
        before = (Trip.objects.count(), Route.objects.count())
        for body in (
            {"picked": PICKED, "condition": CONDITION},
            {"headers_only": True, "condition": CONDITION},
            {"headers_only": True, "order": ["-notes"]},
        ):
            with self.subTest(body):
                self.refused("does not go with", "POST", "sent-out", {**BERTHS, **body})
                self.refused("does not go with", "POST", "routes", {**BERTHS, **body, "name": "R"})
        choosing = {"record_type": "Berth", "picked": PICKED, "condition": CONDITION}
        for view in ("preview", "selection"):
            self.refused("does not go with", "POST", f"applications/harbour-practice/{view}", choosing)
        both = {"record_type": "Berth", "text": CONDITION, "clauses": {"field": "status", "does": "is", "values": []}}
        self.refused("does not go with", "POST", "applications/harbour-practice/condition", both)
        self.assertEqual((Trip.objects.count(), Route.objects.count()), before)
        plain = {**BERTHS, "picked": PICKED, "condition": "", "headers_only": False, "order": ["-notes"]}
        self.assertEqual(self.ask("POST", "sent-out", plain).status_code, 202)
        groups = [{"name": "one", "values": ["A", "B", "B"]}, {"name": "two", "values": ["C", "B"]}]
        share = {"share": {"by": "harbour", "groups": groups}}
        self.refused("'B' is in two groups", "POST", "sent-out", {**BERTHS, **share})
        self.refused("no version yet", "POST", "routes", {**BERTHS, "name": "R", "version": 3})

    def test_an_edit_takes_what_is_its_own(self) -> None:
        trip = self.bring(SHEET)
        path, cell = f"trips/{trip.pk}/edits", {"kind": "cell", "row_id": 0, "column": "c2", "text": "x"}
        own = {"text": "x", "rows": 1, "block": [["x"]], "replace": {"find": "a", "put": "b"}, "damage": "zeros"}
        own |= {"plan": 1, "shown": {"state": "held"}}
        takes = {
            "cell": {"text"},
            "fill": {"rows", "shown"},
            "paste": {"block", "shown"},
            "replace": {"replace", "shown"},
            "repair": {"damage", "plan"},
        }
        for kind, names in takes.items():
            for name in own.keys() - names:
                with self.subTest(kind, name=name):
                    self.refused(f"'{name}' goes with 'kind'", "POST", path, {"kind": kind, name: own[name]})
        forgotten = {name: value for name, value in cell.items() if name != "text"}
        self.refused("Say what the cell holds", "POST", path, forgotten)
        self.assertFalse(Edit.objects.exists())
        answer = self.ask("POST", path, {**cell, "text": None, "damage": ""})
        self.assertIn(answer.status_code, (200, 201), answer.content)
        self.assertEqual(Edit.objects.count(), 1)

    def test_empty_lists_are_not_all(self) -> None:
        trip = self.bring("harbour,berth_no,notes\nTERNISLAND,B-005,painted\nTERNISLAND,B-006,painted\n")
        self.assertEqual(self.apply(trip).state, Pass.ENDED)
        for body in ({"rows": []}, {"passes": []}, {"rows": [1], "passes": []}):
            with self.subTest(body):
                self.refused("empty", "POST", f"trips/{trip.pk}/take-back", body)
        self.assertFalse(Trip.objects.filter(takes_back=trip).exists())
        self.assertEqual(self.ask("POST", f"trips/{trip.pk}/take-back", {"rows": [2]}).status_code, 202)
        other = self.bring("harbour,berth_no,notes\nTERNISLAND,B-999,x\nTERNISLAND,B-998,x\n")
        body = {"plan": other.plans.latest("number").number, "rows": [], "code": "no-match", "answer": "aside"}
        self.refused("empty", "POST", f"trips/{other.pk}/decisions", body)

    def test_what_is_expected_stays_until_it_is_said_anew(self) -> None:
        trip = self.bring("harbour,berth_no,daily_rate\nTERNISLAND,B-003,48.50\n")
        path = f"trips/{trip.pk}/expected"

        def expected() -> Any:
            return Trip.objects.get(pk=trip.pk).expected

        for body, wanted in (
            ({"rows": 7}, {"rows": 7}),
            ({"sums": {"daily_rate": "48.50"}}, {"rows": 7, "sums": {"daily_rate": "48.50"}}),
            ({}, {"rows": 7, "sums": {"daily_rate": "48.50"}}),
            ({"rows": None}, {"sums": {"daily_rate": "48.50"}}),
            ({"rows": 0}, {"rows": 0, "sums": {"daily_rate": "48.50"}}),
            ({"sums": {"daily_rate": ""}}, {"rows": 0}),
        ):
            with self.subTest(body):
                self.assertEqual(self.ask("PATCH", path, body).status_code, 200)
                self.assertEqual(expected(), wanted)

    def test_rows_are_left_out_or_taken_in(self) -> None:
        trip = self.bring(SHEET)
        path, plans = f"trips/{trip.pk}/only", trip.plans.count()
        self.refused("left out and taken in", "PATCH", path, {"leave_out": [1], "take_in": [1]})
        self.refused("not in the newest sheet", "PATCH", path, {"take_in": [77]})
        self.assertEqual(Trip.objects.get(pk=trip.pk).plans.count(), plans)
        self.assertEqual(self.ask("PATCH", path, {"leave_out": [1]}).status_code, 200)
        self.assertEqual(self.ask("PATCH", path, {"take_in": [1]}).status_code, 200)

    def test_a_filter_is_of_rows_as_they_are_planned(self) -> None:
        trip = self.bring(SHEET)
        path = f"/api/trips/{trip.pk}/rows"
        change = "change=" + json.dumps(["a", "b"])
        for query in (change, f"{change}&column=emptied:notes", "view=file&state=held", "view=lanes&order=notes"):
            with self.subTest(query):
                self.assertEqual(self.http.get(f"{path}?{query}").status_code, 422)
        self.assertEqual(self.http.get(f"{path}?{change}&column=notes").json()["total"], 0)
        edit = {"kind": "replace", "replace": {"find": "the", "put": "a"}}
        misspelt = {**edit, "shown": {"order": "note"}}
        self.refused("no field 'note'", "POST", f"trips/{trip.pk}/edits", misspelt)
        trip.plans.all().delete()
        self.assertEqual(self.http.get(path).json()["total"], 2)
        self.assertEqual(self.http.get(f"{path}?state=held").json()["code"], "no-plan")
        self.refused("no-plan", "POST", f"trips/{trip.pk}/edits", {**edit, "shown": {"state": "held"}})
        self.assertFalse(Edit.objects.filter(trip=trip).exists())

    def test_a_route_by_itself_takes_a_time_before_days_and_applies_before_how_many(self) -> None:
        route = self.route(import_document={"record_type": "Berth", "columns": {"notes": "notes"}})
        path, body = f"routes/{route.pk}/unattended", {"folder": "notes", "version": 1}
        for more in ({"days": [1]}, {"most": 5}, {"most_deletes": 1}):
            with self.subTest(more):
                self.refused("goes with", "PUT", path, {**body, **more})
        plain = {**body, "at": None, "days": [], "zone": "Europe/London", "most": 0, "most_deletes": 0}
        self.assertEqual(self.ask("PUT", path, plain).json()["code"], "folders")

    def test_a_wish_is_said_once(self) -> None:
        wish = {"kind": "pass", "listed": True, "mailed": False}
        kind = self.http.get("/api/notices").json()["wishes"][0]["kind"]
        twice = {"wishes": [{**wish, "kind": kind}, {**wish, "kind": kind, "listed": False}]}
        self.refused("Say each kind once", "PUT", "notices", twice)

    def test_a_pass_that_is_given_up_needs_no_approval(self) -> None:
        trip = self.bring(SHEET)
        self.apply(trip)
        self.refused("goes with 'do'", "POST", f"trips/{trip.pk}/passes/1", {"do": "give up", "lift": "hurry"})

    def test_a_sheet_of_a_trip_takes_no_route(self) -> None:
        trip, route = self.bring(SHEET), self.route()
        upload = trip.sheets.latest("pk").path.rpartition("/")[2]
        body = {**BERTHS, "trip": str(trip.pk), "route": route.pk}
        self.refused("begins a trip", "POST", f"uploads/{upload}/bring-in", body)

    def test_a_field_with_choices_is_one_of_choices(self) -> None:
        for kind in ("text", "number", "date", "yes or no"):
            with self.subTest(kind), self.assertRaisesRegex(PlainError, "has no choices"):
                add_field(self.person, self.practice, "Berth", NewField("x", "X", kind, False, ("a", "b")))
        self.refused(
            "has no choices",
            "POST",
            "applications/harbour-practice/fields",
            {"record_type": "Berth", "label": "X", "choices": ["a"]},
        )

    def test_a_trip_of_picked_records_is_kept_with_them(self) -> None:
        document = SendOut("Berth", ("notes",), picked=Picked(("harbour", "berth_no"), (("TERNISLAND", "B-003"),)))
        trip = Trip.objects.create(
            application=self.practice, record_type="Berth", send_document=document.to_json(), created_by="ada"
        )
        kept = keep_trip(self.person, PartView.of(trip), "Those of the jetty").document
        assert kept is not None
        self.assertEqual(kept.picked, document.picked)
