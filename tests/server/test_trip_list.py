"""Of many trips the newest are listed and whatever waits for a person, the rest is counted and found."""

from __future__ import annotations

import json
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase, view_of
from tests.support import template

template()

from django.test import Client  # noqa: E402

from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.trips import trip_list  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

HEADER = "harbour,berth_no,notes\n"


class TripList(ServiceCase):
    """Three are listed at once here, where it is 100 for people."""

    def setUp(self) -> None:
        super().setUp()
        Trip.objects.all().delete()
        self.enterContext(patch.object(trip_list, "LISTED", 3))
        self.client = Client()
        self.client.force_login(self.person)

    def trips(self, count: int, **more: Any) -> list[Trip]:
        """Trips of which records went out and that ask for nothing, the oldest first."""
        made = []
        for at in range(count):
            values = {"title": f"Letter {at}", "created_by": "ada", "application": self.practice}
            made.append(Trip.objects.create(**{"record_type": "Berth", **values, **more}))
        return made

    def get(self, query: str = "") -> tuple[list[int], int]:
        answer = self.client.get(f"/api/trips?{query}")
        self.assertEqual(answer.status_code, 200, answer.content)
        return [trip["id"] for trip in answer.json()], int(answer["Vexo-Total"])

    def told(self, *words: str) -> Any:
        done = self.vexo.run("--as", "ada", "trips", *words, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        return json.loads(done.stdout)

    def test_an_old_trip_that_waits_is_never_lost_and_no_other_comes_unasked(self) -> None:
        held = self.bring(f"{HEADER}TERNISLAND,A-0o1,near\n")
        quiet = [trip.pk for trip in self.trips(5)]
        self.assertEqual(self.get(), ([held.pk, *quiet[:1:-1]], 6), "the one that waits, then the newest three")
        self.assertEqual([trip["id"] for trip in self.told()["trips"]], [held.pk, *quiet[:1:-1]])
        self.decide(held, "aside", [0])
        newer = [trip.pk for trip in self.trips(4)]
        self.assertEqual(self.get(), (newer[:0:-1], 10), "answered, it is as old as the others")
        failed = Job.objects.create(kind="plan", trip_id=quiet[0], state=Job.FAILED, error="The disk was full.")
        self.assertEqual(self.get()[0], [quiet[0], *newer[:0:-1]], "so is one whose work failed")
        failed.delete()
        self.assertEqual(self.get()[0], newer[:0:-1])

    def test_of_very_many_that_wait_the_rest_is_counted(self) -> None:
        waiting = self.trips(5, send_document={"record_type": "Berth"})
        self.trips(3)
        answer = self.client.get("/api/trips")
        shown = [trip["id"] for trip in answer.json() if trip["asks"]]
        self.assertEqual(shown, [trip.pk for trip in waiting[:1:-1]])
        self.assertEqual((answer["Vexo-Total"], answer["Vexo-Waiting"]), ("8", "2"))
        self.assertEqual(self.told()["waiting"], 2)
        done = self.vexo.run("--as", "ada", "trips")
        self.assertIn("2 older ones are not shown, of which 2 wait for a person", done.stderr)
        self.assertEqual(self.client.get("/api/trips?limit=8")["Vexo-Waiting"], "0")

    def test_while_it_is_planned_again_nobody_is_needed(self) -> None:
        held = self.bring(f"{HEADER}TERNISLAND,A-0o1,near\n")
        newer = [trip.pk for trip in self.trips(3)]
        self.assertEqual(self.get()[0], [held.pk, *newer[::-1]])
        job = enqueue("plan", "ada", view_of(held), run_here=True, fresh=True)
        self.assertEqual(self.get()[0], newer[::-1])
        run_inline(job)
        # Planned anew it is the newest that was touched.
        self.assertEqual(self.get()[0], [held.pk, *newer[:0:-1]])

    def test_all_are_found_by_words_application_and_page_by_page(self) -> None:
        old = self.trips(1, title="Storm class, East Pier")[0].pk
        elsewhere = self.trips(1, title="Storm class", application=self.live)[0].pk
        accents = self.trips(1, title="U\u0308BERGABE Fr\u00fchjahr", record_type="Pass")[0].pk
        rest = [trip.pk for trip in self.trips(5)]
        for text, wanted in (
            ("storm", [elsewhere, old]),
            ("pier storm", [old]),
            ("berth", [*rest[::-1][:3]]),
            ("100%", []),
            ("(a|b", []),
            ("\u00fcbergabe FR\u00dcH", [accents]),
            ("u\u0308bergabe", [accents]),
        ):
            self.assertEqual(self.get(f"text={text}")[0], wanted, text)
            self.assertEqual([trip["id"] for trip in self.told(*text.split())["trips"]], wanted, text)
        self.assertEqual(self.get(f"text={old}")[0][0], old, "by its number, before whose title has it")
        self.assertEqual(self.get("text=storm CLASS&limit=1"), ([elsewhere], 2), "what is called so comes first")
        self.assertEqual(self.get(f"text={'9' * 190}")[0], [])
        self.assertEqual(self.client.get(f"/api/trips?text={'a ' * 2000}").status_code, 422)
        self.vexo.fails("--as", "ada", "trips", *["a"] * 2000)
        self.assertEqual(self.get("application=harbour-live"), ([elsewhere], 1))
        self.assertEqual(self.told("--application", "harbour-live")["total"], 1)
        self.assertEqual(self.get("limit=100")[0], [*rest[::-1], accents, elsewhere, old])
        pages, address = [], "/api/trips?text=berth"
        while address:
            answer = self.client.get(address)
            pages += [trip["id"] for trip in answer.json()]
            address = answer.headers.get("Link", "").partition("<")[2].partition(">")[0]
        self.assertEqual(pages, [*rest[::-1], elsewhere, old])
        for wrong in ("limit=many", "txt=storm", "offset=-1"):
            self.assertIn(self.client.get(f"/api/trips?{wrong}").status_code, (400, 422), wrong)
        self.assertIn("No application is called", self.vexo.fails("--as", "ada", "trips", "--application", "nowhere"))

    def test_the_command_line_lists_them_and_gives_another_title(self) -> None:
        trip = self.bring(f"{HEADER}TERNISLAND,A-0o1,near\n")
        self.trips(3)
        listed = self.vexo.run("--as", "ada", "trips").stdout
        self.assertIn("1 row needs you", listed)
        self.assertIn("PRACTICE", listed)
        done = self.vexo.run("--as", "ada", "trips", "--rename", f"{trip.pk}=Notes of A, again")
        self.assertEqual(done.returncode, 0, done.stderr)
        trip.refresh_from_db()
        self.assertEqual(trip.title, "Notes of A, again")

        for wrong in (f"{trip.pk}", f"{trip.pk}=", "x=y", "99999=y"):
            self.vexo.fails("--as", "ada", "trips", "--rename", wrong)
        self.trips(4)
        self.assertIn("older ones are not shown", self.vexo.run("--as", "ada", "trips").stderr)
