"""A sheet in the folder of a route that comes back on a trip with a way of its own: nobody agreed that it goes by
itself."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import Any

import openpyxl

from tests.server.services import view_of
from tests.server.unattended_case import UnattendedCase
from vexo.server.jobs.worker import run_inline
from vexo.server.mapping.columns import Changes, change
from vexo.server.routes.models import Route
from vexo.server.routes.saved_routes import keep_trip
from vexo.server.trips.models import Trip
from vexo.server.unattended.models import Arrival
from vexo.server.unattended.services import Wished, set_unattended, stop_unattended


class OwnWay(UnattendedCase):
    def setUp(self) -> None:
        super().setUp()
        self.sheets: dict[Path, Path] = {}
        set_unattended(self.person, self.route, Wished("notes", None, (), "UTC", True, 5, 0))

    def sent_out(self, letter: str, notes: str) -> tuple[Trip, Path]:
        """A trip that went out, and its sheet with an edit, in the route's folder."""
        trip, path = self.out(letter, "notes")
        self.sheets[self.folder / f"{letter}.xlsx"] = path
        self.edited(self.folder / f"{letter}.xlsx", notes)
        return trip, self.folder / f"{letter}.xlsx"

    def edited(self, target: Path, notes: str) -> None:
        """The sheet as it went out, with other notes in its first row, in the route's folder."""
        book = openpyxl.load_workbook(self.sheets[target])
        sheet: Any = book.worksheets[0]
        column = next(cell.column for cell in sheet[1] if cell.value == "Notes")
        sheet.cell(2, column).value = notes
        book.save(target)
        then = time.time() - 60
        os.utime(target, (then, then))

    def refused(self, trip: Trip, words: str) -> None:
        self.assertFalse(trip.passes.exists())
        arrival = Arrival.objects.latest("id")
        self.assertEqual((arrival.state, arrival.trip), (Arrival.WAITS, trip.pk))
        self.assertIn(words, arrival.says)
        self.assertIn(words, self.told()[-1])

    def test_a_sheet_of_a_trip_on_no_route_comes_back_on_it_and_waits(self) -> None:
        trip, _ = self.sent_out("B", "by whom?")
        self.look(8)
        self.refused(trip, "not that of the route")

    def test_a_trip_of_the_route_goes_by_itself_until_its_own_way_is_changed(self) -> None:
        trip, path = self.sent_out("C", "first")
        self.assertEqual(self.back(path).error, "")
        trip.refresh_from_db()
        path.unlink()
        route = keep_trip(self.person, view_of(trip), "Notes, out and back")
        stop_unattended(self.person, self.route)
        set_unattended(self.person, route, Wished("notes", None, (), "UTC", True, 5, 0))
        self.edited(path, "second")
        self.look(8)
        self.assertEqual(trip.passes.count(), 1, Arrival.objects.latest("id").says)
        trip.refresh_from_db()
        run_inline(change(view_of(trip), self.person, Changes(operation="upsert"), run_here=True))
        self.edited(path, "third")
        self.look(8)
        self.assertEqual(trip.passes.count(), 1)
        self.assertIn("not that of the route", Arrival.objects.latest("id").says)

    def test_a_pass_of_before_is_not_said_to_have_applied_what_came_later(self) -> None:
        trip, path = self.sent_out("D", "first")
        self.assertEqual(self.back(path).error, "")
        path.unlink()
        done = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.edited(path, "first")
        self.look(8)
        self.assertEqual(Arrival.objects.latest("id").says, "nothing was left to write")

    def test_a_route_that_leaves_the_key_to_the_sheet_goes_by_itself(self) -> None:
        Route.objects.filter(pk=self.route.pk).update(import_document={**self.route.import_document, "key": []})
        self.route.refresh_from_db()
        set_unattended(self.person, self.route, Wished("notes", None, (), "UTC", True, 5, 0))
        self.put(("A-009", "by the sheet's own key"))
        self.look(8)
        self.assertEqual(self.notes_of("A-009"), "by the sheet's own key", Arrival.objects.latest("id").says)
