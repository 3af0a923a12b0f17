"""Routes that run by themselves: a sheet comes in once, nothing goes that should wait, and somebody is told."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

from tests.support import template

template()

from django.test import Client  # noqa: E402

from tests.server.services import view_of  # noqa: E402
from tests.server.unattended_case import ROW, SHEET, UnattendedCase  # noqa: E402
from vexo.core.operations import Operation  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402
from vexo.server.people import services as people  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.routes.guarding import set_route_guards  # noqa: E402
from vexo.server.routes.models import Route  # noqa: E402
from vexo.server.routes.refusal_rules import set_rule_of_route  # noqa: E402
from vexo.server.routes.saved_routes import Wanted, keep_route  # noqa: E402
from vexo.server.rows.edit_requests import EditRequest, make_edit  # noqa: E402
from vexo.server.trips.facts.passes import TroubleRule  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.sheet_cells import headers_of  # noqa: E402
from vexo.server.trips.sheets import newest_sheet  # noqa: E402
from vexo.server.unattended import arrivals  # noqa: E402
from vexo.server.unattended.models import Arrival, Unattended  # noqa: E402
from vexo.server.unattended.services import Wished, set_unattended, stop_unattended, words_of  # noqa: E402


def create_too(route: Route) -> Wanted:
    """The route as it is, but for records that it creates, too."""
    assert route.bringing is not None
    bringing = replace(route.bringing, operation=Operation.UPSERT)
    return Wanted(route.name, route.application, bringing=bringing)


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


class Applying(UnattendedCase):
    def applies(self, most: int = 5, deletes: int = 0, **more: Any) -> Unattended:
        return set_unattended(self.person, self.route, Wished("notes", None, (), "UTC", True, most, deletes, **more))

    def test_where_nothing_is_open_and_it_stays_under_its_limit_it_is_applied_and_recorded(self) -> None:
        self.applies()
        self.put(("A-004", "applied by itself"))
        self.look(8)
        (trip,) = self.trips()
        self.assertEqual(self.notes_of("A-004"), "applied by itself")
        pass_ = trip.passes.get()
        self.assertEqual((pass_.by, pass_.state, pass_.totals["updated"]), ("ada", "ended", 1))
        self.assertEqual(Arrival.objects.latest("id").state, Arrival.DONE)
        self.assertIn("1 updated", Arrival.objects.latest("id").says)
        self.assertEqual(self.told(), [])
        ways = set(Entry.objects.filter(trip=trip.pk).values_list("way", flat=True))
        self.assertEqual(ways, {f"route {self.route.name}"})

    def waits(self, words: str, *rows: tuple[str, str]) -> Trip:
        before = {berth: self.notes_of(berth) for berth, _ in rows if berth[1] == "-" and berth != "A-999"}
        self.put(*rows)
        self.look(8)
        (trip,) = self.trips()
        self.assertFalse(trip.passes.exists())
        self.assertEqual({berth: self.notes_of(berth) for berth in before}, before)
        self.assertEqual(Arrival.objects.latest("id").state, Arrival.WAITS)
        self.assertIn(words, self.told()[-1])
        return trip

    def test_above_its_limit_it_waits(self) -> None:
        self.applies(most=1)
        self.waits("it writes 2 records, and by itself at most 1", ("A-005", "one"), ("A-006", "two"))

    def test_with_anything_open_it_waits(self) -> None:
        self.applies()
        self.waits("something is open", ("A-007", "fine"), ("A-999", "not there"))

    def test_with_nothing_to_write_it_waits_for_nobody_s_answer_but_is_said(self) -> None:
        self.applies()
        self.put(("A-008", self.notes_of("A-008") or ""))
        self.look(8)
        self.assertIn("nothing is to be written", self.told()[-1])
        arrival = Arrival.objects.latest("id")
        self.assertEqual((arrival.state, arrival.says), (Arrival.DONE, "nothing was left to write"))

    def test_where_the_rules_ask_for_an_approval_it_waits(self) -> None:
        client = Client()
        client.force_login(self.person)
        rules = {"said": {"Berth": {"approve": {"always": True}}}}
        client.put("/api/applications/harbour-practice/rules", rules, content_type="application/json")
        self.addCleanup(
            client.put, "/api/applications/harbour-practice/rules", {"said": {}}, content_type="application/json"
        )
        self.applies()
        self.waits("approv", ("A-009", "approved?"))

    def test_a_route_that_was_changed_since_applies_nothing_until_it_is_said_again(self) -> None:
        """What goes under somebody's rights is what they said may go, not what somebody else made of it since."""
        pre = Person.objects.filter(username="pre").first() or people.add(self.person, "pre", "Pre", Role.PREPARER)
        changes: dict[str, Callable[[Route], object]] = {
            "refusals": lambda route: set_rule_of_route(pre, route, TroubleRule(stop_after=3)),
            "operation": lambda route: keep_route(pre, create_too(route), route),
            "guards": lambda route: set_route_guards(self.person, route, {"far-out": {"mode": "off"}}),
        }
        for at, (name, change) in enumerate(changes.items()):
            with self.subTest(name):
                self.route.refresh_from_db()
                self.applies()
                change(Route.objects.get(pk=self.route.pk))
                self.last = Trip.objects.order_by("-id").values_list("id", flat=True)[0]
                self.waits("the route was changed", (f"A-02{at}", name))
                self.assertIn("was changed", words_of(Unattended.objects.get()))
        self.route.refresh_from_db()
        self.applies()
        self.assertNotIn("was changed", words_of(Unattended.objects.get()))
        self.last = Trip.objects.order_by("-id").values_list("id", flat=True)[0]
        self.put(("A-023", "said again"))
        self.look(8)
        self.assertEqual(self.notes_of("A-023"), "said again")

    def test_a_trip_on_which_somebody_else_decided_or_edited_waits(self) -> None:
        self.applies()
        pre = Person.objects.filter(username="pre").first() or people.add(self.person, "pre", "Pre", Role.PREPARER)
        before = self.notes_of("A-024")
        self.put(("A-024", "as it came"))
        arrive = arrivals._arrive
        edited: list[int] = []

        def edit_first(unattended: Unattended, arrival: Arrival) -> None:
            trip = Trip.objects.filter(pk__gt=self.last).first()
            if trip is not None and trip.status.get("plan") and not edited:
                view = view_of(trip)
                row = int(self.table(trip)["row_id"][0])
                column = next(name for name, header in headers_of(newest_sheet(view)).items() if header == "notes")
                values = {"kind": "cell", "row_id": row, "column": column, "text": "by somebody else"}
                _, job = make_edit(view, pre, EditRequest.of(values))
                edited.append(run_inline(job).pk)
            arrive(unattended, arrival)

        with patch.object(arrivals, "_arrive", edit_first):
            self.look(8)
        self.assertEqual(len(edited), 1)
        self.assertEqual(self.notes_of("A-024"), before)
        self.assertIn("Pre has worked on it", self.told()[-1])

    def test_that_somebody_else_only_looked_at_it_stops_nothing(self) -> None:
        self.applies()
        self.put(("A-025", "looked at"))
        arrive = arrivals._arrive

        def look_first(unattended: Unattended, arrival: Arrival) -> None:
            for trip in self.trips():
                note("pre", "downloaded", "Downloaded the sheet", trip.application, trip.pk)
            arrive(unattended, arrival)

        with patch.object(arrivals, "_arrive", look_first):
            self.look(8)
        self.assertEqual(self.notes_of("A-025"), "looked at")

    def test_an_owner_who_lost_the_right_or_the_way_in_writes_nothing(self) -> None:
        olaf = people.add(self.person, "olaf", "Olaf", "operator")
        set_unattended(olaf, self.route, Wished("notes", None, (), "UTC", True, 5))
        people.set_role(self.person, "olaf", "viewer")
        self.put(("A-011", "no right"))
        self.look(8)
        self.assertEqual(self.trips(), [])
        self.assertNotEqual(self.notes_of("A-011"), "no right")
        people.set_role(self.person, "olaf", "operator")
        people.remove(self.person, "olaf")
        self.put(("A-011", "removed"), name="second.csv")
        self.look(8)
        self.assertEqual(self.trips(), [])
        self.assertIn("may not sign in any more", self.told("ada")[-1])

    def test_on_live_it_needs_an_operator_to_say_so(self) -> None:
        route = self.a_route(self.live)
        self.last = Trip.objects.order_by("-id").values_list("id", flat=True)[0]
        pre = Person.objects.filter(username="pre").first() or people.add(self.person, "pre", "Pre", Role.PREPARER)
        with self.assertRaises(NotAllowed):
            set_unattended(pre, route, Wished("notes", None, (), "UTC", True, 5))
        set_unattended(pre, route, Wished("notes"))
        with self.assertRaises(NotAllowed):
            stop_unattended(Person(username="v", role="viewer"), route)
        stop_unattended(pre, route)
        with self.assertRaises(PlainError):
            stop_unattended(pre, route)
