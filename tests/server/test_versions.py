"""What was reviewed and what the record is when it goes: checks, records without versions, rows refused before."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from tests.server.holder_sheets import HolderSheets
from tests.support import register, template

template()

from vexo.core.columns.lanes import Lane  # noqa: E402

PROMISES: tuple[dict[str, Any], ...] = (
    {},
    {"versions": False},
    {"unversioned": ["Holder"]},
    {"unversioned": ["odd"]},
)
"""Versions everywhere, nowhere, not on holders beside types that have them, and promised yet not on every record."""
WITH_AND_WITHOUT = PROMISES[:2]


class Reviewed(HolderSheets):
    @contextmanager
    def promised(self, **promise: Any) -> Iterator[None]:
        """Two holders of an application that keeps versions in this way."""
        with self.subTest(**promise):
            register().behave(**{"versions": True, "unversioned": [], **promise})
            self.number_anew()
            self.make(("01", "Reed"), ("02", "Gull"))
            yield

    def check(self, trip: Any, **lanes: Any) -> None:
        from vexo.server.jobs.worker import run_inline
        from vexo.server.mapping.columns import Changes, change
        from vexo.server.trips.part_view import PartView

        job = run_inline(change(PartView.of(trip), self.person, Changes(lanes=lanes), run_here=True))
        self.assertEqual(job.error, "")
        trip.refresh_from_db()

    def reasons(self, trip: Any) -> list[str]:
        return [reason["code"] for reason in self.last_pass(trip).reasons]


class WithoutVersions(Reviewed):
    def test_a_colleagues_change_is_neither_overwritten_nor_deleted(self) -> None:
        for promise in PROMISES:
            with self.promised(**promise):
                trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
                self.assertEqual(self.newest(trip).summary["weak"], bool(promise))
                self.theirs("01", last_name="Theirs")
                self.assertEqual(self.apply(trip).totals["refused"], 1)
                self.assertEqual([self.of(n)["last_name"] for n in ("01", "02")], ["Theirs", "Mine"])
                gone = self.trip(self.sheet(("01",), ("02",), header="holder_no"), "delete")
                self.theirs("02", phone="555")
                self.assertEqual(self.apply(gone).totals["refused"], 1)
                self.assertEqual([h["phone"] for h in self.holders(self.begin)], ["555"])

    def test_all_or_nothing_is_nothing_where_one_was_changed(self) -> None:
        for promise in WITH_AND_WITHOUT:
            with self.promised(**promise):
                trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
                self.theirs("01", last_name="Theirs")
                self.assertEqual(self.apply(trip, atomic=True).totals["refused"], 2)
                self.assertEqual([self.of(n)["last_name"] for n in ("01", "02")], ["Theirs", "Gull"])

    def berths(self, letter: str) -> tuple[Any, Any]:
        """A sheet of a letter's berths that went out, to be deleted, its first row changed by a colleague in a field
        that the sheet has and its second in one that only the kept copy still has."""
        trip, path = self.out(letter, "daily_rate", "depth_m")
        first, second = (register().berth("TERNISLAND", f"{letter}-00{n}")["id"] for n in (1, 2))
        register().change(f"Berths({first})", daily_rate=99.5)
        register().change(f"Berths({second})", depth_m=9.25)
        return trip, self.edited(path, lambda sheet: sheet.delete_cols(5))

    def test_a_record_changed_since_its_sheet_went_out_is_held_under_delete(self) -> None:
        promises = ({}, {"versions": False}, {"unversioned": ["Berth"]})
        for letter, promise in zip("ABC", promises, strict=True):
            with self.promised(**promise):
                trip, path = self.berths(letter)
                self.back(path, operation="delete")
                codes, verdicts = self.codes(trip), self.verdicts(trip)
                self.assertEqual((codes[:2], verdicts[:2]), ([["changed-since"]] * 2, ["held"] * 2))
                self.assertEqual(set(verdicts[2:]), {"delete"})
                self.decide(trip, "file", [0, 1])
                self.assertEqual(set(self.verdicts(trip)), {"delete"})
                changed = register().berth("TERNISLAND", f"{letter}-001")["id"]
                register().change(f"Berths({changed})", daily_rate=98.5)
                self.plan(trip)
                self.assertEqual(self.verdicts(trip)[:2], ["held", "delete"], "the answer was about what was seen then")

    def test_what_a_pass_of_the_trip_wrote_is_no_change_under_delete(self) -> None:
        from vexo.server.trips.models import Trip

        promises = ({}, {"versions": False})
        for letter, promise in zip("DE", promises, strict=True):
            with self.promised(**promise):
                trip, path = self.out(letter, "notes", "depth_m")

                def edit(sheet: Any) -> None:
                    sheet.delete_cols(5)
                    for row in (2, 3):
                        sheet.cell(row, 4).value = "to be taken down"

                self.back(self.edited(path, edit))
                self.assertEqual(self.apply(trip).totals["updated"], 2)
                second = register().berth("TERNISLAND", f"{letter}-002")["id"]
                register().change(f"Berths({second})", depth_m=9.5)
                Trip.objects.filter(pk=trip.pk).update(operation="delete")
                self.plan(trip)
                self.assertEqual(self.codes(trip)[:3], [[], ["changed-since"], []])


class Checked(Reviewed):
    def test_a_checked_field_that_changed_after_the_review_refuses_its_row(self) -> None:
        for promise in PROMISES:
            with self.promised(**promise):
                trip = self.trip(self.sheet(("01", "Reed", "1"), ("02", "Gull", "2")))
                self.check(trip, last_name=Lane(check=True))
                self.assertEqual(self.verdicts(trip), ["update", "update"])
                self.theirs("01", last_name="Heron")
                self.theirs("02", email=f"h{self.begin}02@example.org")
                one = self.apply(trip)
                self.assertEqual((one.totals["updated"], one.totals["refused"]), (1, 1))
                self.assertEqual(self.reasons(trip), ["changed-meanwhile"])
                self.assertEqual([self.of(n)["phone"] for n in ("01", "02")], [None, "2"])
                self.plan(trip)
                self.assertEqual(self.codes(trip), [["check-differs"], []])

    def test_a_check_that_differs_and_goes_on_is_still_looked_at(self) -> None:
        for promise in WITH_AND_WITHOUT:
            with self.promised(**promise):
                trip = self.trip(self.sheet(("01", "Heron", "1"), ("02", "Heron", "2")))
                self.check(trip, last_name=Lane(check=True))
                self.decide(trip, "go on", [0, 1])
                self.theirs("01", last_name="Heron")
                self.assertEqual(self.apply(trip).totals["refused"], 1)
                self.assertEqual([self.of(n)["phone"] for n in ("01", "02")], [None, "2"])

    def test_a_check_in_a_blank_cell_rests_on_nothing(self) -> None:
        for promise in WITH_AND_WITHOUT:
            with self.promised(**promise):
                trip = self.trip(self.sheet(("01", "", "1"), ("02", "Gull", "2")))
                self.check(trip, last_name=Lane(check=True))
                self.theirs("01", last_name="Heron")
                self.assertEqual(self.apply(trip).totals["updated"], 2)


class Refused(Reviewed):
    def test_a_refused_row_of_a_foreign_sheet_is_held_by_what_was_reviewed(self) -> None:
        for promise in WITH_AND_WITHOUT:
            with self.promised(**promise):
                trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
                self.theirs("01", last_name="Theirs")
                self.assertEqual(self.apply(trip).totals["refused"], 1)
                for _again in range(2):
                    self.plan(trip)
                    self.assertEqual((self.verdicts(trip), self.codes(trip)[0]), (["held", "same"], ["both-changed"]))
                line = self.table(trip).row(0, named=True)
                seen = [line[f"{what}.last_name"] for what in ("base_app", "proposed", "current")]
                self.assertEqual(seen, ["Reed", "Mine", "Theirs"])
                self.decide(trip, "application", [0])
                self.assertEqual(self.apply(trip).totals["updated"], 1)
                self.assertEqual([self.of("01")[name] for name in ("last_name", "phone")], ["Theirs", "1"])

    def test_its_answer_writes_the_sheets_value_and_a_newer_sheet_is_asked_too(self) -> None:
        trip = self.trip(self.sheet(("01", "Mine", "1"), header="holder_no,last_name,phone"))
        self.make(("01", "Reed"))
        self.plan(trip)
        self.theirs("01", last_name="Theirs")
        self.assertEqual(self.apply(trip).totals["refused"], 1)
        self.again(trip, self.sheet(("01", "Mine again", "1")))
        self.assertEqual(self.codes(trip), [["both-changed"]])
        self.decide(trip, "file", [0])
        self.assertEqual(self.apply(trip).totals["updated"], 1)
        self.assertEqual(self.of("01")["last_name"], "Mine again")
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["same"])

    def test_blank_cells_of_a_refused_row_are_still_no_edits(self) -> None:
        self.make(("01", "Reed"))
        self.theirs("01", phone="555")
        trip = self.trip(self.sheet(("01", "Mine", "")))
        self.theirs("01", last_name="Theirs")
        self.apply(trip)
        self.plan(trip)
        self.assertEqual(self.codes(trip), [["both-changed"]])
        self.decide(trip, "file", [0])
        self.apply(trip)
        self.assertEqual([self.of("01")[name] for name in ("last_name", "phone")], ["Mine", "555"])

    def test_a_record_put_back_to_what_went_out_is_not_as_it_was_reviewed(self) -> None:
        trip, path = self.out("F", "notes")
        record = register().berth("TERNISLAND", "F-001")["id"]
        register().change(f"Berths({record})", notes="theirs")

        def edit(sheet: Any) -> None:
            sheet.cell(2, 4).value = "mine"

        before = self.edited(path, lambda sheet: None)
        self.back(self.edited(before, edit))
        self.decide(trip, "file", [0])
        register().change(f"Berths({record})", notes=None)
        self.assertEqual(self.apply(trip).totals["refused"], 1)
        self.plan(trip)
        self.assertEqual(self.codes(trip)[0], ["both-changed"])

    def test_a_delete_refused_for_a_change_is_held_when_it_is_planned_again(self) -> None:
        for promise in WITH_AND_WITHOUT:
            with self.promised(**promise):
                trip = self.trip(self.sheet(("01", "Reed", ""), ("02", "Gull", "")), "delete")
                self.theirs("01", last_name="Theirs")
                self.assertEqual(self.apply(trip).totals["refused"], 1)
                self.plan(trip)
                self.assertEqual(self.codes(trip)[0], ["changed-since"])
                self.decide(trip, "file", [0])
                self.assertEqual(self.apply(trip).totals["deleted"], 1)
                self.assertEqual(self.holders(self.begin), [])

    def test_rows_refused_for_other_reasons_are_planned_as_before(self) -> None:
        self.make(("01", "Reed"), ("02", "Gull"))
        register().behave(rows=422)
        trip = self.trip(self.sheet(("01", "Mine", "1"), ("02", "Mine", "2")))
        self.assertEqual(self.apply(trip).totals["refused"], 1)
        register().behave()
        refused = next(n for n in ("01", "02") if self.of(n)["last_name"] != "Mine")
        self.theirs(refused, phone="555")
        self.plan(trip)
        self.assertEqual(sorted(self.verdicts(trip)), ["same", "update"])
