"""What a plan does as a whole is asked once where it is more than people usually mean; nothing is sent before."""

from __future__ import annotations

import json
from typing import Any

from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.core.guards import USUAL, GuardName, GuardSettings  # noqa: E402
from vexo.core.operations import Operation  # noqa: E402
from vexo.core.planning.guards import Extent, FieldChanges, GuardCode, raised  # noqa: E402
from vexo.core.sheets import Choices  # noqa: E402
from vexo.server.decisions.decisions import Scope, decide, undo  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.trips.facts import to_json  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402
from vexo.server.trips.trip_pages import trip_detail  # noqa: E402


class Guarded(LaneCase):
    KEY = ("season", "length_band", "harbour")

    def lines(self, operation: str, rows: int, **values: str) -> Trip:
        """So many of the register's 180 tariff lines, with these values."""
        found = register().get("TariffLines", **{"$top": str(rows), "$orderby": "id"})["value"]
        lines = [",".join([*[str(one[name]) for name in self.KEY], *values.values()]) for one in found]
        content = "\n".join([",".join([*self.KEY, *values]), *lines])
        return self.bring(content, record_type="TariffLine", operation=operation, key=list(self.KEY))

    def guards(self, trip: Trip) -> list[tuple[str, int]]:
        """What is asked about the whole plan, once page and command are seen to say the same."""
        trip.refresh_from_db()
        items = to_json(trip_detail(PartView.of(trip), self.person).open)
        told = self.vexo.run("--as", "ada", "open", str(trip.pk), "--json")
        self.assertEqual(json.loads(told.stdout)["open"], items)
        asked = [item for item in items if item["code"] in list(GuardCode)]
        self.assertTrue(all(item["stops"] and item["answers"] for item in asked))
        return [(item["code"], item["count"]) for item in asked]

    def said(self, trip: Trip) -> list[tuple[str, int, str]]:
        """What is only said, once command and page are seen to say the same."""
        trip.refresh_from_db()
        items = to_json(trip_detail(PartView.of(trip), self.person).said)
        told = self.vexo.run("--as", "ada", "open", str(trip.pk), "--json")
        self.assertEqual(json.loads(told.stdout)["said"], items)
        self.assertFalse(any(item["stops"] or item["answers"] for item in items))
        words = self.vexo.run("--as", "ada", "review", str(trip.pk)).stderr
        self.assertTrue(all(f"- {item['says']}" in words for item in items), words)
        return [(item["code"], item["count"], item["field"]) for item in items]

    def answer(self, trip: Trip, code: str, field: str = "") -> Any:
        scope = Scope((), code, field)
        made, job = decide(PartView.of(trip), self.person, self.newest(trip).number, scope, "go on", run_here=True)
        self.assertEqual(run_inline(job).error, "")
        trip.refresh_from_db()
        return made

    def test_many_deletions_are_asked_and_nothing_goes_before_the_answer(self) -> None:
        trip = self.lines("delete", 8)
        size = self.newest(trip).counts["type"]
        wanted = [("many-deletes", 8)] if 0.01 * size < 8 else []
        self.assertEqual(self.guards(trip), wanted)
        self.assertTrue(wanted, f"a type of {size} is small enough")
        before = register().effects()
        with self.assertRaises(PlainError) as caught:
            self.start(trip)
        self.assertIn("8 of 180 (4%) records of this type would be deleted", str(caught.exception))
        done = self.vexo.run("--as", "ada", "apply", str(trip.pk), "--yes", "--delete", "8")
        self.assertIn(done.returncode, (1, 2))
        self.assertEqual(register().effects(), before)
        made = self.answer(trip, "many-deletes")
        self.assertEqual((made.count, self.guards(trip)), (8, []))
        run_inline(undo(PartView.of(trip), self.person, made.pk, run_here=True))
        self.assertEqual(self.guards(trip), [("many-deletes", 8)])
        told = self.vexo.run("--as", "ada", "decide", str(trip.pk), "go on", "--code", "many-deletes")
        self.assertEqual((told.returncode, self.guards(trip)), (0, []), told.stderr)
        with self.assertRaises(PlainError):
            self.answer(trip, "many-changes")

    def test_most_of_a_tariff_set_to_one_amount_is_asked_about(self) -> None:
        trip = self.lines("update", 120, amount="99999.99")
        held = {code for row in self.codes(trip) for code in row}
        self.assertEqual(held, {"lost-point", "far-out"}, "some were about 100, and all are far out")
        for code in held:
            self.decide(trip, "file", code=code)
        self.assertEqual(self.guards(trip), [("many-changes", 120)])
        self.assertEqual(self.said(trip), [("warning", 120, ""), ("all-alike", 120, "amount")])
        before = register().effects()
        with self.assertRaises(PlainError):
            self.start(trip)
        self.assertEqual(register().effects(), before)
        self.assertEqual(self.guards(self.lines("update", 36, amount="99999.99")), [])

    def test_a_field_emptied_in_many_is_asked_for_each_field(self) -> None:
        """By marks, by a fixed value, and where a person has answered for the rows not once more."""
        lines = "\n".join(f"{self.begin}{at},[clear],[clear]" for at in range(10, 22))
        with register().client() as client:
            for at in range(10, 22):
                body = {"holder_no": f"{self.begin}{at}", "last_name": "x", "first_name": "y", "phone": "01632 960001"}
                client.post("Holders", json=body).raise_for_status()
        trip = self.trip(f"holder_no,first_name,phone\n{lines}", choices=Choices(marks=True))
        self.assertEqual(self.guards(trip), [("field-emptied", 12), ("field-emptied", 12)])
        with self.assertRaisesRegex(PlainError, "Say which one: first_name, phone"):
            self.answer(trip, "field-emptied")
        self.answer(trip, "field-emptied", "phone")
        self.assertEqual(self.guards(trip), [("field-emptied", 12)])
        self.answer(trip, "field-emptied", "first_name")
        self.assertEqual(self.guards(trip), [])

    def test_an_answer_counts_until_the_number_rises(self) -> None:
        trip = self.lines("delete", 8)
        self.answer(trip, "many-deletes")
        self.decide(trip, "aside", [0])
        self.assertEqual(self.guards(trip), [])
        self.decide(trip, "again", [0])
        self.assertEqual(self.guards(trip), [])
        more = self.lines("delete", 9)
        self.assertEqual(self.guards(more), [("many-deletes", 9)], "another trip asks for itself")

    def test_mostly_new_is_asked_where_rows_may_be_either(self) -> None:
        lines = [f"{self.begin}{number},New" for number in range(10, 21)]
        content = "\n".join(["holder_no,last_name", *lines])
        self.assertEqual(self.guards(self.trip(content, "upsert")), [("mostly-new", 11)])
        self.assertEqual(self.guards(self.trip(content, "create")), [])


