"""A pass at a time, within the times that are allowed, and paused: what was seen goes, or nothing does."""

from __future__ import annotations

import json
import shutil
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Any
from unittest.mock import patch

from django.test import Client

from tests.server.killing import Killed, die, take_over
from tests.server.services import view_of
from tests.server.test_approving import ApprovalCase
from tests.support import register, template

template()

from django.utils import timezone  # noqa: E402

from vexo.server.applications.use_rules import set_rules  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError, Stale  # noqa: E402
from vexo.server.jobs.ending import pause  # noqa: E402
from vexo.server.jobs.leases import claim  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.processes import owner_name  # noqa: E402
from vexo.server.jobs.worker import do  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.moved_folder import settle_in  # noqa: E402
from vexo.server.passes import running, scheduling  # noqa: E402
from vexo.server.passes.models import Pass, Scheduled  # noqa: E402
from vexo.server.passes.scheduling import cancel, schedule  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.facts.passes import TroubleRule  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

if TYPE_CHECKING:
    from collections.abc import Iterator

HOUR = timedelta(hours=1)


class TimedCase(ApprovalCase):
    def later(self, trip: Any, after: timedelta = HOUR, person: Any = None, **more: Any) -> Any:
        trip.refresh_from_db()
        at = timezone.now() + after
        schedule(view_of(trip), person or self.person, self.newest(trip).number, at, **more)
        return Scheduled.objects.filter(trip=trip).last()

    @contextmanager
    def clock(self, now: datetime) -> Iterator[None]:
        """Within this it is another time."""
        with patch.object(timezone, "now", lambda: now), patch("time.time", now.timestamp):
            yield

    def when_it_is(self, moment: datetime) -> list[str]:
        """The kinds of the jobs that a worker does at a moment."""
        with self.clock(moment):
            return self.work()

    def work(self) -> list[str]:
        kinds = []
        while (job := claim(owner_name(), ("passes",))) is not None:
            do(job)
            kinds.append(job.kind)
        return kinds

    def said(self, trip: Any) -> str:
        return self.needs(trip)

    def page(self, trip: Any, person: Any = None) -> dict[str, Any]:
        client = Client()
        client.force_login(person or self.person)
        answer: dict[str, Any] = client.get(f"/api/trips/{trip.pk}").json()
        return answer


