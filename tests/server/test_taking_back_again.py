"""A trip that was taken back goes again; a taking back that is killed, doubled, or finds its records gone."""

from __future__ import annotations

from tests.server.killing import die, take_over
from tests.server.test_editing import EditCase
from tests.server.test_taking_back import TakeBackCase
from tests.support import register, template

template()

from vexo.server.errors import PlainError  # noqa: E402


class TakingBackAgain(TakeBackCase, EditCase):
    def test_afterwards_the_trip_may_go_again_as_at_first(self) -> None:
        trip = self.updated("J", (2, "Notes", "again"))
        self.apply(trip)
        self.apply(self.taken_back(trip))
        self.assertIsNone(self.berth("J-001")["notes"])
        self.plan(trip)
        self.assertEqual(self.terms(trip)["update"], 1, "its rows have left the ledger")
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.assertEqual(self.berth("J-001")["notes"], "again")
        self.apply(self.taken_back(trip))
        self.assertIsNone(self.berth("J-001")["notes"])

    def test_killed_anywhere_it_goes_on(self) -> None:
        for letter, point in (("K", "saved"), ("E", "answered")):
            with self.subTest(point):
                trip = self.updated(letter, (2, "Notes", "mine"))
                self.apply(trip)
                back = self.taken_back(trip)
                die(point, self.start(back))
                self.assertEqual(take_over().error, "")
                self.assertEqual(self.last_pass(back).totals["updated"], 1)
                self.assertIsNone(self.berth(f"{letter}-001")["notes"])
                with self.assertRaisesRegex(PlainError, "left to be taken back"):
                    self.taken_back(trip)

    def test_two_trips_that_take_back_the_same_do_it_once(self) -> None:
        trip = self.updated("B", (5, "Notes", "mine"), (6, "Notes", "mine"))
        self.apply(trip)
        one, two = self.taken_back(trip), self.taken_back(trip)
        before = len(register().effects())
        self.assertEqual(self.apply(one).totals["updated"], 2)
        done = self.apply(two)
        self.assertEqual((done.totals["updated"], done.totals["refused"]), (0, 2), "as reviewed they are no more")
        self.assertEqual(len(register().effects()) - before, 2)
        self.plan(two)
        self.assertEqual(set(self.verdicts(two)), {"same"})

    def test_a_trip_whose_records_are_gone_since_takes_back_the_others(self) -> None:
        head = "Harbour,Berth no.,Length m\n"
        lines = "".join(f"TERNISLAND,TTT-00{n},9.5\n" for n in (1, 2))
        made = self.bring(head + lines, operation="create", key=["harbour", "berth_no"])
        self.apply(made)
        trip = self.bring(head.replace("Length m", "Notes") + lines.replace("9.5", "x"), key=["harbour", "berth_no"])
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        gone = register().berth("TERNISLAND", "TTT-001")["id"]
        with register().client() as client:
            client.delete(f"Berths({gone})", headers={"If-Match": "*"}).raise_for_status()
        back = self.taken_back(trip)
        self.assertEqual(self.codes(back), [["gone"], []])
        self.apply(back)
        self.assertIsNone(self.berth("TTT-002")["notes"])
        new = self.taken_back(made)
        self.assertEqual(self.verdicts(new), ["same", "held"], "one is gone already, one was changed since")

    def test_nothing_is_taken_back_while_a_pass_is_open_or_where_none_was(self) -> None:
        trip = self.updated("F", (2, "Notes", "mine"))
        with self.assertRaisesRegex(PlainError, "left to be taken back"):
            self.taken_back(trip)
        die("sent", self.start(trip))
        with self.assertRaisesRegex(PlainError, "has not ended"):
            self.taken_back(trip)
