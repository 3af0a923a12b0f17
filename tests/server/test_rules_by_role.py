"""Each role, at each way of writing, under each rule: what goes to the application, and that nothing else does."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial
from typing import Any

from tests.server import timed
from tests.server.killing import die
from tests.server.services import view_of
from tests.support import register, template

template()

from vexo.core.errors import MendableError  # noqa: E402
from vexo.server.applications.use_rules import set_rules  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.passes.models import Scheduled  # noqa: E402
from vexo.server.passes.scheduling import schedule  # noqa: E402
from vexo.server.passes.starting import go_on, start_pass  # noqa: E402
from vexo.server.passes.take_back import start_taking_back  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

RULES = ("none", "deny", "never", "approve", "times")
ROLES = (Role.VIEWER, Role.PREPARER, Role.OPERATOR)
WRITES = 2


class RulesByRole(timed.TimedCase):
    def lay(self, rule: str) -> None:
        closed = datetime.now(UTC) - timedelta(hours=3)
        times = {"from": f"{closed:%H:%M}", "to": f"{closed + timedelta(hours=1):%H:%M}"}
        said: dict[str, Any] = {
            "none": {},
            "deny": {"deny": ["update"]},
            "never": {"never": ["last_name"]},
            "approve": {"approve": {"above": 1}},
            "times": {"times": times},
        }[rule]
        set_rules(self.person, self.practice, {"Holder": said} if said else {})
        self.practice.refresh_from_db()

    def start_now(self, trip: Trip, person: Person) -> None:
        run_inline(start_pass(view_of(trip), person, self.newest(trip).number, run_here=True)[1])

    def at_a_time(self, trip: Trip, person: Person) -> None:
        at = datetime.now(UTC) + timedelta(minutes=30)
        schedule(view_of(trip), person, self.newest(trip).number, at)
        self.when_it_is(at + timedelta(minutes=1))
        scheduled = Scheduled.objects.filter(trip=trip).latest("pk")
        self.assertEqual(bool(scheduled.reason), scheduled.state == Scheduled.LAPSED, "it is said why")

    def going_on(self, trip: Trip, person: Person) -> None:
        run_inline(go_on(view_of(trip), person, self.last_pass(trip).number, run_here=True)[1])

    def test_only_what_the_role_and_the_rule_let_goes(self) -> None:
        people = {role: Person.objects.create(username=f"r-{role}", name=f"R {role}", role=role) for role in ROLES}
        ways: dict[str, Callable[[Trip, Person], None]] = {
            "start": self.start_now,
            "at a time": self.at_a_time,
            "go on": self.going_on,
            "take back": self.start_now,
        }
        self.addCleanup(self.lay, "none")
        at_first = self.keep()
        for way, act in ways.items():
            at_first()
            trip = self.rows(WRITES)
            if way == "take back":
                self.apply(trip)
                run_inline(start_taking_back(view_of(trip), self.person, run_here=True))
                trip = Trip.objects.get(takes_back=trip)
            if way == "go on":
                die("prepared", self.start(trip))
                trip.jobs.filter(kind="apply").update(lease_until=1.0)
            about_to_go = self.keep()
            for rule in RULES:
                about_to_go()
                self.lay(rule)
                if way != "go on":
                    self.plan(trip)
                self.each_role(people, rule, way, partial(act, trip))

    def each_role(self, people: dict[Role, Person], rule: str, way: str, act: Callable[[Person], None]) -> None:
        # Those who may not write come first, so that nothing is written before the last one's turn.
        for role, person in people.items():
            with self.subTest(rule, way=way, role=role):
                before = len(register().effects())
                said = ""
                try:
                    act(person)
                except MendableError as error:
                    said = str(error)
                wrote = len(register().effects()) - before
                may = rule == "none" and role == Role.PREPARER
                self.assertEqual(wrote, WRITES if may else 0, said)
                if role == Role.VIEWER:
                    self.assertTrue(said)
