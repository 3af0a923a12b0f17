"""Routes that apply by themselves: only what their owner said may go, and nothing that somebody should look at."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import replace
from typing import Any
from unittest.mock import patch

from tests.support import template

template()

from django.test import Client  # noqa: E402

from tests.server.services import no_type_is_small, view_of  # noqa: E402
from tests.server.unattended_case import UnattendedCase  # noqa: E402
from vexo.core.operations import Operation  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402
from vexo.server.notices.models import Notice  # noqa: E402
from vexo.server.passes.receipts import write_receipt  # noqa: E402
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

    def test_what_its_plan_did_not_look_at_is_told_with_what_it_did(self) -> None:
        """Nobody saw the plan: its owner reads it in the notice, on the route, in the journal and in the receipt."""
        self.applies()
        for name, small, notes in (("few", True, "1004"), ("many", False, "1005")):
            with self.subTest(name), nullcontext() if small else no_type_is_small():
                self.put(("A-004", notes), name=f"{name}.csv")
                self.look(8)
                trip = self.trips()[-1]
                self.assertEqual(self.notes_of("A-004"), notes)
                receipt = self.vexo.data / f"{name}.html"
                write_receipt(view_of(trip), receipt)
                places = {
                    "route": Arrival.objects.latest("id").says,
                    "journal": Entry.objects.filter(trip=trip.pk, what="applied").latest("id").message,
                    "notice": Notice.objects.filter(kind="pass ended").latest("id").text,
                    "receipt": receipt.read_text(),
                }
                for place, said in places.items():
                    self.assertEqual("not looked at for lost figures" in said, not small, (place, said))

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

    def test_what_is_said_while_a_look_is_under_way_counts(self) -> None:
        """A route that is stopped, or may go less far, goes no further; that the look had begun before is no excuse."""
        arrive, said = arrivals._arrive, "while it looked"
        changes: dict[str, Callable[[], object]] = {
            "stopped": lambda: stop_unattended(self.person, self.route),
            "to Review": lambda: set_unattended(self.person, self.route, Wished("notes")),
            "changed": lambda: set_route_guards(self.person, self.route, {"far-out": {"mode": "say"}}),
        }
        for at, (name, change) in enumerate(changes.items()):
            with self.subTest(name):
                self.route.refresh_from_db()
                self.applies()
                self.put((f"A-03{at}", said), name=f"{name}.csv")
                ready: list[str] = []

                def change_first(
                    unattended: Unattended, arrival: Arrival, do: Any = change, ready: Any = ready
                ) -> None:
                    if Job.objects.get(pk=arrival.job).kind == "plan" and not ready:
                        ready.append(arrival.name)
                        do()
                    arrive(unattended, arrival)

                with patch.object(arrivals, "_arrive", change_first):
                    self.look(8)
                self.assertTrue(ready)
                self.assertNotEqual(self.notes_of(f"A-03{at}"), said)

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