class Scheduling(TimedCase):
    def test_at_its_time_what_was_seen_goes_and_not_before(self) -> None:
        trip = self.rows()
        scheduled = self.later(trip, trouble=TroubleRule(3))
        page = self.page(trip)
        self.assertEqual((page["needs"]["says"], page["scheduled"]["counts"]), ("to be applied", True))
        self.assertIsNone(page["job"], "nobody waits for it")
        self.assertIn("is to be applied at", self.vexo.run("open", str(trip.pk)).stderr)
        before = len(register().effects())
        self.assertEqual(self.when_it_is(scheduled.at - timedelta(seconds=1)), [])
        self.assertEqual(self.when_it_is(scheduled.at + timedelta(minutes=1)), ["apply later", "apply"])
        done = self.last_pass(trip)
        self.assertEqual((done.totals["updated"], done.stop_after, done.by), (2, 3, "ada"))
        self.assertEqual(len(register().effects()) - before, 2)
        self.assertIsNone(self.page(trip)["scheduled"])
        self.assertEqual(self.when_it_is(scheduled.at + timedelta(minutes=2)), [])

    def test_where_the_plan_no_longer_counts_nothing_goes_and_it_is_said(self) -> None:
        for done in ("edit", "decision", "plan"):
            with self.subTest(done):
                trip = self.rows()
                scheduled = self.later(trip)
                if done == "edit":
                    self.edit(trip, "cell", 2, "last_name", text="Other")
                elif done == "decision":
                    self.decide(trip, "aside", [0])
                else:
                    self.plan(trip)
                if done != "plan":
                    self.assertIn("nothing is sent then", self.vexo.run("open", str(trip.pk)).stderr)
                    self.assertIn("was changed", self.said(trip))
                    self.assertFalse(self.page(trip)["scheduled"]["counts"])
                before = len(register().effects())
                self.when_it_is(scheduled.at + timedelta(minutes=1))
                scheduled.refresh_from_db()
                if done == "plan" and scheduled.state == Scheduled.BEGUN:
                    continue
                self.assertEqual((scheduled.state, len(register().effects())), (Scheduled.LAPSED, before))
                self.assertIn("no longer counts", scheduled.reason)
                self.assertIn("was not applied", self.said(trip))
                self.assertIn("no longer counts", self.page(trip)["scheduled"]["reason"])
                entry = Entry.objects.filter(trip=trip.pk).latest("pk")
                self.assertIn("was not applied at its time", entry.message)

    def test_what_was_worked_out_may_be_forgotten_meanwhile(self) -> None:
        trip = self.rows()
        scheduled = self.later(trip)
        shutil.rmtree(absolute(f"stages/{trip.pk}"))
        self.assertEqual(self.when_it_is(scheduled.at + timedelta(minutes=1)), ["apply later", "apply"])
        self.assertEqual(self.last_pass(trip).totals["updated"], 2)

    def test_home_says_it_though_rows_need_somebody_too(self) -> None:
        self.number_anew()
        self.make(("01", "Before"))
        trip = self.trip(self.sheet(("01", "After", ""), ("77", "Unknown", "")))
        self.assertEqual(sorted(self.verdicts(trip)), ["rejected", "update"])
        self.assertIn("1 row needs you", self.said(trip))
        scheduled = self.later(trip)
        self.assertEqual(self.said(trip), "to be applied")
        self.rule(always=True)
        self.when_it_is(scheduled.at + timedelta(minutes=1))
        self.assertIn("was not applied", self.said(trip))
        cancel(view_of(trip), self.person)
        self.plan(trip)
        self.assertIn("1 row needs you", self.said(trip))
        self.ask(trip)
        self.assertEqual(self.said(trip), "waits for an approval")
        self.answer(trip, approve=False, words="Not yet")
        self.assertEqual(self.said(trip), "sent back: Not yet")

    def test_a_machine_that_was_off_does_not_send_in_the_morning(self) -> None:
        trip = self.rows()
        scheduled = self.later(trip)
        before = len(register().effects())
        self.assertEqual(self.when_it_is(scheduled.at + scheduling.LATEST + timedelta(minutes=1)), ["apply later"])
        self.assertEqual(len(register().effects()), before)
        self.assertIn("was not running", self.page(trip)["scheduled"]["reason"])
        self.assertEqual(self.apply(trip).totals["updated"], 2, "it can be sent by hand")
        self.assertIsNone(self.page(trip)["scheduled"])

    def test_what_binds_binds_at_the_time(self) -> None:
        for bound in ("approval", "deny", "role", "gone", "times"):
            with self.subTest(bound):
                trip = self.rows()
                bea = Person.objects.create(username=f"bea{bound}", name="Bea Tern", role=Role.OPERATOR)
                scheduled = self.later(trip, person=bea)
                if bound == "approval":
                    self.rule(always=True)
                elif bound == "deny":
                    set_rules(self.person, self.practice, {"Holder": {"deny": ["update"]}})
                elif bound == "role":
                    Person.objects.filter(pk=bea.pk).update(role=Role.VIEWER)
                elif bound == "gone":
                    Person.objects.filter(pk=bea.pk).update(is_active=False)
                else:
                    closed = (scheduled.at - 3 * HOUR).strftime("%H:%M"), (scheduled.at - 2 * HOUR).strftime("%H:%M")
                    set_rules(
                        self.person,
                        self.practice,
                        {"Holder": {"times": dict(zip(("from", "to"), closed, strict=True))}},
                    )
                before = len(register().effects())
                self.when_it_is(scheduled.at + timedelta(minutes=1))
                scheduled.refresh_from_db()
                self.assertEqual((scheduled.state, len(register().effects())), (Scheduled.LAPSED, before))
                self.assertTrue(scheduled.reason)
                self.rule()

    def test_an_approval_that_came_in_between_lets_it_go(self) -> None:
        self.rule(always=True)
        trip = self.rows()
        scheduled = self.later(trip)
        self.ask(trip)
        self.answer(trip)
        self.assertEqual(self.when_it_is(scheduled.at + timedelta(minutes=1)), ["apply later", "apply"])
        self.assertEqual(self.last_pass(trip).totals["updated"], 2)

    def test_another_time_no_time_or_by_hand_ends_the_first(self) -> None:
        trip = self.rows()
        first, second = self.later(trip), self.later(trip, 2 * HOUR)
        self.assertEqual(self.when_it_is(first.at + timedelta(minutes=1)), [])
        cancel(view_of(trip), self.person)
        self.assertEqual(self.when_it_is(second.at + timedelta(minutes=1)), [])
        self.assertIsNone(self.page(trip)["scheduled"])
        other = self.rows()
        fourth = self.later(other)
        self.edit(other, "cell", 2, "last_name", text="Newer")
        self.assertEqual(self.apply(other).totals["updated"], 2, "a newer plan, by hand")
        self.when_it_is(fourth.at + timedelta(minutes=1))
        self.assertIsNone(self.page(other)["scheduled"], "what was said before is over")
        third = self.later(trip)
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        before = len(register().effects())
        self.when_it_is(third.at + timedelta(minutes=1))
        self.assertEqual(len(register().effects()), before)
        self.assertEqual(trip.passes.count(), 1)

    def test_killed_just_after_it_began_or_in_the_pass_it_goes_once(self) -> None:
        for point in ("begun", "saved", "answered", "sent"):
            with self.subTest(point):
                trip = self.rows()
                scheduled = self.later(trip)
                before = len(register().effects())
                with self.clock(scheduled.at + timedelta(minutes=1)):
                    job = claim(owner_name(), ("passes",))
                    assert job is not None
                    if point == "begun":
                        with patch.object(scheduling, "update_status", side_effect=Killed), self.assertRaises(Killed):
                            do(job)
                        Job.objects.filter(pk=job.pk).update(lease_until=1.0)
                    else:
                        do(job)
                        passing = claim(owner_name(), ("passes",))
                        die(point, passing)
                with self.clock(scheduled.at + timedelta(minutes=3)):
                    self.work()
                self.assertEqual(self.last_pass(trip).totals["updated"], 2)
                self.assertEqual((trip.passes.count(), len(register().effects()) - before), (1, 2))

    def test_a_folder_that_was_moved_sends_nothing_by_itself(self) -> None:
        trip = self.rows()
        scheduled = self.later(trip)
        told: list[str] = []
        settle_in(told.append)
        self.assertIn("not applied", " ".join(told))
        self.assertEqual(self.when_it_is(scheduled.at + timedelta(minutes=1)), [])
        self.assertIn("laid out from a backup", self.page(trip)["scheduled"]["reason"])

    def test_who_may_and_which_times_can_be(self) -> None:
        trip = self.rows()
        number = self.newest(trip).number
        for person in (self.ines, self.vera):
            if person.role == Role.VIEWER:
                with self.assertRaises(NotAllowed):
                    self.later(trip, person=person)
                with self.assertRaises(NotAllowed):
                    cancel(view_of(trip), person)
        with self.assertRaisesRegex(PlainError, "gone by"):
            schedule(view_of(trip), self.person, number, timezone.now() - HOUR)
        with self.assertRaisesRegex(PlainError, "31 days"):
            schedule(view_of(trip), self.person, number, timezone.now() + timedelta(days=32))
        with self.assertRaises(PlainError):
            schedule(view_of(trip), self.person, number, timezone.now() + HOUR, atomic=True, trouble=TroubleRule(1))
        self.edit(trip, "cell", 2, "last_name", text="Other")
        with self.assertRaises(Stale):
            schedule(view_of(trip), self.person, number, timezone.now() + HOUR)

    def test_by_api_and_command(self) -> None:
        trip = self.rows()
        client = Client()
        client.force_login(self.person)
        at = (timezone.now() + HOUR).isoformat()
        body = {"plan": self.newest(trip).number, "at": at}
        address = f"/api/trips/{trip.pk}/passes"
        self.assertEqual(client.post(address, body, content_type="application/json").status_code, 202)
        self.assertEqual(client.get(f"/api/trips/{trip.pk}").json()["scheduled"]["by"]["username"], "ada")
        odd = client.post(address, {**body, "at": "soon"}, content_type="application/json")
        self.assertEqual(odd.status_code, 400)
        odd = client.post(address, {**body, "at": "2026-12-24T20:00"}, content_type="application/json")
        self.assertIn("time zone", odd.content.decode(), "of which zone is not guessed")
        self.assertEqual(client.delete(f"/api/trips/{trip.pk}/scheduled").status_code, 204)
        self.assertIsNone(client.get(f"/api/trips/{trip.pk}").json()["scheduled"])
        number = str(trip.pk)
        told = self.vexo.run("--as", "ada", "apply", number, "--yes", "--at", "2020-01-01 10:00")
        self.assertIn("gone by", told.stderr)
        told = self.vexo.run("--as", "ada", "apply", number, "--yes", "--at", "half nine")
        self.assertIn("20:00", told.stderr)
        tomorrow = (datetime.now().astimezone() + timedelta(days=1)).strftime("%Y-%m-%d %H:%M")
        told = self.vexo.run("--as", "ada", "apply", number, "--yes", "--at", tomorrow, "--json")
        self.assertEqual((told.returncode, json.loads(told.stdout)["plan"]), (0, self.newest(trip).number), told.stderr)
        self.assertEqual(self.vexo.run("--as", "ada", "stop", number).returncode, 0)
        self.assertIsNone(self.page(trip)["scheduled"])
        self.assertIn("none waits", self.vexo.run("--as", "ada", "stop", number).stderr)


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


