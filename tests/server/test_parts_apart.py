"""The parts of a trip wait, are planned, approved, applied and taken back each on its own."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

from django.test import Client as _Client

from tests.support import template

template()

from django.utils import timezone  # noqa: E402

from tests.server.sharing_case import SharingCase  # noqa: E402
from vexo.server import artifacts  # noqa: E402
from vexo.server.applications.use_rules import set_rules  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.passes.approving import ask_for_approval  # noqa: E402
from vexo.server.passes.models import Scheduled  # noqa: E402
from vexo.server.passes.scheduling import schedule  # noqa: E402
from vexo.server.passes.starting import plan_to_approve  # noqa: E402
from vexo.server.passes.take_back import Wanted, start_taking_back  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.planning.context import plan_of  # noqa: E402
from vexo.server.trips.models import Sheet, Trip  # noqa: E402
from vexo.server.trips.parts import part_named, parts_of  # noqa: E402
from vexo.server.trips.plan_jobs import enqueue_plan  # noqa: E402
from vexo.server.trips.status import TripStatus  # noqa: E402
from vexo.server.trips.trip_pages import approval_told, trip_summary  # noqa: E402


class PartsApart(SharingCase):
    def shown(self, back: Trip) -> list[dict[str, Any]]:
        cells = artifacts.read(back.sheets.get(direction=Sheet.IN).cells)
        names = {column.header: column.name for column in back.sheets.get(direction=Sheet.IN).profile.columns}
        return [{"harbour": one} for one in cells[names["Harbour"]].to_list()]

    def taken_back(self, trip: Trip, **wanted: Any) -> list[str]:
        """The berths of the trip that takes one back, by harbour; and that trip is gone again."""
        job = run_inline(start_taking_back(self.seen(trip), self.person, Wanted(**wanted), run_here=True))
        self.assertEqual(job.error, "")
        back = Trip.objects.filter(takes_back=trip).latest("pk")
        return sorted(fields["harbour"] for fields in self.shown(back))

    def test_a_part_that_waits_is_in_the_list_of_trips_whichever_came_in_last(self) -> None:
        trip = self.share("D")
        for label in ("NORTHHAVEN", "EELGRASS", "TERNISLAND"):
            self.assertEqual(self.back(self.noted(self.path(trip, label), f"by {label}", 2)).error, "")

        def told() -> tuple[bool, str, str | None, int]:
            one = trip_summary(self.seen(trip), self.person)
            about = one.about_part
            return one.asks, one.needs.says, about and about.label, about.more if about else 0

        self.assertEqual(told(), (True, "1 ready to apply", "TERNISLAND", 2))
        self.apply_part(trip, "TERNISLAND")
        self.assertEqual(told(), (True, "1 ready to apply", "EELGRASS", 1))
        listed = self.vexo.run("--as", "ada", "trips").stdout
        self.assertIn("EELGRASS", listed)
        self.assertIn("and 1 more part", " ".join(listed.split()))
        client = _Client()
        client.force_login(self.person)
        (one,) = [line for line in client.get("/api/trips").json() if line["id"] == trip.pk]
        number = part_named(trip, "EELGRASS").number
        self.assertEqual(one["about_part"], {"number": number, "label": "EELGRASS", "more": 1})
        self.assertEqual(one["to_write"], 1)
        self.apply_part(trip, "EELGRASS")
        self.apply_part(trip, "NORTHHAVEN")
        self.assertEqual(told(), (False, "3 of 5 parts back", None, 0))

    def test_work_that_waits_for_one_part_is_not_taken_for_anothers(self) -> None:
        trip = self.share("D")
        number = {p.label: p.number for p in parts_of(self.seen(trip))}
        for label in ("EELGRASS", "TERNISLAND"):
            self.back(self.noted(self.path(trip, label), label, 2))
        client = _Client()
        client.force_login(self.person)
        for what in ("plan", "keys"):
            with self.subTest(what):
                jobs = {}
                for label in ("EELGRASS", "TERNISLAND", "EELGRASS"):
                    answer = client.post(f"/api/trips/{trip.pk}/{what}?part={number[label]}", {}, "application/json")
                    jobs.setdefault(label, set()).add(answer.json()["id"])
                self.assertEqual([len(ids) for ids in jobs.values()], [1, 1], "asked twice, it is done once")
                self.assertFalse(jobs["EELGRASS"] & jobs["TERNISLAND"])
                parts = {trip.jobs.get(pk=job).arguments["part"] for ids in jobs.values() for job in ids}
                self.assertEqual(parts, {number["EELGRASS"], number["TERNISLAND"]})

    def test_each_part_has_its_own_time_and_approval(self) -> None:
        trip = self.share("H")
        for label in ("NORTHHAVEN", "EELGRASS"):
            self.back(self.noted(self.path(trip, label), f"by {label}", 2, 3))
        at = timezone.now() + timedelta(hours=1)
        for hours, label in ((0, "NORTHHAVEN"), (1, "EELGRASS")):
            view = self.seen(trip, label)
            schedule(view, self.person, plan_of(view).number, at + timedelta(hours=hours))
        self.assertEqual(Scheduled.objects.filter(trip=trip, state=Scheduled.WAITING).count(), 2)
        for label in ("NORTHHAVEN", "EELGRASS"):
            self.assertEqual(TripStatus(self.seen(trip, label)).needs().says, "to be applied", label)
        Person.objects.create(username="bram", name="Bram Tidewell", role=Role.OPERATOR)
        set_rules(self.person, self.practice, {"Berth": {"approve": {"always": True}}})
        self.addCleanup(set_rules, self.person, self.practice, {})
        for label in ("NORTHHAVEN", "EELGRASS"):
            view = self.seen(trip, label)
            run_inline(enqueue_plan("ada", view, run_here=True, fresh=True))
            view = self.seen(trip, label)
            ask_for_approval(view, self.person, plan_to_approve(view, plan_of(view).number), f"Please {label}")
        for label in ("NORTHHAVEN", "EELGRASS"):
            told = approval_told(TripStatus(self.seen(trip, label)), self.person)
            assert told is not None
            self.assertEqual((told.state, told.note), ("asked", f"Please {label}"))
        told = self.vexo.run("--as", "ada", "stop", str(trip.pk))
        self.assertEqual((told.returncode, "which part" in told.stderr), (2, True))
        told = self.vexo.run("--as", "ada", "--part", "NORTHHAVEN", "stop", str(trip.pk))
        self.assertEqual(told.returncode, 0, told.stderr)
        left = Scheduled.objects.filter(trip=trip, state=Scheduled.WAITING)
        self.assertEqual([one.part for one in left], [part_named(trip, "EELGRASS").number])

    def test_taking_back_is_of_the_part_that_is_meant_and_its_own_rows(self) -> None:
        trip = self.share("J")
        for label in ("NORTHHAVEN", "EELGRASS"):
            self.back(self.noted(self.path(trip, label), f"by {label}", 2, 3))
            self.assertEqual(self.apply_part(trip, label).totals["updated"], 2)
        with self.assertRaisesRegex(PlainError, "which part"):
            start_taking_back(self.seen(trip), self.person, Wanted(rows=(3,)), run_here=True)
        north = part_named(trip, "NORTHHAVEN").number
        self.assertEqual(self.taken_back(trip, part=north, rows=(3,)), ["NORTHHAVEN"])
        self.assertEqual(self.taken_back(trip, part=north), ["NORTHHAVEN"] * 2)
        self.assertEqual(self.taken_back(trip), ["EELGRASS"] * 2 + ["NORTHHAVEN"] * 2)
        self.assertEqual(self.taken_back(trip, passes=(2,), rows=(3,)), ["EELGRASS"], "a pass is of one part")
        with self.assertRaisesRegex(PlainError, "no pass 2"):
            start_taking_back(self.seen(trip), self.person, Wanted(passes=(2,), part=north), run_here=True)
        told = self.vexo.run("--as", "ada", "--part", "EELGRASS", "take-back", str(trip.pk), "--json")
        self.assertIn("trip", json.loads(told.stdout), told.stdout)
        made = Trip.objects.get(pk=json.loads(told.stdout)["trip"])
        self.assertEqual([one["harbour"] for one in self.shown(made)], ["EELGRASS"] * 2, told.stderr)
        client = _Client()
        client.force_login(self.person)
        answer = client.post(
            f"/api/trips/{trip.pk}/take-back", {}, content_type="application/json", headers={"Vexo-Part": str(north)}
        )
        run_inline(Job.objects.get(pk=answer.json()["id"]))
        made = Trip.objects.filter(takes_back=trip).latest("pk")
        self.assertEqual([one["harbour"] for one in self.shown(made)], ["NORTHHAVEN"] * 2)
