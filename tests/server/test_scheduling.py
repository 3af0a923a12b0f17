"""A pass at a time: what was seen goes then, or nothing does."""

from __future__ import annotations

import json
import shutil
from datetime import datetime, timedelta
from typing import TYPE_CHECKING
from unittest.mock import patch

from django.test import Client

from tests.server.killing import Killed, die
from tests.server.services import view_of
from tests.server.timed import HOUR, TimedCase
from tests.support import register, template

template()

from django.utils import timezone  # noqa: E402

from vexo.server.applications.use_rules import set_rules  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError, Stale  # noqa: E402
from vexo.server.jobs.leases import claim  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.processes import owner_name  # noqa: E402
from vexo.server.jobs.worker import do  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.moved_folder import settle_in  # noqa: E402
from vexo.server.passes import scheduling  # noqa: E402
from vexo.server.passes.models import Scheduled  # noqa: E402
from vexo.server.passes.scheduling import cancel, schedule  # noqa: E402
from vexo.server.people.access_tokens import make_token, withdraw_token  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.facts.passes import TroubleRule  # noqa: E402

if TYPE_CHECKING:
    pass


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

    def test_what_a_token_said_is_not_done_once_it_is_withdrawn(self) -> None:
        """Who withdraws a token that fell into wrong hands is not to find it written at eight all the same."""
        other = Person.objects.create(username="cleo", name="Cleo Reed", role=Role.OPERATOR)
        goes = ["apply later", "apply"]
        for at, (then, done) in enumerate(
            (("withdrawn", goes[:1]), ("withdrawn, and another made", goes[:1]), ("ended", goes), ("another's", goes))
        ):
            with self.subTest(then):
                trip, name = self.rows(), f"nightly {at}"
                token, text = make_token(self.person, name, "operator", 1)
                body = {"plan": self.newest(trip).number, "at": (timezone.now() + 30 * HOUR).isoformat()}
                script = Client(headers={"Authorization": f"Bearer {text}"})
                answer = script.post(f"/api/trips/{trip.pk}/passes", body, content_type="application/json")
                self.assertEqual(answer.status_code, 202)
                if then.startswith("withdrawn"):
                    withdraw_token(self.person, self.person, token.pk)
                if "another made" in then:
                    make_token(self.person, name, "operator", 1)
                if then == "another's":
                    others, _ = make_token(other, name, "operator", 1)
                    withdraw_token(other, other, others.pk)
                before = len(register().effects())
                scheduled = Scheduled.objects.get(trip=trip)
                self.assertEqual(self.when_it_is(scheduled.at + timedelta(minutes=1)), done)
                self.assertEqual(len(register().effects()) > before, done == goes)
                reason = self.page(trip)["scheduled"]["reason"] if done != goes else "withdrawn"
                self.assertIn("withdrawn", reason)

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
