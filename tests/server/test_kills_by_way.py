"""A kill at every named point of a pass that was scheduled, paused, approved, or takes another back: nothing is done
twice, and nothing is lost."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from itertools import groupby

from tests.pairs import all_pairs
from tests.server import timed
from tests.server.killing import POINTS, die, take_over
from tests.server.services import view_of
from tests.support import register, template

template()

from vexo.server.jobs.leases import claim  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.processes import owner_name  # noqa: E402
from vexo.server.jobs.worker import do, run_inline  # noqa: E402
from vexo.server.passes.starting import go_on  # noqa: E402
from vexo.server.passes.take_back import start_taking_back  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

ROWS = 3
Way = tuple[Trip, Callable[[str], None]]
"""A trip that is about to be written, and how its pass goes, killed at a point."""


class KillsByWay(timed.TimedCase):
    def scheduled_way(self) -> Way:
        trip = self.rows(ROWS)
        at = self.later(trip).at

        def go(point: str) -> None:
            with self.clock(at + timedelta(minutes=1)):
                begun = claim(owner_name(), ("passes",))
                assert begun is not None
                do(begun)
                die(point, claim(owner_name(), ("passes",)))
            with self.clock(at + timedelta(minutes=3)):
                self.assertEqual(take_over().error, "")

        return trip, go

    def paused_way(self) -> Way:
        trip = self.rows(ROWS)
        one = self.paused(trip)
        self.assertEqual((one.state, one.totals["updated"]), ("paused", 1))
        return trip, lambda point: self.killed(point, go_on(view_of(trip), self.person, one.number, run_here=True)[1])

    def approved_way(self) -> Way:
        self.rule(always=True)
        trip = self.rows(ROWS)
        self.ask(trip)
        self.answer(trip)
        return trip, lambda point: self.killed(point, self.start(trip))

    def taken_back_way(self) -> Way:
        trip = self.rows(ROWS)
        self.assertEqual(self.apply(trip).totals["updated"], ROWS)
        self.assertEqual(run_inline(start_taking_back(view_of(trip), self.person, run_here=True)).error, "")
        back = Trip.objects.get(takes_back=trip)
        return back, lambda point: self.killed(point, self.start(back))

    def killed(self, point: str, job: Job) -> None:
        die(point, job)
        self.assertEqual(take_over().error, "")

    def test_whatever_its_way_it_is_done_once(self) -> None:
        ways: dict[str, Callable[[], Way]] = {
            "scheduled": self.scheduled_way,
            "paused": self.paused_way,
            "approved": self.approved_way,
            "taken back": self.taken_back_way,
        }
        at_first = self.keep()
        cases = sorted(all_pairs(POINTS, tuple(ways), ("yes", "no")), key=lambda case: case[1:])
        for (way, repeatable), several in groupby(cases, key=lambda case: case[1:]):
            at_first()
            register().behave(repeatable=repeatable)
            type(self.practice).objects.filter(pk=self.practice.pk).update(repeats=repeatable == "yes")
            before = len(register().effects())
            trip, go = ways[way]()
            name = "Before" if way == "taken back" else "After"
            about_to_go = self.keep()
            for point, *_ in several:
                with self.subTest(point, way=way, repeatable=repeatable):
                    about_to_go()
                    go(point)
                    done = self.last_pass(trip)
                    self.assertEqual((done.state, done.totals["updated"]), ("ended", ROWS), (done.reason, done.reasons))
                    self.assertEqual({one["last_name"] for one in self.holders(self.begin)}, {name})
                    made, there_and_back = ROWS, ROWS if way == "taken back" else 0
                    self.assertEqual(len(register().effects()) - before, made + ROWS + there_and_back, "each once")
