"""A kill at every named point of a pass, for every two of point, operation and promises together."""

from __future__ import annotations

from tests.pairs import all_pairs
from tests.server.holders import ROWS, HolderCase
from tests.server.killing import POINTS, die, take_over


class Kills(HolderCase):
    def test_at_every_point_with_every_promise_nothing_is_done_twice_and_nothing_lost(self) -> None:
        for point, operation, versions, repeatable in all_pairs(
            POINTS, ("both", "delete"), (True, False), (True, False)
        ):
            with self.subTest(point, operation=operation, versions=versions, repeatable=repeatable):
                self.promise(versions, repeatable)
                trip, beginning = self.begin(operation)
                die(point, self.start(trip))
                self.assertEqual(take_over().error, "")
                self.judge(trip, beginning, operation, again=point == "saved")

    def test_creates_without_a_key_are_in_once_or_unclear(self) -> None:
        for repeatable in (True, False):
            for point in POINTS:
                with self.subTest(point, repeatable=repeatable):
                    self.promise(versions=True, repeatable=repeatable, keys=False)
                    trip, beginning = self.begin("upsert", keyless=True)
                    die(point, self.start(trip))
                    take_over()
                    one = self.last_pass(trip)
                    there = len(self.holders(beginning))
                    self.assertEqual(set(self.effects().values()) | {1}, {1})
                    if repeatable or point in ("prepared", "read back"):
                        self.assertEqual((one.totals["created"], there), (ROWS, ROWS))
                        continue
                    self.assertEqual(one.totals["unclear"], ROWS)
                    self.assertEqual(there, ROWS if point in ("saved", "answered") else 0)
                    self.plan(trip)
                    self.assertEqual(set(self.verdicts(trip)), {"held"})
                    self.assertEqual(self.codes(trip), [["unclear"]] * ROWS)
