"""A kill at every named point of a pass, for every two of point, operation and promises together."""

from __future__ import annotations

from collections import Counter

from tests.pairs import all_pairs
from tests.server.holders import ROWS, HolderCase
from tests.server.killing import POINTS, die, take_over
from tests.support import register


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

    def test_a_colleague_makes_the_record_while_a_create_by_an_undeclared_key_is_in_doubt(self) -> None:
        for repeatable in (True, False):
            for declared in (True, False):
                self.promise(versions=True, repeatable=repeatable, keys=declared)
                HolderCase.number += 1
                begin, name = f"08{HolderCase.number:03d}", f"Only {HolderCase.number:05d}"
                content = f"holder_no,first_name,last_name\n{begin}01,{name},Ours\n{begin}02,{name}b,Ours\n"
                trip = self.bring(content, record_type="Holder", operation="upsert", key=["first_name"])
                as_planned = self.keep()
                for point in POINTS[:-1]:
                    with self.subTest(point, repeatable=repeatable, declared=declared):
                        as_planned()
                        die(point, self.start(trip))
                        there = len(self.holders(begin))
                        with register().client() as client:
                            body = {"holder_no": f"{begin}99", "first_name": name, "last_name": "Theirs"}
                            client.post("Holders", json=body).raise_for_status()
                        take_over()
                        done = self.last_pass(trip)
                        ours = [h for h in self.holders(begin) if h["last_name"] == "Ours"]
                        named = [h for h in ours if h["first_name"] == name]
                        self.assertEqual(len(named), 1 if there else 0, "it is not made beside theirs")
                        self.assertLessEqual(len(ours), 2)
                        self.assertEqual(sum(done.totals.values()), 2)
                        self.assertLessEqual(done.totals["created"], len(ours))
                        self.assertEqual(set(Counter(h["holder_no"] for h in ours).values()) | {1}, {1})

    def test_creates_without_a_key_are_in_once_or_unclear(self) -> None:
        for repeatable in (True, False):
            self.promise(versions=True, repeatable=repeatable, keys=False)
            trip, beginning = self.begin("upsert", keyless=True)
            as_planned = self.keep()
            for point in POINTS:
                with self.subTest(point, repeatable=repeatable):
                    as_planned()
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
