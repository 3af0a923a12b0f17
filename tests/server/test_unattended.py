"""Routes that run by themselves: a sheet comes in once, nothing goes that should wait, and somebody is told."""

from __future__ import annotations

import os
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.support import template

template()


from tests.server.unattended_case import ROW, SHEET, UnattendedCase  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.unattended import arrivals  # noqa: E402
from vexo.server.unattended.models import Arrival, Unattended  # noqa: E402
from vexo.server.unattended.services import Wished, set_unattended  # noqa: E402


class Coming(UnattendedCase):
    def test_a_sheet_comes_in_once_up_to_review_and_its_owner_is_told(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        self.put(("A-002", "by itself"))
        self.look(1)
        soon = Job.objects.filter(kind="look", state=Job.WAITING)
        self.assertEqual(soon.count(), 1, "on its way, it is looked after in a moment")
        self.look()
        self.assertEqual(soon.count(), 1, "and not by more and more")
        soon.delete()
        self.look(1)
        self.assertEqual(soon.count(), 0, "nothing is on its way any more")
        (trip,) = self.trips()
        self.assertEqual((trip.route, trip.created_by), (self.route, "ada"))
        self.assertEqual(trip.status["plan"]["summary"]["verdicts"]["update"], 1)
        self.assertFalse(trip.passes.exists())
        arrival = Arrival.objects.latest("id")
        self.assertEqual((arrival.state, arrival.trip), (Arrival.WAITS, trip.pk))
        (told,) = self.told()
        self.assertIn("waits: this route brings sheets up to Review.", told)
        self.assertEqual([path.name for path in self.folder.iterdir() if path.is_file()], [])
        self.assertEqual(len(list((self.folder / "taken").glob("*-notes.csv"))), 1)
        entries = Entry.objects.filter(trip=trip.pk)
        self.assertEqual({(entry.who, entry.way) for entry in entries}, {("ada", f"route {self.route.name}")})
        self.look()
        self.assertEqual((len(self.trips()), len(self.told())), (1, 1), "looked again, nothing new")

    def test_what_waited_waits_no_more_once_somebody_applied_it_or_deleted_its_trip(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        self.put(("A-014", "by hand"))
        self.put(("A-015", "deleted"), name="other.csv")
        self.look()
        first, second = self.trips()
        self.assertEqual([one.state for one in Arrival.objects.all()], [Arrival.WAITS] * 2)
        self.vexo.run("--as", "ada", "apply", str(first.pk), "--yes")
        self.vexo.run("--as", "ada", "delete", str(second.pk), "--yes")
        self.look(1)
        told = {one.trip: (one.state, one.says) for one in Arrival.objects.all()}
        self.assertEqual(told[first.pk], (Arrival.DONE, "applied by Ada Quillfeather"))
        self.assertEqual(told[second.pk], (Arrival.DONE, "its trip was deleted"))

    def test_what_is_still_being_written_hidden_or_no_sheet_is_left_alone(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        fresh = self.put(("A-002", "half"), old=0)
        hidden = self.put(("A-002", "x"), name=".notes.csv")
        other = self.folder / "readme.md"
        other.write_text("x")
        link = self.folder / "link.csv"
        link.unlink(missing_ok=True)
        link.symlink_to(self.vexo.data / "key")
        empty = self.folder / "empty.csv"
        empty.touch()
        self.look(2, still=30.0)
        self.assertEqual(self.trips(), [])
        for path in (fresh, hidden, other, link, empty):
            self.assertTrue(path.exists() or path.is_symlink(), path.name)
            path.unlink()

    def test_a_sheet_that_is_being_written_at_its_time_is_looked_for_again(self) -> None:
        set_unattended(self.person, self.route, Wished("notes", datetime.now(UTC).time()))
        Unattended.objects.update(looked_at=datetime.now(UTC) - timedelta(days=2))
        path = self.put(("A-002", "half at first"), old=0)
        self.look(2, still=30.0)
        self.assertEqual(self.trips(), [])
        os.utime(path, (1, 1))
        self.look(4)
        self.assertEqual(len(self.trips()), 1)
        self.put(("A-002", "after its time"))
        self.look(2)
        self.assertEqual(len(self.trips()), 1, "it has looked today")

    def test_what_is_no_sheet_is_said_and_an_empty_one_is_put_aside(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        for name in ("notes.csv.gz", "notes.xlsm", ".hidden"):
            (self.folder / name).write_text("x")
            self.addCleanup((self.folder / name).unlink)
        empty = self.put(name="empty.csv")
        empty.write_bytes(b"")
        os.utime(empty, (1, 1))
        self.look(3)
        trouble = Unattended.objects.get().trouble
        self.assertIn("notes.csv.gz", trouble)
        self.assertIn("notes.xlsm", trouble)
        self.assertNotIn("hidden", trouble)
        routes = self.vexo.json("routes")["routes"]
        self.assertIn(trouble, [route["by_itself_trouble"] for route in routes])
        self.assertIn("notes.xlsm", self.vexo.run("routes").stdout)
        self.assertFalse(empty.exists())
        self.assertIn("empty.csv of the route", self.told()[-1])

    def test_a_sheet_that_cannot_be_read_is_put_aside_and_told_and_the_next_comes_in(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        self.put(name="a-first.csv").write_bytes(b"%PDF-1.7 no sheet")
        os.utime(self.folder / "a-first.csv", (1, 1))
        self.put(("A-003", "whole"), name="b-second.csv")
        self.look()
        self.assertEqual(len(self.trips()), 1)
        self.assertEqual([a.state for a in Arrival.objects.order_by("id")], [Arrival.FAILED, Arrival.WAITS])
        self.assertIn("a-first.csv of the route", self.told()[0])
        self.assertIn("could not come in", self.told()[0])

    def test_a_sheet_that_was_exchanged_after_it_was_found_is_not_taken_for_it(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        path = self.put(("A-002", "as found"))
        original = arrivals.take_file

        def exchanged(source: Path, by: str) -> Any:
            source.unlink()
            source.symlink_to(self.vexo.data / "key")
            return original(source, by)

        with patch.object(arrivals, "take_file", exchanged):
            self.look(2)
        self.assertEqual(self.trips(), [])
        self.assertIn("was changed while it was read", self.told()[0])
        key = (self.vexo.data / "key").read_bytes()
        kept = [one for one in (self.vexo.data / "files" / "uploads").iterdir() if one.read_bytes() == key]
        self.assertEqual(kept, [])
        path.unlink(missing_ok=True)

    def test_the_same_sheet_put_there_again_later_is_another_one(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        self.put(("A-002", "again"), old=90)
        self.look()
        self.put(("A-002", "again"), old=60)
        self.look()
        self.assertEqual(Arrival.objects.count(), 2)

    def test_a_folder_in_which_nothing_can_be_moved_is_said_and_holds_no_other_up(self) -> None:
        other = self.a_route(self.live)
        self.last = Trip.objects.order_by("-id").values_list("id", flat=True)[0]
        (self.root / "second").mkdir(exist_ok=True)
        set_unattended(self.person, self.route, Wished("notes"))
        set_unattended(self.person, other, Wished("second"))
        self.put(("A-016", "stuck"))
        then = time.time() - 60
        second = self.root / "second" / "second.csv"
        second.write_text(SHEET.format(ROW.format("A-017", "goes on")))
        os.utime(second, (then, then))
        original = arrivals.put_away

        def refused(path: Path, where: str) -> None:
            if path.parent.name == "notes":
                raise PermissionError(13, "Permission denied", str(path))
            original(path, where)

        with patch.object(arrivals, "put_away", refused):
            self.look()
        self.assertEqual(len(self.trips()), 2, "each once")
        self.assertIn("Permission denied", Unattended.objects.get(route=self.route).trouble)
        self.assertFalse(second.exists())
        self.look()
        self.assertEqual((len(self.trips()), Unattended.objects.get(route=self.route).trouble), (2, ""))

    def test_a_folder_that_is_gone_is_said_and_found_again(self) -> None:
        set_unattended(self.person, self.route, Wished("notes"))
        self.folder.rename(self.root / "elsewhere")
        self.look(1)
        self.assertIn("no folder notes", Unattended.objects.get().trouble)
        (self.root / "elsewhere").rename(self.folder)
        self.look(1)
        self.assertEqual(Unattended.objects.get().trouble, "")
        with patch.dict("os.environ", VEXO_FOLDERS=""):
            self.look(1)
        self.assertIn("VEXO_FOLDERS", Unattended.objects.get().trouble)

    def test_killed_anywhere_it_comes_in_once(self) -> None:
        class Killed(BaseException):
            pass

        set_unattended(self.person, self.route, Wished("notes"))
        places = ("take_file", "start_bringing_in", "put_away")
        for at, place in enumerate(places):
            for after in (False, True):
                with self.subTest(place, after=after):
                    self.last = Trip.objects.order_by("-id").values_list("id", flat=True)[0]
                    self.put((f"A-01{at}", f"{place} {after}"), name=f"{place}-{after}.csv")
                    original = getattr(arrivals, place)

                    def dies(*arguments: Any, original: Any = original, after: bool = after, **more: Any) -> Any:
                        if after:
                            original(*arguments, **more)
                        raise Killed

                    with patch.object(arrivals, place, dies), self.assertRaises(Killed):
                        self.look(2)
                    Job.objects.filter(kind="look").delete()
                    self.look()
                    self.assertEqual(len(self.trips()), 1)
                    self.assertEqual([path for path in self.folder.iterdir() if path.is_file()], [])
