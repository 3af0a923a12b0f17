"""Blank cells through to the records: left, cleared by an answer or a rule, a default, only where empty."""

from __future__ import annotations

from typing import Any

from tests.server.holder_sheets import HolderSheets
from tests.server.services import ServiceCase
from tests.support import register, template

template()

from vexo.core.columns.lanes import Blank, Lane, LaneError  # noqa: E402
from vexo.core.sheets import Choices  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.mapping.columns import Changes, change  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402

FEWER = {"field-emptied": {"limits": {"share": "50"}}}


class ForeignSheets(HolderSheets):
    def rule(self, trip: Any, **lanes: Lane) -> None:
        job = run_inline(change(PartView.of(trip), self.person, Changes(lanes=lanes), run_here=True))
        self.assertEqual(job.error, "")
        trip.refresh_from_db()

    def phones(self) -> dict[str, Any]:
        return {h["holder_no"][-2:]: h["phone"] for h in self.holders(self.begin)}

    def filled(self, *numbers: str) -> None:
        with register().client() as client:
            for number in numbers:
                body = {"holder_no": f"{self.begin}{number}", "last_name": "x", "phone": f"+44 20 7946 00{number}"}
                client.post("Holders", json=body).raise_for_status()

    def test_a_rule_clears_after_it_was_looked_at(self) -> None:
        self.filled("01", "02")
        trip = self.trip(self.sheet(("01", "y", ""), ("02", "y", "")))
        self.rule(trip, phone=Lane(Blank.CLEAR))
        self.assertEqual(self.codes(trip), [["emptied-many"], ["emptied-many"]])
        self.decide(trip, "file", [0])
        self.decide(trip, "application", [1])
        self.apply(trip)
        self.assertEqual(self.phones(), {"01": None, "02": "+44 20 7946 0002"})
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same", "same"])

    def test_the_limit_is_the_application_s(self) -> None:
        self.filled("01", "02")
        trip = self.trip(self.sheet(("01", "x", ""), ("02", "x", "1")))
        self.rule(trip, phone=Lane(Blank.CLEAR))
        self.assertEqual(self.verdicts(trip), ["held", "update"])
        type(self.practice).objects.filter(pk=self.practice.pk).update(guards=FEWER)
        self.addCleanup(type(self.practice).objects.filter(pk=self.practice.pk).update, guards={})
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["update", "update"])

    def test_a_default_goes_into_new_records_and_with_its_tick_into_all(self) -> None:
        self.filled("01")
        trip = self.trip(self.sheet(("01", "x", " "), ("02", "z", "")), operation="upsert")
        self.rule(trip, phone=Lane(Blank.DEFAULT, "+44 20 7946 0999"))
        self.assertEqual(self.verdicts(trip), ["same", "create"])
        self.apply(trip)
        self.assertEqual(self.phones(), {"01": "+44 20 7946 0001", "02": "+44 20 7946 0999"})
        self.rule(trip, phone=Lane(Blank.DEFAULT, "+44 20 7946 0998", updates=True))
        self.apply(trip)
        self.assertEqual(set(self.phones().values()), {"+44 20 7946 0998"})

    def test_only_what_is_empty_is_filled_also_after_a_newer_version_of_the_sheet(self) -> None:
        self.filled("01")
        self.make(("02", "x"))
        content = self.sheet(("01", "x", "5"), ("02", "x", "6"))
        trip = self.trip(content)
        self.rule(trip, phone=Lane(only_empty=True))
        self.assertEqual(self.verdicts(trip), ["same", "update"])
        column = next(c for c in self.newest(trip).summary["columns"] if c["field"] == "phone")
        self.assertEqual((column["changed"], column["filled_before"]), (1, 1))
        self.again(trip, content.replace(",5", ",7"))
        self.assertEqual(self.verdicts(trip), ["same", "update"])
        self.theirs("02", phone="their own")
        self.apply(trip)
        self.assertEqual(self.phones(), {"01": "+44 20 7946 0001", "02": "their own"})

    def test_where_only_what_is_empty_is_filled_a_mark_counts_only_there(self) -> None:
        self.filled("01")
        self.make(("02", "x"))
        trip = self.trip(self.sheet(("01", "x", "[clear]"), ("02", "x", "[[5")), choices=Choices(marks=True))
        self.assertEqual(self.verdicts(trip), ["update", "update"])
        self.rule(trip, phone=Lane(only_empty=True))
        self.assertEqual(self.verdicts(trip), ["same", "update"])
        self.apply(trip)
        self.assertEqual(self.phones(), {"01": "+44 20 7946 0001", "02": "[5"})

    def test_what_cannot_be_is_refused_and_changes_nothing(self) -> None:
        trip = self.trip(self.sheet(("01", "x", "")), operation="upsert")
        revision = trip.revision
        for lanes in ({"joined_on": Lane(Blank.DEFAULT, "soon")}, {"phone": Lane(Blank.DEFAULT, " ")}):
            with self.assertRaises(LaneError):
                change(PartView.of(trip), self.person, Changes(lanes=lanes), run_here=True)
        trip.refresh_from_db()
        self.assertEqual((trip.revision, trip.lanes), (revision, {}))

    def test_the_command_line_says_the_same(self) -> None:
        self.filled("01")
        trip = self.trip(self.sheet(("01", "x", "5")))

        at = ("--as", "ada", "columns", str(trip.pk))
        told = self.vexo.json(*at, "--only-if-empty", "*")
        self.assertEqual(told["verdicts"]["same"], 1)
        trip.refresh_from_db()
        self.assertEqual(trip.lanes["phone"], {"only_empty": True})
        self.vexo.json(*at, "--always", "phone", "--default", "phone=1", "--default-updates", "phone")
        trip.refresh_from_db()
        self.assertEqual(trip.lanes["phone"], {"blank": "default", "default": "1", "updates": True})
        self.assertIn("leave or clear", self.vexo.fails(*at, "--blank", "phone=never"))


class OurOwnSheets(ServiceCase):
    """2.1: cells that went out filled and came home blank."""

    def emptied(self) -> Trip:
        trip, path = self.out("J", "daily_rate", "notes")
        changed = self.edited(path, lambda sheet: [setattr(sheet.cell(row, 4), "value", None) for row in (2, 3, 4)])
        self.assertEqual(self.back(changed).error, "")
        trip.refresh_from_db()
        return trip

    def test_they_are_left_until_someone_clears_them(self) -> None:
        trip = self.emptied()
        self.assertEqual(set(self.verdicts(trip)), {"same"})
        column = next(c for c in self.newest(trip).summary["columns"] if c["field"] == "daily_rate")
        self.assertEqual(column["emptied"], 3)
        self.decide(trip, "clear", code="emptied", field="daily_rate")
        self.assertEqual(self.terms(trip)["update"], 3)
        decision = trip.decisions.last()
        self.assertEqual((decision.count, decision.answer), (3, "clear"))
        rows = self.table(trip).filter(self.table(trip)["verdict"] == "update")["@id"].to_list()
        self.apply(trip)
        read = [register().get(f"Berths({number})")["daily_rate"] for number in rows]
        self.assertEqual(read, [None, None, None])
