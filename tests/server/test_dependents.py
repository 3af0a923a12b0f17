"""Rows whose reference is a record that another row of the sheet makes: parents first, and never without them."""

from __future__ import annotations

from typing import Any

from tests.server.killing import die, take_over
from tests.server.services import view_of
from tests.server.test_editing import EditCase
from tests.support import register, template

template()

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.passes.receipts import write_receipt  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.rows.windows import Source, Wanted, plan_window  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

CIRCLE = (("WWW-001", "WA1", "WA3"), ("WWW-002", "WA2", "WA1"), ("WWW-003", "WA3", "WA2"))
HEAD = "Harbour,Berth no.,Ring no.,Length m,Pontoon\n"


class Dependents(EditCase):
    def berths(self, *lines: tuple[str, str, str], operation: str = "upsert", **more: Any) -> Trip:
        """A sheet of berths: number, ring number, and the ring number of the berth that each hangs on."""
        text = HEAD + "".join(f"TERNISLAND,{number},{ring},9.5,{pontoon}\n" for number, ring, pontoon in lines)
        return self.bring(text, operation=operation, key=["harbour", "berth_no"], **more)  # type: ignore[no-any-return]

    def berth(self, number: str) -> dict[str, Any]:
        return register().berth("TERNISLAND", number)

    def hangs_on(self, number: str) -> Any:
        """The number of the berth that one hangs on."""
        parent = self.berth(number)["pontoon"]
        return parent and register().get(f"Berths({parent})")["berth_no"]

    def test_parents_go_first_whatever_the_order_of_the_rows(self) -> None:
        trip = self.berths(("ZZZ-003", "ZA3", "ZA2"), ("ZZZ-001", "ZA1", ""), ("ZZZ-002", "ZA2", "ZA1"))
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["create"] * 3, [[], [], []]))
        before = len(register().effects())
        done = self.apply(trip)
        self.assertEqual((done.totals["created"], done.totals["refused"]), (3, 0), done.reasons)
        self.assertEqual([self.hangs_on(f"ZZZ-00{n}") for n in (1, 2, 3)], [None, "ZZZ-001", "ZZZ-002"])
        self.assertEqual(len(register().effects()) - before, 3, "each was written once, whole")
        self.assertEqual((done.report["records"], done.report["as_sent"]), (3, 3))
        self.plan(trip)
        self.assertEqual(set(self.verdicts(trip)), {"same"})

    def test_many_trees_take_a_batch_a_level_and_updates_hang_on_new_ones_too(self) -> None:
        there = self.berth("A-004")["ring_no"]
        lines = [(f"YYY-0{n:02}", f"YA{n}", f"YA{n - n % 5}" if n % 5 else "") for n in range(20)]
        trip = self.berths(*lines, ("A-004", there, "YA5"))
        self.assertEqual(self.verdicts(trip), [*["create"] * 20, "update"])
        self.decide(trip, "go on", code="mostly-new")
        done = self.apply(trip)
        self.assertEqual((done.totals["created"], done.totals["updated"]), (20, 1), done.reasons)
        self.assertEqual(self.hangs_on("YYY-019"), "YYY-015")
        self.assertEqual(self.hangs_on("A-004"), "YYY-005")
        self.assertLessEqual(done.batches.count(), 2)

    def test_a_row_waits_for_one_that_does_not_go_and_so_does_what_hangs_on_it(self) -> None:
        trip = self.berths(
            ("XXX-001", "XA1", ""), ("XXX-002", "XA2", "XA1"), ("XXX-003", "XA3", "XA2"), ("XXX-004", "XA4", "")
        )
        self.decide(trip, "aside", [0])
        self.assertEqual(self.verdicts(trip), ["aside", "held", "held", "create"])
        self.assertEqual(self.codes(trip)[1:], [["depends"], ["depends"], []])
        told = self.vexo.run("--as", "ada", "review", str(trip.pk), "--json").stdout
        self.assertIn("row 2", told)
        self.decide(trip, "leave out", [1], code="depends")
        self.assertEqual(
            self.verdicts(trip), ["aside", "create", "create", "create"], "row 3 hangs on row 2, which goes"
        )
        done = self.apply(trip)
        self.assertEqual(done.totals["created"], 3, done.reasons)
        self.assertEqual([self.hangs_on(f"XXX-00{n}") for n in (2, 3)], [None, "XXX-002"])

    def test_a_circle_of_references_holds_all_its_rows_named(self) -> None:
        trip = self.berths(*CIRCLE, ("WWW-004", "WA4", "WA4"))
        self.assertEqual(self.codes(trip), [["depends-circle"]] * 4)
        told = self.vexo.run("--as", "ada", "review", str(trip.pk), "--json").stdout
        self.assertIn("Rows 2, 3, 4", told)
        self.decide(trip, "leave out", [0])
        self.assertEqual(self.verdicts(trip), ["create", "create", "create", "held"])
        done = self.apply(trip)
        self.assertEqual(done.totals["created"], 3, done.reasons)
        self.assertEqual([self.hangs_on(f"WWW-00{n}") for n in (1, 2, 3)], [None, "WWW-001", "WWW-002"])

    def test_a_row_that_is_about_a_record_is_that_record(self) -> None:
        """A row gives a berth a ring number, and another names it by that."""
        trip = self.berths(("B-004", "VB4", ""), ("VVV-001", "VA1", "VB4"))
        self.assertEqual(self.verdicts(trip), ["update", "create"])
        self.decide(trip, "aside", [0])
        self.assertEqual(self.verdicts(trip), ["aside", "create"], "the record is there, whatever its ring number")
        self.assertEqual(self.apply(trip).totals["created"], 1)
        self.assertEqual(self.hangs_on("VVV-001"), "B-004")

    def test_where_the_parent_is_refused_what_hangs_on_it_is_not_sent(self) -> None:
        """A colleague gave another berth the parent's ring number just before."""
        trip = self.berths(
            ("UUU-001", "UA1", ""), ("UUU-002", "UA2", "UA1"), ("UUU-003", "UA3", "UA2"), ("UUU-004", "UA4", "")
        )
        register().change(f"Berths({self.berth('D-004')['id']})", ring_no="UA1")
        before = len(register().effects())
        done = self.apply(trip)
        self.assertEqual((done.totals["created"], done.totals["refused"]), (1, 3), done.reasons)
        self.assertEqual(len(register().effects()) - before, 1)
        self.assertEqual(sorted(one["code"] for one in done.reasons), ["parent-not-in", "refused"])
        self.plan(trip)
        self.assertNotIn("update", self.verdicts(trip))

    def test_all_or_nothing_is_refused_since_the_ids_are_not_known_before(self) -> None:
        trip = self.berths(("TTT-001", "TA1", ""), ("TTT-002", "TA2", "TA1"))
        with self.assertRaises(PlainError) as refused:
            self.start(trip, atomic=True)
        self.assertIn("new records", str(refused.exception))
        self.assertEqual(trip.passes.count(), 0)

    def test_killed_between_parent_and_child_it_goes_on_and_makes_none_twice(self) -> None:
        for letter, point in (("S", "saved"), ("R", "answered"), ("Q", "sent")):
            with self.subTest(point):
                trip = self.berths(
                    (f"{letter * 3}-002", f"{letter}A2", f"{letter}A1"), (f"{letter * 3}-001", f"{letter}A1", "")
                )
                die(point, self.start(trip))
                self.assertEqual(take_over().error, "")
                done = self.last_pass(trip)
                self.assertEqual((done.state, done.totals["created"]), ("ended", 2))
                self.assertEqual(self.hangs_on(f"{letter * 3}-002"), f"{letter * 3}-001")

    def test_a_row_to_be_updated_that_hangs_on_none_of_the_sheet_is_rejected_as_before(self) -> None:
        trip = self.berths(("PPP-001", "PA1", "PA9"), ("PPP-002", "PA2", ""))
        self.assertEqual(self.codes(trip), [["names-none"], []])

    def test_under_update_nothing_is_made_that_a_row_could_hang_on(self) -> None:
        there = self.berth("C-004")["ring_no"]
        trip = self.berths(("OOO-001", "OA1", ""), ("C-004", there, "OA1"), operation="update")
        self.assertEqual(self.verdicts(trip), ["rejected", "held"])
        self.assertEqual(self.codes(trip)[1], ["depends"])

    def test_an_edit_of_the_parent_s_name_is_followed(self) -> None:
        trip = self.berths(("NNN-001", "NA1", ""), ("NNN-002", "NA2", "NA1"))
        self.edit(trip, "cell", 2, "Ring no.", text="NA7")
        self.assertEqual(self.codes(trip), [[], ["names-none"]])
        self.edit(trip, "cell", 3, "Pontoon", text="NA7")
        self.assertEqual(self.verdicts(trip), ["create", "create"])

    def test_what_a_row_hangs_on_is_shown_by_its_row_and_later_by_its_record(self) -> None:
        trip = self.berths(("MMM-001", "MA1", ""), ("MMM-002", "MA2", "MA1"))
        plan = self.newest(trip)
        context = PlanContext.of_plan(plan)
        rows = plan_window(context, Source(plan.path, context.cells_path), Wanted(), (0, 10)).rows
        self.assertNotIn("@row", str(rows))
        self.apply(trip)
        path = self.text("", "receipt.csv")
        write_receipt(view_of(trip), path)
        said = path.read_text(encoding="utf-8-sig")
        self.assertNotIn("@row", said)
        self.assertIn(str(self.berth("MMM-001")["id"]), said.splitlines()[2])
