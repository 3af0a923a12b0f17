"""Uploads that are not whole, files that are lost, catalogues that cannot be read: one trip breaks, and no other."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.server.holder_sheets import HolderSheets
from tests.server.services import ServiceCase
from tests.support import template

template()

from vexo.server import artifacts  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.decisions import decisions  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.uploads import receive  # noqa: E402


class Uploads(ServiceCase):
    def test_half_an_upload_is_not_the_whole(self) -> None:
        upload = receive.begin("half.csv", 100, "ada")
        receive.add(upload.pk, "ada", 0, b"x" * 60)
        with self.assertRaises(PlainError) as caught:
            receive.finish(upload.pk, "ada")
        self.assertEqual(caught.exception.code, "half")
        with self.assertRaises(PlainError):
            receive.add(upload.pk, "ada", 60, b"x" * 41)
        with self.assertRaises(PlainError):
            receive.add(upload.pk, "ada", 70, b"x")

    def test_a_name_opens_nothing(self) -> None:
        for name in ("name", "../../key", "..\\key", "/etc/passwd", "key\0.csv", "\u202ecsv.exe", "x" * 500):
            upload = receive.begin(name, 3, "ada")
            receive.add(upload.pk, "ada", 0, b"a,b")
            found = receive.finish(upload.pk, "ada")
            self.assertEqual(absolute(found.path).name, str(upload.pk))
            self.assertEqual(absolute(found.path).read_bytes(), b"a,b")
            self.assertNotIn("/", found.name)

    def test_an_upload_belongs_to_who_began_it(self) -> None:
        upload = receive.begin("mine.csv", 3, "ada")
        for step in (lambda: receive.add(upload.pk, "bram", 0, b"abc"), lambda: receive.finish(upload.pk, "bram")):
            with self.assertRaises(PlainError):
                step()

    def test_finished_twice_it_makes_one_trip(self) -> None:
        from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in

        upload = receive.take_file(self.text("holder_no,last_name\n0999999,Once\n"), str(self.person))
        asked = [
            start_bringing_in(
                self.practice,
                "Holder",
                upload,
                self.person,
                ImportRequest(operation="upsert", trip="new"),
                run_here=True,
            )
            for _ in range(2)
        ]
        self.assertEqual(asked[0].pk, asked[1].pk)
        run_inline(asked[0])
        again = start_bringing_in(
            self.practice, "Holder", upload, self.person, ImportRequest(trip="new"), run_here=True
        )
        self.assertEqual(again.pk, asked[0].pk)


class Broken(HolderSheets):
    """One broken trip, and no other."""

    def listed(self) -> list[dict[str, Any]]:
        from rest_framework.test import APIRequestFactory, force_authenticate

        from vexo.server.trips.views import TripsView

        request = APIRequestFactory().get("/api/trips")
        force_authenticate(request, user=self.person)
        return list(TripsView.as_view()(request).data)

    def detail(self, trip: Any) -> dict[str, Any]:
        from rest_framework.test import APIRequestFactory, force_authenticate

        from vexo.server.trips.views import TripView

        request = APIRequestFactory().get("/")
        force_authenticate(request, user=self.person)
        answer = TripView.as_view()(request, pk=trip.pk)
        self.assertEqual(answer.status_code, 200)
        return dict(answer.data)

    def test_home_opens_no_file_and_asks_no_application(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        with (
            patch("vexo.server.artifacts.read", side_effect=AssertionError("a file")),
            patch("vexo.server.applications.services.client_of", side_effect=AssertionError("an application")),
        ):
            found = next(t for t in self.listed() if t["id"] == trip.pk)
            self.assertEqual((found["to_write"], found["plural"]), (1, "Holders"))
            self.detail(trip)

    def test_a_trip_that_cannot_be_shown_says_so_in_its_own_row(self) -> None:
        self.make(("01", "A"))
        trip, other = (self.trip(self.sheet(("01", "Mine", "1"))) for _ in range(2))
        for status in (
            {"plan": {"number": "x"}, "sheet": {"id": 1}},
            {"passes": [1]},
            [],
            {"columns": [{}], "sheet": {}},
        ):
            Trip.objects.filter(pk=trip.pk).update(status=status)
            listed = {t["id"]: t for t in self.listed()}
            self.assertIn(trip.pk, listed)
            self.assertEqual(listed[other.pk]["to_write"], 1)
            self.detail(trip)

    def test_a_hostile_or_lost_catalogue_breaks_no_list(self) -> None:
        from vexo.server.applications.models import Application

        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        known = self.practice.catalogue
        for catalogue in ({"version": "x"}, {"version": "y", "types": 3}, {**known, "version": "z", "types": []}, None):
            Application.objects.filter(pk=self.practice.pk).update(catalogue=catalogue)
            self.assertEqual(next(t for t in self.listed() if t["id"] == trip.pk)["to_write"], 1)
            self.assertEqual(self.detail(trip)["columns"][0]["field"], "holder_no")
        Application.objects.filter(pk=self.practice.pk).update(catalogue=known)

    def test_a_lost_stage_file_is_said_and_planning_again_mends_it(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        shutil.rmtree(absolute(f"stages/{trip.pk}"))
        with self.assertRaises(artifacts.ArtifactLost) as caught:
            self.start(trip)
        self.assertIn("Plan the trip again", str(caught.exception))
        self.plan(trip)
        self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_the_oldest_stages_go_first_and_files_stay(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        self.apply(trip)
        self.assertGreater(artifacts.evict(0), 0)
        self.assertTrue(artifacts.there(self.last_pass(trip).plan_file))
        self.assertTrue(artifacts.there(trip.sheets.last().cells))

    def test_rights_bind_every_way_in(self) -> None:
        self.make(("01", "A"))
        trip = self.trip(self.sheet(("01", "Mine", "1")))
        looks = Person(username="looks", name="Looks", role=Role.VIEWER)
        plan = self.newest(trip).number
        from vexo.server.passes.starting import give_up, start_pass
        from vexo.server.uploads.waiting import start_recognising

        upload = receive.take_file(self.text("a,b\n1,2\n"), "Looks")
        for step in (
            lambda: start_pass(PartView.of(trip), looks, plan),
            lambda: give_up(PartView.of(trip), looks, 1),
            lambda: decisions.decide(PartView.of(trip), looks, plan, decisions.Scope((0,)), "aside"),
            lambda: decisions.undo(PartView.of(trip), looks, 1),
            lambda: change(PartView.of(trip), looks, Changes(operation="upsert")),
            lambda: start_recognising(upload, looks),
        ):
            with self.assertRaises(NotAllowed):
                step()
        with self.assertRaises(PlainError):
            decisions.decide(PartView.of(trip), self.person, plan, decisions.Scope((0,)), "perhaps")
        self.assertIsInstance(Path(upload.path), Path)
