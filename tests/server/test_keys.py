"""Keys through files and the stand-in: a row is about the record that its key finds, or nothing goes."""

from __future__ import annotations

from contextlib import nullcontext

from tests.server.services import no_type_is_small
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

import polars as pl  # noqa: E402

from vexo.core.planning.verdicts import Verdict  # noqa: E402
from vexo.core.writing import strategy_of  # noqa: E402
from vexo.core.writing.batches import freeze  # noqa: E402
from vexo.core.writing.strategies import NoRecordError, Write  # noqa: E402
from vexo.server.decisions.decisions import undo  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402

BERTHS = "harbour,berth_no,ring_no,length_m\nTern Island,{0},,12\nNOWHERE,{1},,12\n,{1},,12\nOLDBASIN,,,12\n"


class Unread(LaneCase):
    """A cell of the key that cannot be read or is blank rejects its row, under every operation, with no way round."""

    def berths_of(self, operation: str) -> Trip:
        numbers = [berth["berth_no"] for berth in self.berths()]
        key = ["harbour", "berth_no"]
        return self.bring(BERTHS.format(*numbers), record_type="Berth", key=key, operation=operation)

    def test_no_operation_takes_a_row_whose_key_is_not_read(self) -> None:
        for operation in ("create", "update", "upsert", "delete"):
            with self.subTest(operation):
                trip, before = self.berths_of(operation), register().effects()
                self.assertEqual(self.verdicts(trip), ["rejected"] * 4)
                faults = [[(fault["code"], fault["field"]) for fault in row] for row in self.table(trip)["faults"]]
                self.assertIn(("key-unread", "harbour"), faults[0])
                self.assertIn(("key-unread", "harbour"), faults[1])
                self.assertEqual([faults[2][0], faults[3][0]], [("key-blank", "harbour"), ("key-blank", "berth_no")])
                with self.assertRaises(PlainError) as caught:
                    self.decide(trip, "leave out", [0])
                self.assertEqual(caught.exception.code, "no-question")
                with self.assertRaises(PlainError):
                    self.apply(trip)
                self.assertEqual(register().effects(), before)

    def test_each_way_to_say_it_offers_to_set_it_aside_and_no_more(self) -> None:
        trip = self.berths_of("delete")
        review = self.vexo.json("--as", "ada", "review", str(trip.pk), "--json", code=1)
        told = self.vexo.run("--as", "ada", "open", str(trip.pk)).stderr
        self.assertIn("names no harbour", str(review) + told)
        self.assertNotIn("leave out", told)
        self.assertIn("'aside' --code key-unread", told)

    def test_a_key_whose_column_asks_finds_nothing_until_it_is_answered(self) -> None:
        numbers = [berth["berth_no"] for berth in self.berths()]
        lines = "\n".join(f"OLDBASIN,{number}," for number in numbers[:3])
        for operation in ("update", "upsert", "delete"):
            with self.subTest(operation):
                content = f"harbour,berth_no,notes\n{lines}\nOLDBASIN,[clear],\n"
                trip = self.bring(content, record_type="Berth", key=["harbour", "berth_no"], operation=operation)
                self.assertEqual(self.verdicts(trip), ["held"] * 4)
                self.assertEqual({code for row in self.codes(trip) for code in row}, {"key-asked"})


class Written(LaneCase):
    """5.1: a new record's key is written in the form in which keys compare, and measured in it."""

    def test_spaces_at_the_ends_of_keys_are_neither_written_nor_counted(self) -> None:
        self.make(("01", "a"))
        begin = self.begin
        content = f"holder_no,last_name\n  {begin}02\u00a0,b\n{begin}01 ,a2\n"
        trip = self.bring(content, record_type="Holder", key=["holder_no"], operation="upsert")
        self.assertEqual(self.verdicts(trip), ["create", "update"], self.codes(trip))
        self.apply(trip)
        self.assertEqual(sorted(h["holder_no"] for h in self.holders(begin)), [f"{begin}01", f"{begin}02"])

    def test_the_same_sheet_once_more_is_the_same(self) -> None:
        begin = self.begin
        content = f"holder_no,last_name,phone\n  {begin}02\u00a0,b,1\n"
        trip = self.bring(content, record_type="Holder", key=["holder_no"], operation="upsert")
        self.apply(trip)
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same"])


