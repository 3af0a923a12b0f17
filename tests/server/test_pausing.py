"""A pass that is paused waits after its batch, and goes on or is given up."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from django.test import Client

from tests.server.killing import die, take_over
from tests.server.timed import TimedCase
from tests.support import register, template

template()


from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.ending import pause  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import do  # noqa: E402

if TYPE_CHECKING:
    pass


class Pausing(TimedCase):
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

    def test_while_a_pass_is_under_way_nobody_is_told_that_nothing_was_written(self) -> None:
        trip = self.rows(3)
        number = str(trip.pk)
        client = Client()
        client.force_login(self.person)

        def told(*words: str) -> tuple[int, str, str]:
            done = self.vexo.run("--as", "ada", "outcome", number, *words)
            return done.returncode, done.stdout, done.stderr

        job = self.start(trip)
        with self.batches_of(1):
            die("saved", job)
        code, out, error = told()
        self.assertEqual((code, out), (2, ""))
        self.assertIn(f"Pass 1 of trip {number} is under way: ", error)
        answer = client.get(f"/api/trips/{number}/files/receipt.csv")
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "under-way"))
        with self.batches_of(1):
            take_over()
        self.assertEqual(told()[0], 0)
        again = [(f"{at:02}", "Once more", "") for at in range(3)]
        self.bring(self.sheet(*again), trip=number, record_type="Holder")
        job = self.start(trip)
        with self.batches_of(1):
            die("saved", job)
        code, out, error = told()
        self.assertEqual(code, 1)
        self.assertIn("Pass 2 of trip", error)
        self.assertIn("pass 1 (ended)", out)
        self.assertEqual(json.loads(told("--json")[1])["under_way"], 2)
        receipt = client.get(f"/api/trips/{number}/files/receipt.html").content.decode()
        self.assertIn("has not ended, and what it writes is not in this receipt", receipt)
        take_over()
        self.assertEqual(told()[0], 0)
        self.assertNotIn("has not ended", client.get(f"/api/trips/{number}/files/receipt.html").content.decode())

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