class Pausing(TimedCase):
    def paused(self, trip: Any) -> Any:
        """A pass that was asked to pause once its first batch was sent, in batches of one."""
        job = self.start(trip)
        send = running.Run._send

        def then_asked(run: Any, batch: Any) -> None:
            send(run, batch)
            pause(Job.objects.get(pk=job.pk), self.bram)

        with patch.object(running.Run, "_send", then_asked), self.batches_of(1):
            do(job)
        return self.last_pass(trip)

    @contextmanager
    def batches_of(self, size: int) -> Iterator[None]:
        made = running.Run.__init__

        def small(run: Any, *arguments: Any) -> None:
            made(run, *arguments)
            run.size = size

        with patch.object(running.Run, "__init__", small):
            yield

    def test_it_waits_after_its_batch_and_goes_on_or_is_given_up(self) -> None:
        for how in ("go on", "give up"):
            with self.subTest(how):
                trip = self.rows(3)
                before = len(register().effects())
                one = self.paused(trip)
                self.assertEqual(
                    (one.state, one.reason, len(register().effects()) - before),
                    ("paused", "Paused by Bram Tidewell.", 1),
                )
                self.assertEqual(one.sums["waiting"], 2)
                self.assertEqual(self.said(trip), "a pass is paused")
                self.assertEqual(self.page(trip)["passes"][-1]["state"], "paused")
                with self.assertRaisesRegex(PlainError, "has not ended"):
                    self.start(trip)
                done = self.go_on(trip, give_up=how == "give up")
                self.assertEqual(done.totals["updated"], 3 if how == "go on" else 1)
                self.assertEqual(len(register().effects()) - before, 3 if how == "go on" else 1)
                self.assertEqual(done.state, "ended" if how == "go on" else "given up")

    def test_one_that_is_killed_after_it_was_asked_pauses_where_it_is_taken_over(self) -> None:
        trip = self.rows(3)
        job = self.start(trip)
        before = len(register().effects())
        with self.batches_of(1):
            die("saved", job)
            pause(Job.objects.get(pk=job.pk), self.person)
            take_over()
        one = self.last_pass(trip)
        self.assertEqual((one.state, len(register().effects()) - before), ("paused", 1), "the doubt was settled first")
        self.assertEqual(self.go_on(trip).totals["updated"], 3)

    def test_the_job_of_a_time_is_not_stopped_in_silence(self) -> None:
        trip = self.rows()
        self.later(trip)
        job = Job.objects.get(trip=trip, kind="apply later")
        client = Client()
        client.force_login(self.person)
        told = client.delete(f"/api/jobs/{job.pk}")
        self.assertEqual((told.status_code, told.json()["code"]), (422, "waits"), "it would begin all the same")
        self.assertEqual(client.delete(f"/api/trips/{trip.pk}/scheduled").status_code, 204)
        job.refresh_from_db()
        self.assertEqual(job.state, Job.STOPPED)
        self.assertEqual(client.delete(f"/api/jobs/{job.pk}").json()["state"], "stopped")

    def test_nothing_to_pause_is_said(self) -> None:
        trip = self.rows()
        told = self.vexo.run("--as", "ada", "pause", str(trip.pk))
        self.assertEqual((told.returncode, "under way" in told.stderr), (2, True))
        job = self.start(trip)
        client = Client()
        client.force_login(self.vera)
        self.assertEqual(
            client.post(f"/api/jobs/{job.pk}", {"want": "pause"}, content_type="application/json").status_code, 403
        )
        client.force_login(self.person)
        self.assertEqual(
            client.post(f"/api/jobs/{job.pk}", {"want": "fly"}, content_type="application/json").status_code, 400
        )
        self.assertEqual(
            client.post(f"/api/jobs/{job.pk}", {"want": "pause"}, content_type="application/json").json()["wanted"],
            "pause",
        )
        do(Job.objects.get(pk=job.pk))
        self.assertEqual(self.last_pass(trip).state, "paused")
        self.assertEqual(self.go_on(trip).totals["updated"], 2)
        self.assertEqual(
            client.post(f"/api/jobs/{job.pk}", {"want": "pause"}, content_type="application/json").status_code, 422
        )


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
