"""Unique values that change hands: in the order that frees them, never in a circle, never beside another record's."""

from __future__ import annotations

from typing import Any

from tests.server.killing import die, take_over
from tests.server.services import no_type_is_small
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.rows.windows import Source, Wanted, plan_window  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402


class Renames(LaneCase):
    """Berths that went out, their numbers edited."""

    def renamed(self, letter: str, *numbers: str | None, answer: str = "file") -> Trip:
        """The first berths of a letter, with these numbers; what is asked about keys answered."""
        self.trip_out, path = self.out(letter, "notes")

        def edit(sheet: Any) -> None:
            for at, number in enumerate(numbers):
                if number:
                    sheet.cell(2 + at, 3).value = number

        self.back(self.edited(path, edit))
        if answer:
            self.decide(self.trip_out, answer, code="key-edited")
        return self.trip_out

    def numbers(self, *ids: Any) -> list[str]:
        return [register().get(f"Berths({one})")["berth_no"] for one in ids]

    def ids(self, letter: str, count: int) -> list[Any]:
        return [register().berth("TERNISLAND", f"{letter}-00{n}")["id"] for n in range(1, count + 1)]

    def test_a_chain_goes_in_the_order_that_frees_each_number(self) -> None:
        ids = self.ids("A", 3)
        trip = self.renamed("A", "A-002", "A-003", "A-903")
        self.assertEqual((self.verdicts(trip)[:3], self.codes(trip)[:3]), (["update"] * 3, [[], [], []]))
        before = len(register().effects())
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.totals["refused"]), (3, 0))
        self.assertEqual(self.numbers(*ids), ["A-002", "A-003", "A-903"])
        order = [str(one["id"]) for one in register().effects()[before:]]
        self.assertEqual(order, [str(one) for one in reversed(ids)])

    def test_a_circle_is_held_with_all_its_rows_named(self) -> None:
        trip = self.renamed("B", "B-002", "B-003", "B-001", "B-904")
        self.assertEqual(self.codes(trip)[:4], [["key-circle"]] * 3 + [[]])
        told = self.vexo.run("--as", "ada", "review", str(trip.pk), "--json").stdout
        self.assertIn("Rows 2, 3, 4 take Berth no. from one another in a circle", told)
        self.assertEqual(self.apply(trip).totals["updated"], 1)

    def test_a_circle_opens_through_a_value_that_a_person_says(self) -> None:
        for versions in (True, False):
            letter = "HJ"[versions]
            with self.subTest(versions=versions):
                register().behave(versions=versions)
                ids = self.ids(letter, 3)
                trip = self.renamed(letter, *[f"{letter}-00{n}" for n in (2, 3, 1)])
                self.assertEqual(self.codes(trip)[:3], [["key-circle"]] * 3)
                with self.assertRaises(PlainError):
                    self.decide(trip, "through", code="key-circle", argument="X-1")
                self.decide(trip, "through", [1], argument=f"{letter}-004")
                self.assertEqual(self.codes(trip)[:3], [["key-circle"]] * 3, "that value is another record's")
                self.decide(trip, "through", [1], argument=f"{letter}-955")
                self.assertEqual((self.verdicts(trip)[:3], self.codes(trip)[:3]), (["update"] * 3, [[], [], []]))
                with self.assertRaises(PlainError):
                    self.start(trip, atomic=True)
                before = len(register().effects())
                done = self.apply(trip)
                self.assertEqual((done.totals["updated"], done.totals["refused"]), (3, 0), done.reasons)
                self.assertEqual(self.numbers(*ids), [f"{letter}-00{n}" for n in (2, 3, 1)])
                self.assertEqual(len(register().effects()) - before, 4, "three rows, one of them in two steps")
                self.assertEqual((done.report["records"], done.report["as_sent"]), (3, 3))
                self.plan(trip)
                self.assertEqual(set(self.verdicts(trip)), {"same"})

    def test_killed_between_the_steps_it_goes_on_to_the_end(self) -> None:
        for letter, point in (("F", "saved"), ("G", "answered")):
            with self.subTest(point):
                ids = self.ids(letter, 2)
                trip = self.renamed(letter, f"{letter}-002", f"{letter}-001")
                self.decide(trip, "through", [0], argument=f"{letter}-966")
                die(point, self.start(trip))
                self.assertEqual(take_over().error, "")
                done = self.last_pass(trip)
                self.assertEqual((done.state, done.totals["updated"]), ("ended", 2))
                self.assertEqual(self.numbers(*ids), [f"{letter}-002", f"{letter}-001"])

    def test_where_the_first_step_is_refused_its_row_says_so_and_nothing_is_lost(self) -> None:
        ids = self.ids("K", 2)
        trip = self.renamed("K", "K-002", "K-001")
        self.decide(trip, "through", [0], argument="K-966")
        register().change(f"Berths({ids[0]})", berth_no="K-977")
        done = self.apply(trip)
        self.assertEqual(done.totals["refused"] + done.totals["updated"], 2)
        self.assertIn("changed-meanwhile", [reason["code"] for reason in done.reasons])
        self.assertEqual(self.numbers(ids[0]), ["K-977"], "the colleague's word stands")
        self.assertNotIn("K-966", self.numbers(*ids))

    def test_a_record_that_is_left_half_way_says_so(self) -> None:
        ids = self.ids("D", 4)[2:]
        trip = self.renamed("D", None, None, "D-004", "D-003")
        self.decide(trip, "through", [2], argument="D-966")
        register().change(f"Berths({ids[1]})", berth_no="D-977")
        with register().client() as client:
            body = {"harbour": "TERNISLAND", "berth_no": "D-004", "length_m": 8}
            client.post("Berths", json=body).raise_for_status()
        done = self.apply(trip)
        self.assertEqual(done.totals["refused"], 2)
        self.assertEqual(self.numbers(ids[0]), ["D-966"])
        told = self.vexo.run("--as", "ada", "outcome", str(trip.pk)).stdout
        self.assertIn("Berth no. holds D-966 now: the record went through it", told)

    def test_what_waits_for_a_circle_or_a_row_that_stays_is_held_too(self) -> None:
        trip = self.renamed("C", "C-002", "C-001", None, "C-001", "C-003")
        self.assertIn("duplicate-row", self.codes(trip)[1])
        self.assertIn("duplicate-row", self.codes(trip)[3])
        self.assertEqual(self.codes(trip)[4], ["duplicate"], "C-003 keeps its number")
        told = self.vexo.run("--as", "ada", "review", str(trip.pk), "--json").stdout
        self.assertIn("Berth no. is unique, and TERNISLAND C-003 has this value and keeps it.", told)
        self.decide(trip, "file", [4])
        self.assertEqual(self.verdicts(trip)[4], "update")
        done = self.apply(trip)
        self.assertEqual(done.totals["refused"], 1, "and the application says no")

    def test_a_row_set_aside_frees_nothing(self) -> None:
        trip = self.renamed("D", "D-002", "D-902")
        self.assertEqual(self.verdicts(trip)[:2], ["update", "update"])
        self.decide(trip, "aside", [1])
        self.assertEqual(self.codes(trip)[0], ["duplicate"])
        self.decide(trip, "again", [1])
        self.assertEqual(self.codes(trip)[:2], [["duplicate"], ["key-edited"]])
        self.decide(trip, "file", [1])
        self.assertEqual(self.verdicts(trip)[:2], ["update", "update"])

    def test_until_a_rename_is_said_nothing_is_taken(self) -> None:
        trip = self.renamed("E", "E-002", "E-902", answer="")
        self.assertEqual(self.codes(trip)[:2], [["key-edited"], ["key-edited"]])
        self.decide(trip, "file", [0])
        self.assertEqual(self.codes(trip)[:2], [["duplicate"], ["key-edited"]])
        self.decide(trip, "file", [1])
        self.assertEqual(self.verdicts(trip)[:2], ["update", "update"])

    def test_what_points_to_a_renamed_record_is_counted_and_shown(self) -> None:
        where = "harbour eq 'TERNISLAND' and startswith(berth_no,'F-')"
        there = register().get("Berths", **{"$filter": where, "$orderby": "berth_no", "$top": "200"})["value"]
        at = next(n for n, one in enumerate(there) if one["status"] == "let")
        contracts = register().get("Contracts", **{"$filter": f"berth eq {there[at]['id']}"})["value"]
        expected = {"Contracts, Berth": len(contracts)}
        trip = self.renamed("F", *[None] * at, "F-977", answer="")
        plan = self.newest(trip)
        context = PlanContext.of_plan(plan)
        source = Source(plan.path, context.cells_path, pointed=plan.pointed_path)
        [row] = plan_window(context, source, Wanted(), (at, 1)).rows
        told = {line.split(" ", 1)[1]: int(line.split(" ", 1)[0]) for line in row.pointed}
        self.assertEqual({name: told.get(name) for name in expected}, expected)
        self.assertEqual(plan.summary["pointed_renames"], {}, "it is not renamed yet")
        self.decide(trip, "file", code="key-edited")
        self.assertEqual(self.newest(trip).summary["pointed_renames"]["Contracts, Berth"], expected["Contracts, Berth"])
        said = self.vexo.run("--as", "ada", "review", str(trip.pk))
        self.assertIn("point to those to be renamed: Contracts, Berth", said.stdout)


