"""How a route is said to run by itself, and when it is due."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from datetime import time as clock

from hypothesis import given
from hypothesis import strategies as st

from tests.support import template

template()

from django.test import Client  # noqa: E402
from django.utils import timezone  # noqa: E402

from tests.server.unattended_case import UnattendedCase  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue_due  # noqa: E402
from vexo.server.locales import ANYONE  # noqa: E402
from vexo.server.routes.guarding import set_route_guards  # noqa: E402
from vexo.server.routes.refusal_rules import set_rule_of_route  # noqa: E402
from vexo.server.trips.facts.passes import TroubleRule  # noqa: E402
from vexo.server.unattended import services  # noqa: E402
from vexo.server.unattended.models import Unattended  # noqa: E402
from vexo.server.unattended.services import Wished, set_unattended  # noqa: E402


class Saying(UnattendedCase):
    def test_folders_are_names_below_the_one_that_was_given(self) -> None:
        outside = self.vexo.data / "outside"
        outside.mkdir(exist_ok=True)
        link = self.root / "leads"
        if not link.is_symlink():
            link.symlink_to(outside)
        for name in (
            "..",
            ".",
            "/etc",
            "notes/..",
            "../outside",
            "leads",
            "none",
            "",
            "taken",
            "a\0b",
            "no\ntes",
            ".x",
        ):
            with self.subTest(name), self.assertRaises(PlainError):
                set_unattended(self.person, self.route, Wished(name))
        set_unattended(self.person, self.route, Wished("notes"))
        other = self.a_route(self.live)
        with self.assertRaisesRegex(PlainError, "is that of the route"):
            set_unattended(self.person, other, Wished("notes"))

    def test_limits_zones_and_days_are_looked_at(self) -> None:
        client = Client()
        client.force_login(self.person)
        path = f"/api/routes/{self.route.pk}/unattended"
        seen = client.get(f"/api/routes/{self.route.pk}").json()["version"]
        for wrong in (
            {"folder": "notes", "applies": True, "version": seen},
            {"folder": "notes", "applies": True, "most": 10**9, "version": seen},
            {"folder": "notes", "applies": True, "most": 3, "most_deletes": 4, "version": seen},
            {"folder": "notes", "applies": True, "most": 40},
            {"folder": "notes", "zone": "Nowhere/Land"},
            {"folder": "notes", "days": [7]},
            {"folder": "notes", "at": "25:00"},
            {"folder": "notes", "aplies": True},
        ):
            answer = client.put(path, wrong, content_type="application/json")
            self.assertIn(answer.status_code, (400, 422), wrong)
        self.assertFalse(Unattended.objects.exists())
        right = {"folder": "notes", "at": "06:30", "days": [0, 4], "zone": "Europe/London", "applies": True, "most": 40}
        right["version"] = seen
        told = client.put(path, right, content_type="application/json").json()
        self.assertEqual(
            told["says"],
            "sheets come in from the folder notes at 06:30 (Europe/London), Mon, Fri, and are applied where nothing is "
            "open and at most 40 records are written, none deleted",
        )
        self.assertEqual(client.get("/api/unattended").json()[0]["route"], self.route.pk)
        for change in (
            lambda: set_rule_of_route(self.person, self.route, TroubleRule(stop_after=3)),
            lambda: set_route_guards(self.person, self.route, {"far-out": {"mode": "off"}}),
        ):
            change()
            answer = client.put(path, right, content_type="application/json")
            self.assertEqual(answer.status_code, 412)
            self.assertIn("was changed elsewhere", answer.json()["detail"])
            right["version"] = client.get(f"/api/routes/{self.route.pk}").json()["version"]
            self.assertEqual(client.put(path, right, content_type="application/json").status_code, 200)
        self.assertEqual(client.delete(path).status_code, 204)
        self.assertEqual(client.delete(path).status_code, 422)

    def test_a_worker_looks_only_where_a_route_runs_by_itself(self) -> None:
        Job.objects.filter(kind__in=("look", "thin", "watch")).delete()
        enqueue_due()
        self.assertFalse(Job.objects.filter(kind="look").exists())
        set_unattended(self.person, self.route, Wished("notes"))
        enqueue_due()
        enqueue_due()
        self.assertEqual(Job.objects.filter(kind="look").count(), 1)
        Job.objects.filter(kind__in=("look", "thin", "watch")).delete()

    @given(
        st.integers(0, 23),
        st.integers(0, 59),
        st.sets(st.integers(0, 6)),
        st.integers(0, 14 * 24 * 60),
        st.integers(0, 3000),
    )
    def test_each_time_of_a_day_is_looked_at_once(
        self, hour: int, minute: int, days: set[int], start: int, later: int
    ) -> None:
        """Against a plain reading: some minute since the last look is one of its times, of this day or the last."""
        begin = datetime(2026, 3, 20, tzinfo=UTC) + timedelta(minutes=start)
        now = begin + timedelta(minutes=later)
        unattended = Unattended(at=clock(hour, minute), days=sorted(days), zone="UTC", looked_at=begin)
        moments = [begin + timedelta(minutes=one) for one in range(1, later + 1)]
        since = [m for m in moments if (now.date() - m.date()).days <= 1]
        hits = [m for m in since if (m.hour, m.minute) == (hour, minute) and (not days or m.weekday() in days)]
        self.assertEqual(services.is_due(unattended, now), bool(hits))
        if hits:
            unattended.looked_at = now
            self.assertFalse(services.is_due(unattended, now))

    def test_a_clock_set_back_stops_nothing(self) -> None:
        now = timezone.now()
        unattended = Unattended(at=clock(0, 0), zone="UTC", looked_at=now + timedelta(days=3))
        self.assertTrue(services.is_due(unattended, now))

    def test_the_command_line_says_and_stops_it_in_the_same_words(self) -> None:
        name = self.route.name
        said = ("--by-itself", f"{name}=notes", "--at", "06:30", "--days", "mon,Fri", "--applies", "9")
        told = self.vexo.json("--as", "ada", "routes", *said)
        one = next(route for route in told["routes"] if route["name"] == name)
        self.assertEqual(one["by_itself"], ANYONE.text(services.words_of(Unattended.objects.get())))
        self.assertIn("at 06:30 (UTC), Mon, Fri", one["by_itself"])
        self.assertIn("By itself: sheets come in", self.vexo.run("routes").stdout)
        for wrong in (("--at", "6.30"), ("--days", "Noday"), ("--applies", "-1"), ("--deletes", "99")):
            done = self.vexo.run("--as", "ada", "routes", "--by-itself", f"{name}=notes", "--applies", "9", *wrong)
            self.assertEqual(done.returncode, 2, wrong)
        self.assertEqual(self.vexo.run("--as", "ada", "routes", "--at", "06:30").returncode, 2)
        told = self.vexo.json("--as", "ada", "routes", "--not-by-itself", name)
        self.assertEqual({route["by_itself"] for route in told["routes"]}, {""})
