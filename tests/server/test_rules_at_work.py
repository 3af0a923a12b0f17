"""Rules that bind while passes go: the times at which a record type is written, and a route's rule for trouble."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from django.test import Client

from tests.server.services import view_of
from tests.server.timed import HOUR, TimedCase
from tests.support import register, template

template()


from vexo.server.applications.use_rules import set_rules  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.jobs.worker import do  # noqa: E402
from vexo.server.passes.models import Pass  # noqa: E402
from vexo.server.trips.facts.passes import TroubleRule  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

if TYPE_CHECKING:
    pass


class Times(TimedCase):
    def open_for(self, begins: datetime, ends: datetime, **more: Any) -> None:
        times = {"from": begins.strftime("%H:%M"), "to": ends.strftime("%H:%M"), **more}
        set_rules(self.person, self.practice, {"Holder": {"times": times}})
        self.practice.refresh_from_db()

    def test_outside_of_them_nothing_begins_is_taken_up_again_or_goes_on(self) -> None:
        now = datetime.now(UTC)
        self.open_for(now - 3 * HOUR, now - 2 * HOUR)
        trip = self.rows()
        before = len(register().effects())
        with self.assertRaisesRegex(PlainError, "are written from"):
            self.start(trip)
        with self.assertRaisesRegex(PlainError, "are written from"):
            self.later(trip)
        told = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes")
        self.assertEqual(told.returncode, 2)
        self.assertIn("are written from", told.stderr)
        page = self.page(trip)
        self.assertIn("UTC", page["times"])
        self.assertEqual([item["station"] for item in page["said"] if item["code"] == "times"], ["apply"])
        self.assertEqual(len(register().effects()), before)
        # Open now; it closes while the pass is under way.
        self.open_for(now - HOUR, now + HOUR)
        self.plan(trip)
        job = self.start(trip)
        with self.clock(now + 2 * HOUR):
            do(job)
        one = self.last_pass(trip)
        self.assertEqual((one.state, len(register().effects())), ("interrupted", before))
        self.assertIn("next on", one.reason)
        with self.clock(now + 2 * HOUR):
            self.assertEqual(self.go_on(trip).state, "interrupted")
        self.assertEqual(self.go_on(trip).totals["updated"], 2)

    def test_they_are_of_one_record_type_and_an_administrators(self) -> None:
        now = datetime.now(UTC)
        set_rules(self.person, self.practice, {"Berth": {"times": {"from": "00:00", "to": "00:01"}}})
        self.practice.refresh_from_db()
        if now.strftime("%H:%M") != "00:00":
            self.assertEqual(self.apply(self.rows()).totals["updated"], 2)
        for odd in (
            {"from": "25:00", "to": "06:00"},
            {"from": "20:00"},
            {"from": "20:00", "to": "06:00", "zone": "Moon"},
            {"from": "20:00", "to": "06:00", "days": ["Someday"]},
            {"from": "20:00", "to": "06:00", "days": []},
        ):
            told = self.page_of_rules(odd)
            self.assertEqual(told, 422 if odd.get("days") != ["Someday"] and "to" in odd else 400, odd)
        told = self.vexo.run(
            "--as",
            "ada",
            "rules",
            "harbour-practice",
            "--times",
            "Holder=20:00-06:00@Mon,Fri",
            "--zone",
            "Europe/London",
            "--json",
        )
        said = json.loads(told.stdout)["said"]["Holder"]["times"]
        self.assertEqual(said, {"days": ["Mon", "Fri"], "from": "20:00", "to": "06:00", "zone": "Europe/London"})
        told = self.vexo.run("--as", "ada", "rules", "harbour-practice", "--any-time", "holder", "--json")
        self.assertNotIn("Holder", json.loads(told.stdout)["said"])
        told = self.vexo.run("--as", "bram", "rules", "harbour-practice", "--times", "Holder=20:00-06:00")
        self.assertEqual(told.returncode, 2)

    def page_of_rules(self, times: dict[str, Any]) -> int:
        client = Client()
        client.force_login(self.person)
        body = {"said": {"Holder": {"times": times}}}
        return client.put("/api/applications/harbour-practice/rules", body, content_type="application/json").status_code


class RouteRules(TimedCase):
    def test_a_route_says_what_its_passes_do_where_rows_are_refused(self) -> None:
        from vexo.server.routes.models import Route
        from vexo.server.routes.refusal_rules import set_rule_of_route
        from vexo.server.routes.saved_routes import keep_trip

        trip = self.rows()
        self.apply(trip, trouble=TroubleRule(2, take_back=True))
        route = keep_trip(self.person, view_of(trip), f"Holders {trip.pk}")
        self.assertEqual(route.on_refusals, {"stop_after": 2, "take_back": True})
        other = self.rows()
        Trip.objects.filter(pk=other.pk).update(route=route)
        self.assertEqual(self.page(other)["on_refusals"], {"stop_after": 2, "take_back": True})
        client = Client()
        client.force_login(self.person)
        body = {"plan": self.newest(other).number}
        client.post(f"/api/trips/{other.pk}/passes", body, content_type="application/json")
        self.work()
        done = self.last_pass(other)
        self.assertEqual((done.stop_after, done.take_back), (2, True))
        third = self.rows()
        Trip.objects.filter(pk=third.pk).update(route=route)
        told = self.vexo.run("--as", "ada", "apply", str(third.pk), "--yes", "--json")
        self.assertEqual(self.last_pass(third).stop_after, 2, told.stderr)
        self.assertIn("stops once 2 rows were refused", told.stderr)
        fourth = self.rows()
        Trip.objects.filter(pk=fourth.pk).update(route=route)
        self.vexo.run("--as", "ada", "apply", str(fourth.pk), "--yes", "--carry-on")
        self.assertIsNone(self.last_pass(fourth).stop_after)
        set_rule_of_route(self.person, route, TroubleRule())
        self.assertEqual(Route.objects.get(pk=route.pk).on_refusals, {})
        with self.assertRaises(PlainError):
            set_rule_of_route(self.person, route, TroubleRule(None, take_back=True))
        with self.assertRaises(NotAllowed):
            set_rule_of_route(self.vera, route, TroubleRule(1))
        told = client.put(f"/api/routes/{route.pk}/refusals", {"stop_after": 5}, content_type="application/json").json()
        self.assertEqual(told["on_refusals"], {"stop_after": 5, "take_back": False})
        self.assertTrue(Pass.objects.filter(trip=fourth).exists())