class Near(LaneCase):
    """6: a key that is near to one that is there is asked about before a second record is made."""

    def near(self, operation: str, *, large: bool = False) -> Trip:
        """A sheet of two holders, one of them with the letter O for a zero."""
        self.make(("01", "a"), ("02", "b"))
        slip = f"{self.begin}O2".replace("07", "O7", 1)
        content = f"holder_no,last_name\n{self.begin}01,x\n{slip},y\n"
        with no_type_is_small() if large else nullcontext():
            return self.bring(content, record_type="Holder", key=["holder_no"], operation=operation)

    def test_it_is_held_and_one_answer_makes_it_that_record(self) -> None:
        for large in (False, True):
            self.number_anew()
            trip = self.near("upsert", large=large)
            self.assertEqual((self.verdicts(trip), self.codes(trip)), (["update", "held"], [[], ["near-key"]]))
            done = self.vexo.run("--as", "ada", "open", str(trip.pk))
            self.assertIn("is it that one, or a new one?", done.stderr)
            self.assertIn("'nearest' --code near-key", done.stderr)
            self.decide(trip, "nearest", [1])
            self.assertEqual(self.verdicts(trip), ["update", "update"])
            self.apply(trip)
            made = {h["holder_no"]: h["last_name"] for h in self.holders(self.begin)}
            self.assertEqual(made, {f"{self.begin}01": "x", f"{self.begin}02": "y"})
            self.plan(trip)
            self.assertEqual(self.verdicts(trip), ["same", "same"], self.codes(trip))

    def test_or_a_new_one(self) -> None:
        trip = self.near("upsert")
        self.decide(trip, "new", [1])
        self.assertEqual(self.verdicts(trip), ["update", "create"])
        self.decide(trip, "nearest", [1])
        self.assertEqual(self.verdicts(trip), ["update", "update"], "the answer is given anew")

    def test_under_update_and_delete_it_is_rejected_with_the_one_it_may_be(self) -> None:
        for operation in ("update", "delete"):
            for large in (False, True):
                self.number_anew()
                trip = self.near(operation, large=large)
                self.assertEqual(self.verdicts(trip), [operation, "rejected"])
                review = self.vexo.run("--as", "ada", "review", str(trip.pk), "--json")
                self.assertIn(f"No holder has this key. Nearest: {self.begin}02.", review.stdout)
                self.decide(trip, "nearest", [1])
                self.assertEqual(self.verdicts(trip), [operation, operation])
                self.apply(trip)
                left = [] if operation == "delete" else ["x", "y"]
                self.assertEqual([h["last_name"] for h in self.holders(self.begin)], left)

    def test_for_all_rows_at_once_it_is_an_answer_for_those_that_are_near_to_one(self) -> None:
        self.make(("01", "a"), ("02", "b"))
        slip = f"{self.begin}O2".replace("07", "O7", 1)
        content = f"holder_no,last_name\n{slip},y\nQ-NOBODY,z\n"
        trip = self.bring(content, record_type="Holder", key=["holder_no"], operation="update")
        made = self.decide(trip, "nearest", code="not-found", field="holder_no")
        self.assertEqual((made.count, self.verdicts(trip)), (1, ["update", "rejected"]))
        with self.assertRaises(PlainError):
            self.decide(trip, "nearest", code="not-found", field="holder_no")

    def test_a_record_said_by_hand_has_to_exist_and_can_be_said_anew(self) -> None:
        trip = self.near("update")
        for odd in ("99999999", "abc", "0"):
            with self.assertRaises(PlainError) as caught:
                self.decide(trip, "record", [1], argument=odd)
            self.assertEqual(caught.exception.code, "no-record")
        first, second = (self.of(number)["id"] for number in ("01", "02"))
        self.decide(trip, "record", [1], argument=str(first))
        self.assertEqual(self.codes(trip), [["shared"], ["shared"]])
        self.decide(trip, "record", [1], argument=str(second))
        self.assertEqual(self.verdicts(trip), ["update", "update"])

    def test_the_answer_binds_through_a_newer_version_and_its_undoing_asks_again(self) -> None:
        trip = self.near("upsert")
        self.decide(trip, "nearest", [1])
        slip = self.table(trip)["proposed.holder_no"][1]
        self.again(trip, f"holder_no,last_name\n{self.begin}01,x\n{slip},z\n")
        self.assertEqual(self.verdicts(trip), ["update", "update"])
        number = trip.decisions.last().pk
        run_inline(undo(PartView.of(trip), self.person, number, run_here=True))
        self.assertEqual(self.codes(trip), [[], ["near-key"]])


class NeverWithoutARecord(LaneCase):
    """1.4: freezing a plan refuses such a row, and so does the request itself."""

    def test_freezing_refuses(self) -> None:
        for verdict in ("update", "delete"):
            plan = pl.DataFrame({"row_id": [1, 2], "verdict": ["create", verdict], "@id": [None, None]})
            with self.assertRaises(NoRecordError):
                freeze(plan.with_columns(pl.col("@id").cast(pl.String)))

    def test_the_request_refuses(self) -> None:
        for verdict in (Verdict.UPDATE, Verdict.DELETE):
            for identifier in (None, ""):
                write = Write(0, 1, verdict, identifier, None, {}, {}, "n", False)
                with self.assertRaises(NoRecordError):
                    strategy_of(verdict).request(write)
        strategy_of(Verdict.CREATE).request(Write(0, 1, Verdict.CREATE, None, None, {}, {}, "n", False))


class PeopleChoose(LaneCase):
    """5.2: where people choose the identifiers of a type, an unknown one names a new record."""

    def test_a_harbour_is_made_by_its_code(self) -> None:
        content = "code,name,region\nNEWQUAY9,New Quay,West\n,No Code,West\n"
        trip = self.bring(content, record_type="Harbour", key=["code"], operation="upsert")
        self.assertEqual(self.verdicts(trip), ["create", "rejected"], self.codes(trip))
        self.apply(trip)
        self.assertEqual(register().get("Harbours('NEWQUAY9')")["name"], "New Quay")
        slip = self.bring("code,name\nNEWOUAY9,x\n", record_type="Harbour", key=["code"], operation="upsert")
        self.assertEqual(self.codes(slip), [["near-key"]])


class References(LaneCase):
    def test_a_reference_that_names_nobody_is_rejected_with_what_it_may_have_meant(self) -> None:
        number, mail = f"{self.begin}01", f"{self.begin}.lowen@example.org"
        with register().client() as client:
            body = {"holder_no": number, "last_name": "Lowen", "email": mail}
            client.post("Holders", json=body).raise_for_status()
        berths = [berth["berth_no"] for berth in self.berths()]
        rows = [f"OLDBASIN,{berths[0]},{mail.upper()},700001", f"OLDBASIN,{berths[1]},Q-{number},", ""]
        trip = self.bring("\n".join(["harbour,berth_no,holder,pontoon", *rows]), record_type="Berth")
        review = self.vexo.run("--as", "ada", "review", str(trip.pk), "--json")
        said = review.stdout
        self.assertIn(f"names no holder; write its holder no. Nearest: {mail}.", said)
        self.assertIn("Pontoon names no berth; write its ring no.", said)
        self.assertNotIn("..", said)
