"""Rules for trouble: a pass carries on, or stops after so many refusals, and takes back what it wrote where asked."""

from __future__ import annotations

import json
from typing import Any

from django.test import Client

from tests.server.killing import die, take_over
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.trips.facts.passes import TroubleRule  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

ADDRESS, NO_ADDRESS = "@example.org", ".example"


class Troubles(LaneCase):
    def rows(self, *bad: int, of: int = 6) -> Any:
        """Holders that get an address each, those that are bad one that the register refuses."""
        self.make(*[(f"{at:02}", "Before") for at in range(of)])
        lines = [(f"{at:02}", "After", f"h{at}.{self.begin}{NO_ADDRESS if at in bad else ADDRESS}") for at in range(of)]
        return self.trip(self.sheet(*lines, header="holder_no,last_name,email"))

    def names(self) -> list[str]:
        return [one["last_name"] for one in sorted(self.holders(self.begin), key=lambda one: str(one["holder_no"]))]

    def test_it_stops_at_the_first_and_what_is_left_can_follow(self) -> None:
        trip = self.rows(2, 4)
        before = len(register().effects())
        done = self.apply(trip, trouble=TroubleRule(1))
        self.assertEqual((done.state, done.totals["updated"], done.totals["refused"]), ("stopped", 2, 1))
        self.assertEqual(len(register().effects()) - before, 2)
        self.assertEqual(done.sums["waiting"], 3)
        self.assertEqual(done.reason, "Stopped at 1 refused; it was to stop from 1 on.")
        self.assertEqual(Job.objects.get(trip=trip, kind="apply").state, "done")
        self.plan(trip)
        rest = self.apply(trip)
        self.assertEqual((rest.state, rest.totals["updated"], rest.totals["refused"]), ("ended", 2, 2))
        self.assertEqual(self.names().count("After"), 4, "nothing went twice or was lost")

    def test_it_stops_only_from_so_many_on_and_not_where_nothing_is_left(self) -> None:
        for bad, stop_after, state, updated in (
            ((0, 1), 3, "ended", 4),
            ((0, 1, 2), 3, "stopped", 0),
            ((5,), 1, "ended", 5),
            ((), 1, "ended", 6),
        ):
            with self.subTest(bad=bad, stop_after=stop_after):
                self.number_anew()
                done = self.apply(self.rows(*bad), trouble=TroubleRule(stop_after))
                self.assertEqual((done.state, done.totals["updated"]), (state, updated))

    def test_what_is_in_doubt_is_settled_before_it_stops(self) -> None:
        trip = self.rows(1)
        register().trouble("dropping")
        done = self.apply(trip, trouble=TroubleRule(1))
        self.assertEqual((done.state, done.totals["updated"], done.totals["unclear"]), ("stopped", 1, 0))
        self.assertEqual(self.names()[:2], ["After", "Before"])

    def test_killed_it_stops_all_the_same(self) -> None:
        for point in ("sent", "saved", "answered"):
            with self.subTest(point):
                self.number_anew()
                trip = self.rows(1)
                die(point, self.start(trip, trouble=TroubleRule(1)))
                self.assertEqual(take_over().error, "")
                done = self.last_pass(trip)
                self.assertEqual((done.state, done.totals["updated"], done.totals["refused"]), ("stopped", 1, 1))
                self.assertEqual(self.names(), ["After", *["Before"] * 5])

    def test_it_prepares_the_taking_back_and_nothing_is_taken_back_unseen(self) -> None:
        trip = self.rows(2)
        self.apply(trip, trouble=TroubleRule(1, take_back=True))
        back = Trip.objects.get(takes_back=trip)
        self.assertEqual(self.verdicts(back), ["update"] * 2)
        self.assertEqual(self.names(), ["After", "After", *["Before"] * 4], "it waits for review")
        self.apply(back)
        self.assertEqual(self.names(), ["Before"] * 6)
        self.number_anew()
        none = self.rows(0)
        self.apply(none, trouble=TroubleRule(1, take_back=True))
        self.assertFalse(Trip.objects.filter(takes_back=none).exists(), "there is nothing to take back")
        self.number_anew()
        well = self.rows()
        self.apply(well, trouble=TroubleRule(1, take_back=True))
        self.assertFalse(Trip.objects.filter(takes_back=well).exists(), "all went in")

    def test_what_cannot_be_is_refused_by_every_way(self) -> None:
        trip = self.rows(of=2)
        for trouble, more in ((TroubleRule(0), {}), (TroubleRule(None, True), {}), (TroubleRule(1), {"atomic": True})):
            with self.assertRaises(PlainError):
                self.start(trip, trouble=trouble, **more)
        self.assertEqual(trip.passes.count(), 0)
        client = Client()
        client.force_login(self.person)
        address, plan = f"/api/trips/{trip.pk}/passes", self.newest(trip).number
        for odd in ({"stop_after": 0}, {"stop_after": "x"}, {"take_back": True}, {"stop_after": 1, "atomic": True}):
            answer = client.post(address, {"plan": plan, **odd}, content_type="application/json")
            self.assertIn(answer.status_code, (400, 422), odd)
        self.assertEqual(trip.passes.count(), 0)
        told = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes", "--take-back", "--json")
        self.assertEqual((told.returncode, trip.passes.count()), (2, 0), told.stdout)

    def test_by_command(self) -> None:
        trip = self.rows(0)
        told = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes", "--stop-after", "1", "--json")
        told_json = json.loads(told.stdout)
        self.assertEqual((told_json["state"], told_json["sum"]["waiting"]), ("stopped", 5), told.stderr)
        self.assertIn("it was to stop", told_json["reason"])