class Limits(LaneCase):
    def test_each_limit_and_what_is_just_below_it(self) -> None:
        for verdicts, operation, size, codes in (
            ({"update": 20}, "update", 99, ["many-changes"]),
            ({"update": 20}, "update", 100, []),
            ({"update": 19}, "update", 19, []),
            ({"delete": 5}, "delete", 499, ["many-deletes"]),
            ({"delete": 5}, "delete", 500, []),
            ({"delete": 4}, "delete", 4, []),
            ({"delete": 51}, "delete", 1_000_000, ["many-deletes"]),
            ({"delete": 50}, "delete", 1_000_000, []),
            ({"create": 10, "update": 9}, "upsert", 1000, ["mostly-new"]),
            ({"create": 10, "update": 10}, "upsert", 1000, []),
            ({"create": 9}, "upsert", 1000, []),
            ({"update": 300, "delete": 60}, "update", 1000, ["many-changes", "many-deletes"]),
        ):
            with self.subTest(verdicts, size=size):
                spoken = raised(Extent(verdicts, Operation(operation), size), USUAL)
                self.assertEqual([guard.code.value for guard in spoken], codes)
                for mode, asks in (("say", False), ("off", None)):
                    settings = GuardSettings.from_json({name: {"mode": mode} for name in GuardName})
                    spoken = raised(Extent(verdicts, Operation(operation), size), settings)
                    self.assertEqual([guard.asks for guard in spoken], [] if asks is None else [asks] * len(codes))

    def test_fields(self) -> None:
        for cleared, filled, alike, codes in (
            (10, 99, None, ["field-emptied"]),
            (10, 100, None, []),
            (9, 9, None, []),
            (0, 0, "99.00", ["all-alike"]),
            (12, 12, "99.00", ["field-emptied"]),
        ):
            fields = [FieldChanges("amount", 12, cleared, filled, alike)]
            spoken = raised(Extent({}, Operation.UPDATE, 1000, fields=fields), USUAL)
            self.assertEqual([guard.code.value for guard in spoken], codes)
        few = [FieldChanges("amount", 9, 0, 9, "99.00")]
        self.assertEqual(raised(Extent({}, Operation.UPDATE, 1000, fields=few), USUAL), [])

    def test_what_makes_the_same_deletes_is_always_asked(self) -> None:
        off = GuardSettings.from_json({name: {"mode": "off"} for name in GuardName})
        spoken = raised(Extent({}, Operation.MAKE_SAME, 1000, 1), off)
        self.assertEqual([(guard.code, guard.asks) for guard in spoken], [(GuardCode.MAKES_SAME, True)])