class Large(LaneCase):
    """Of a type that is not read whole, the owner of a unique value is looked for by it."""

    def test_another_records_value_is_asked_about(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        self.theirs("02", email=f"b.{self.begin}@example.org")
        for mail in (f"b.{self.begin}@example.org", f"B.{self.begin}@example.org"):
            content = self.sheet(("01", "a", mail), header="holder_no,last_name,email")
            with self.subTest(mail), no_type_is_small():
                trip = self.trip(content)
                self.assertEqual(self.codes(trip), [["duplicate"]])


class Unique(LaneCase):
    """Another unique field than the key."""

    def people(self, *rows: tuple[str, ...], operation: str = "update") -> Trip:
        return self.trip(self.sheet(*rows, header="holder_no,last_name,email"), operation)

    def mail(self, name: str) -> str:
        return f"{name}.{self.begin}@example.org"

    def test_an_address_twice_in_the_sheet_or_elsewhere_is_asked(self) -> None:
        self.make(("01", "a"), ("02", "b"), ("03", "c"))
        self.theirs("03", email=self.mail("c"))
        rows = (("01", "a", self.mail("x")), ("02", "b", self.mail("X")), ("04", "d", self.mail("C")))
        trip = self.people(*rows, operation="upsert")
        self.assertEqual(self.codes(trip), [["duplicate-row"], ["duplicate-row"], ["duplicate"]])
        near = (("01", "a", self.mail("x")), ("02", "b", self.mail("y")), ("03", "c", self.mail("c")))
        self.assertEqual(self.codes(self.people(*near, operation="upsert")), [[], [], []])

    def test_a_declared_key_with_one_field_more_makes_no_second_record(self) -> None:
        self.make(("01", "a"))
        content = self.sheet(("01", "other", ""), ("02", "b", ""), header="holder_no,last_name,email")
        trip = self.trip(content, "upsert", key=["holder_no", "last_name"])
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["held", "create"], [["duplicate"], []]))

    def test_spaces_at_the_ends_of_unique_values_are_not_written_and_make_no_difference(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        self.theirs("02", email=self.mail("b"))
        trip = self.people(("01", "a", f"{self.mail('b')}\u00a0"), ("02", "b", f"{self.mail('b')} "))
        self.assertEqual(self.codes(trip), [["duplicate"], []])
        self.assertEqual(self.verdicts(trip)[1], "same")
        other = self.people(("01", "a", f" {self.mail('new')}\u00a0"), ("02", "b", ""))
        self.assertEqual(self.apply(other).totals["updated"], 1)
        self.assertEqual(self.of("01")["email"], self.mail("new"))

    def test_addresses_that_move_on_are_not_asked_and_go_in_order(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        self.theirs("02", email=self.mail("b"))
        trip = self.people(("01", "a", self.mail("b")), ("02", "b", self.mail("new")))
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["update", "update"], [[], []]))
        done = self.apply(trip)
        self.assertEqual((done.totals["updated"], done.totals["refused"]), (2, 0))
        self.assertEqual([self.of(n)["email"] for n in ("01", "02")], [self.mail("b"), self.mail("new")])

    def test_an_address_that_is_cleared_is_free(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        self.theirs("02", email=self.mail("b"))
        content = self.sheet(("01", "a", self.mail("b")), ("02", "b", ""), header="holder_no,last_name,email")
        trip = self.trip(content, lanes={"email": {"blank": "clear"}})
        self.assertEqual(self.codes(trip), [["duplicate"], ["emptied-many"]])
        self.decide(trip, "file", [1])
        self.assertEqual(self.codes(trip), [[], []])
        self.assertEqual(self.apply(trip).totals["updated"], 2)
