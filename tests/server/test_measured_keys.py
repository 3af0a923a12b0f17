"""Keys measured before one is chosen, and what becomes of rows by keys that the application does not promise."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.core.keys.record_keys import RecordKeyError  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.planning.key_rows import rows_that_find, write_rows_that_find  # noqa: E402
from vexo.server.planning.measured_keys import measured_keys, start_measuring  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class Measured(LaneCase):
    HEADER = "holder_no,last_name,first_name"

    def measured(self, trip: Trip, *keys: list[str]) -> dict[tuple[str, ...], dict[str, Any]]:
        job = run_inline(start_measuring(PartView.of(trip), self.person, keys, run_here=True))
        self.assertEqual(job.error, "")
        told = to_json(measured_keys(PartView.of(trip)))
        self.assertTrue(told["current"])
        return {tuple(one["fields"]): one for one in told["candidates"]}

    def given(self, number: str) -> str:
        return f"Ada {self.begin}{number}"

    def office(self) -> None:
        """Three holders with a first name each, two of them with one name."""
        self.make(("01", "Reed"), ("02", "Reed"), ("03", "Gull"))
        for number in ("01", "02", "03"):
            self.theirs(number, first_name=self.given(number))

    def test_each_candidate_is_measured_before_a_key_is_chosen(self) -> None:
        self.office()
        name = f"Nobody{self.begin}"
        rows = [("Reed", self.given("01")), ("Reed", self.given("02")), ("Gull", self.given("03")), (name, "")]
        trip = self.bring("last_name,first_name\n" + "\n".join(map(",".join, rows)), record_type="Holder", key=[])
        self.assertIsNone(self.newest(trip) if trip.plans.exists() else None)
        found = self.measured(trip, ["last_name", "first_name"])
        name, both = found["first_name",], found["last_name", "first_name"]
        self.assertEqual(name["rows"], {"one": 3, "none": 0, "several": 0, "blank": 1, "shared": 0})
        self.assertEqual((name["different"], name["recommended"], name["declared"]), (3, True, False))
        self.assertIn("3 of 4 rows find one record", name["why"])
        self.assertIn("does not promise", name["weaker"])
        self.assertEqual(both["rows"]["one"], 3)
        names = found["last_name",]
        self.assertGreaterEqual(names["rows"]["several"], 2)
        self.assertIn("find several records", names["weaker"])
        window = rows_that_find(PartView.of(trip), ["first_name"], "blank", (0, 10))
        self.assertEqual((window.total, [row.row for row in window.rows]), (1, [5]))
        target = self.text("", "behind.csv")
        write_rows_that_find(PartView.of(trip), ["first_name"], "one", target)
        listed = list(csv.reader(io.StringIO(target.read_text(encoding="utf-8-sig"))))
        self.assertEqual([line[-1] for line in listed], ["Row", "2", "3", "4"])

    def test_it_no_longer_counts_when_what_it_rests_on_has_changed(self) -> None:
        self.office()
        trip = self.bring(f"last_name,first_name\nReed,{self.given('01')}\n", record_type="Holder", key=[])
        self.measured(trip)
        self.change(trip, columns={"last_name": ""}, key=["first_name"])
        self.assertFalse(measured_keys(PartView.of(trip)).current)
        with self.assertRaises(PlainError) as caught:
            rows_that_find(PartView.of(trip), ["first_name"], "one", (0, 10))
        self.assertEqual(caught.exception.code, "measure")
        self.assertNotIn(("last_name",), self.measured(trip))

    def test_page_and_command_say_the_same(self) -> None:
        self.office()
        trip = self.bring(f"last_name,first_name\nReed,{self.given('01')}\n", record_type="Holder", key=[])
        told = self.vexo.json("--as", "ada", "keys", str(trip.pk))
        self.assertEqual(
            {"trip": trip.pk} | json.loads(json.dumps(to_json(measured_keys(PartView.of(trip))), default=str)), told
        )
        words = self.vexo.run("--as", "ada", "keys", str(trip.pk))
        self.assertEqual((words.returncode, "Recommended" in words.stdout), (0, True), words.stderr)
        rows = self.vexo.json("--as", "ada", "keys", str(trip.pk), "--key", "first_name", "--rows", "one")
        self.assertEqual((rows["count"], rows["rows"][0]["row"]), (1, 2))
        self.assertIn(
            "no field 'first_nam'", self.vexo.fails("--as", "ada", "keys", str(trip.pk), "--key", "first_nam")
        )

    def test_a_field_that_the_application_does_not_promise_finds_records_and_several_are_a_question(self) -> None:
        self.office()
        lines = [f"{self.given('01')},1", f"{self.given('02')},2"]
        trip = self.bring("first_name,phone\n" + "\n".join(lines), record_type="Holder", key=["first_name"])
        self.assertEqual(self.verdicts(trip), ["update", "update"])
        self.assertEqual(self.apply(trip).totals["updated"], 2)
        self.assertEqual([self.of(number)["phone"] for number in ("01", "02")], ["1", "2"])
        self.theirs("03", first_name=self.given("01"))
        again = self.bring(f"first_name,phone\n{self.given('01')},9\n", record_type="Holder", key=["first_name"])
        self.assertEqual(self.codes(again), [["several"]])
        third = str(self.of("03")["id"])
        [answer] = [one for one in self.listed_answers(again) if one["argument"] == third]
        self.assertIn(f"{self.begin}03 (record ID {third})", answer["says"])
        self.decide(again, "record", [0], argument=third)
        self.assertEqual(self.apply(again).totals["updated"], 1)
        self.assertEqual([self.of(number)["phone"] for number in ("01", "03")], ["1", "9"])
        gone = self.bring(
            f"first_name\n{self.given('01')}\n", record_type="Holder", key=["first_name"], operation="delete"
        )
        self.assertEqual(self.codes(gone), [["finds-several"]])

    def listed_answers(self, trip: Trip) -> list[dict[str, Any]]:
        told = self.vexo.run("--as", "ada", "review", str(trip.pk), "--json")
        [row] = json.loads(told.stdout)["lines"]
        return list(row["faults"][0]["answers"])

    def test_a_record_made_meanwhile_by_such_a_key_is_not_made_twice(self) -> None:
        names = [self.given(number) for number in ("07", "08")]
        lines = [f"{self.begin}0{at},New,{name}" for at, name in zip("78", names, strict=True)]
        trip = self.bring(
            self.HEADER + "\n" + "\n".join(lines), record_type="Holder", key=["first_name"], operation="upsert"
        )
        self.assertEqual(self.verdicts(trip), ["create", "create"])
        with register().client() as client:
            body = {"holder_no": f"{self.begin}99", "last_name": "Theirs", "first_name": names[0]}
            client.post("Holders", json=body).raise_for_status()
        one = self.apply(trip)
        self.assertEqual((one.totals["created"], one.totals["refused"]), (1, 1))
        self.assertEqual([reason["code"] for reason in one.reasons], ["made-meanwhile"])
        self.plan(trip)
        self.assertEqual(self.verdicts(trip)[0], "update", "it is theirs now, and is reviewed as such")

    def test_capitals_that_make_no_difference_find_the_record_in_a_type_of_any_size(self) -> None:
        self.office()
        lines = [f"{self.given('01').upper()},1", f"{self.given('09').upper()},2"]
        content = "first_name,phone\n" + "\n".join(lines)
        exact = self.bring(content, record_type="Holder", key=["first_name"])
        self.assertEqual(self.verdicts(exact), ["rejected", "rejected"])
        trip = self.bring(content, record_type="Holder", key=["first_name"], ignores=["capitals"])
        self.assertEqual((self.verdicts(trip), self.codes(trip)[0]), (["update", "rejected"], []))
        self.change(exact, ignores=["capitals"])
        self.assertEqual(self.verdicts(exact), ["update", "rejected"])
        self.change(exact, ignores=[])
        self.assertEqual(self.verdicts(exact), ["rejected", "rejected"])
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.assertEqual([self.of("01")[name] for name in ("phone", "first_name")], ["1", self.given("01")])
        with self.assertRaises(RecordKeyError):
            self.change(trip, ignores=["spaces"])
