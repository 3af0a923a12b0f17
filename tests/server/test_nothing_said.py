"""To ask where columns go, or to say nothing about them, changes nothing: a plan that was seen or approved stays."""

from __future__ import annotations

from typing import Any

from django.test import Client

from tests.server.services import ServiceCase


class NothingSaid(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        content = "holder_no,email,ours\nH-00001,a@example.org,x\n"
        self.trip = self.bring(content, record_type="Holder", key=["holder_no"])
        self.vexo.run("--as", "ada", "columns", str(self.trip.pk), "--map", "ours=")
        self.before = self.state()

    def state(self) -> tuple[Any, ...]:
        from vexo.server.jobs.models import Job
        from vexo.server.journal.models import Entry

        self.trip.refresh_from_db()
        return (
            self.newest(self.trip).number,
            self.trip.revision,
            Entry.objects.count(),
            Job.objects.count(),
        )

    def test_the_command_lists_the_columns(self) -> None:
        done = self.vexo.run("--as", "ada", "columns", str(self.trip.pk))
        self.assertEqual(done.returncode, 0, done.stderr)
        lines = [line.split() for line in done.stdout.splitlines()]
        self.assertIn(["holder_no", "holder_no", "name"], lines)
        self.assertIn(["ours", "not", "carried", "chosen"], lines)
        told = self.vexo.json("--as", "ada", "columns", str(self.trip.pk))
        self.assertEqual(told["key"], ["holder_no"])
        self.assertEqual([one["field"] for one in told["columns"]], ["holder_no", "email", None])
        self.assertEqual(self.state(), self.before)

    def test_a_route_is_kept_without_a_new_plan(self) -> None:
        from vexo.server.routes.models import Route

        done = self.vexo.run("--as", "ada", "columns", str(self.trip.pk), "--keep-as", "Emails")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(Route.objects.filter(name="Emails").count(), 1)
        self.assertEqual(self.state()[:2], self.before[:2])

    def test_the_api_refuses_a_change_of_nothing(self) -> None:
        client = Client()
        client.force_login(self.person)
        for body in ({}, {"columns": {}, "lanes": {}, "operation": ""}, {"without": False, "marks": False}):
            with self.subTest(body):
                answer = client.patch(f"/api/trips/{self.trip.pk}/columns", body, content_type="application/json")
                self.assertEqual((answer.status_code, answer.json()["code"]), (422, "nothing"), answer.content)
        self.assertEqual(self.state(), self.before)

    def test_which_rows_are_carried_is_told_and_not_planned_anew(self) -> None:
        at = ("--as", "ada", "only", str(self.trip.pk))
        client = Client()
        client.force_login(self.person)
        for option, words in (
            ((), "carries all rows."),
            (("--where", "email ne null"), "carries rows where email ne null."),
            (("--leave-out", "2"), "carries rows where email ne null without 1 left out by hand."),
        ):
            with self.subTest(option):
                if option:
                    self.vexo.run(*at, *option)
                before = self.state()
                self.assertIn(words, " ".join(self.vexo.run(*at).stdout.split()))
                answer = client.patch(f"/api/trips/{self.trip.pk}/only", {}, content_type="application/json")
                self.assertEqual((answer.status_code, answer.json()["code"]), (422, "nothing"), answer.content)
                self.assertEqual(self.state(), before)

    def test_what_is_said_of_keys_and_reach_counts_even_where_it_is_empty(self) -> None:
        client = Client()
        client.force_login(self.person)
        for body in ({"key": []}, {"ignores": []}, {"reach": ""}):
            with self.subTest(body):
                revision = self.state()[1]
                answer = client.patch(f"/api/trips/{self.trip.pk}/columns", body, content_type="application/json")
                self.assertEqual(answer.status_code, 202, answer.content)
                self.assertGreater(self.state()[1], revision)
