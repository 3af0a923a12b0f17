"""Records made without a key: none is made unseen that is like one that is there, or like another row."""

from __future__ import annotations

import json
from typing import Any

from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.core.keys.record_keys import RecordKeyError  # noqa: E402
from vexo.core.records import UnknownName  # noqa: E402
from vexo.server.planning.context import PlanContext  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402

HEADER = "holder_no,first_name,last_name,email,phone"


class Unmatched(LaneCase):
    def setUp(self) -> None:
        super().setUp()
        register().behave(keys=False)

    def made(self, number: str, **values: str) -> None:
        with register().client() as client:
            client.post("Holders", json={"holder_no": f"{self.begin}{number}", **values}).raise_for_status()

    def trip_of_rows(self, *rows: tuple[str, ...], **more: Any) -> Trip:
        return self.trip(self.sheet(*rows, header=HEADER), "create-unmatched", **{"key": (), **more})

    def test_each_row_makes_a_record_and_the_same_sheet_again_makes_none(self) -> None:
        rows = (("01", "Una", f"Aster{self.begin}", "", ""), ("02", "Bo", f"Birch{self.begin}", "", ""))
        trip = self.trip_of_rows(*rows)
        self.assertEqual((self.verdicts(trip), self.codes(trip)), (["create", "create"], [[], []]))
        self.assertEqual(self.apply(trip).totals["created"], 2)
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same", "same"])
        self.again(trip, self.sheet(*rows, ("03", "Cy", f"Cedar{self.begin}", "", ""), header=HEADER))
        self.assertEqual(self.verdicts(trip), ["same", "same", "create"])
        edited = (("01", "Una", f"Aster{self.begin}", "", "55501234567"), rows[1])
        self.again(trip, self.sheet(*edited, header=HEADER))
        self.assertEqual(self.verdicts(trip)[1], "same")
        self.assertEqual(self.codes(trip)[0], ["like-record", "may-be-in"], "nothing tells that it was made")
        self.assertEqual(len(self.holders(self.begin)), 2)

    def test_a_row_that_is_like_a_record_asks_which_it_is(self) -> None:
        name, mail, phone = f"Wren{self.begin}", f"w{self.begin}@example.org", f"+49 555 {self.begin}77"
        self.made("90", first_name="Ines", last_name=name, email=mail, phone=phone)
        for at, row in enumerate(
            (
                ("Ines", name, "", ""),
                (name.upper(), "\u00cdnes", "", ""),
                ("Ine", name, "", ""),
                ("Oda", f"Other{self.begin}", mail.upper(), ""),
                ("Oda", f"Other{self.begin}", "", f"0555{self.begin}77"),
            )
        ):
            with self.subTest(row):
                trip = self.trip_of_rows((f"1{at}", *row))
                self.assertEqual((self.verdicts(trip), self.codes(trip)), (["held"], [["like-record"]]))
        told = self.vexo.run("--as", "ada", "open", str(trip.pk))
        self.assertIn("is it that one, or a new one?", told.stderr)
        self.decide(trip, "new", [0])
        self.assertEqual(self.verdicts(trip), ["create"])
        other = self.trip_of_rows(("30", "Ines", name, "", "55588"))
        [record] = [h["id"] for h in self.holders(self.begin) if h["last_name"] == name]
        self.decide(other, "record", [0], argument=str(record))
        self.assertEqual(self.verdicts(other), ["update"])
        self.assertEqual(self.apply(other).totals["updated"], 1)
        self.assertEqual([h["phone"] for h in self.holders(self.begin)], ["55588"])

    def test_names_that_differ_in_more_are_not_like(self) -> None:
        self.made("90", first_name="Ines", last_name=f"Wren{self.begin}")
        trip = self.trip_of_rows(("01", "Ida", f"Wren{self.begin}", "", ""), ("02", "", f"W{self.begin}", "", "12"))
        self.assertEqual(self.codes(trip), [[], []])

    def test_rows_that_are_alike_are_asked_but_the_first(self) -> None:
        name, mail = f"Teal{self.begin}", f"t{self.begin}@example.org"
        rows = (("01", "Ann", name, mail, ""), ("02", name, "ann", "", ""), ("03", "Bea", "B", mail, ""))
        trip = self.trip_of_rows(*rows)
        self.assertEqual(self.codes(trip), [[], ["like-row"], ["like-row"]])
        self.decide(trip, "new", [1])
        self.decide(trip, "aside", [2])
        self.assertEqual(self.verdicts(trip), ["create", "create", "aside"])
        done = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes", "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(json.loads(done.stdout)["outcome"]["created"], 2)

    def test_where_a_key_is_carried_it_has_to_be_used(self) -> None:
        register().behave()
        trip = self.trip_of_rows(("01", "Ann", "A", "", ""))
        with self.assertRaisesRegex(RecordKeyError, "matched by Holder no."):
            PlanContext.of_now(PartView.of(trip))
        done = self.vexo.run(
            "--as", "ada", "bring-in", "harbour-practice", "Holder",
            str(self.text(self.sheet(("01", "Ann", "A", "", ""), header=HEADER))),
            "--trip", "new", "--operation", "create-unmatched",
        )  # fmt: skip
        self.assertEqual(done.returncode, 2)
        self.assertIn("matched by Holder no.", done.stderr)

    def test_what_is_refused_is_not_kept(self) -> None:
        register().behave()
        trip = self.trip(self.sheet(("01", "Ann", "A", "", ""), header=HEADER), "upsert")
        for said in ({"operation": "create-unmatched"}, {"key": ["joined_on"]}, {"key": ["no such field"]}):
            with self.subTest(said):
                with self.assertRaises((RecordKeyError, UnknownName)):
                    self.change(trip, **said)
                trip.refresh_from_db()
                self.assertEqual((trip.operation, trip.key), ("upsert", ["holder_no"]))
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["create"])

    def test_a_lost_answer_leaves_the_row_unclear_and_nothing_is_sent_twice(self) -> None:
        trip = self.trip_of_rows(("01", "Una", f"Aster{self.begin}", "", ""))
        register().behave(keys=False, repeatable="no")
        register().trouble("dropping", 1)
        done = self.apply(trip)
        if done.state == "interrupted":
            done = self.go_on(trip)
        self.assertEqual((done.totals["unclear"], len(self.holders(self.begin))), (1, 1))
        self.plan(trip)
        self.assertEqual(self.codes(trip), [["unclear"]])
