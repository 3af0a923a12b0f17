"""A trip tried on practice is moved to live: the same sheet, edits and rules, matched anew; what differs is told, and
only what was seen alike is decided again."""

from __future__ import annotations

from typing import Any

from django.test import Client

from tests.server.services import view_of
from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.server.decisions.moved import decide_again, differing_rows, moved  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.ingest.move import move_trip  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402

KEY = ["harbour", "berth_no"]


class Moving(LaneCase):
    letter = iter("ABCDEFGHJK")

    def numbers(self, count: int) -> list[str]:
        letter = next(Moving.letter)
        return [f"{letter}-{at:03}" for at in range(1, count + 1)]

    def on_live(self, number: str, **values: Any) -> dict[str, Any]:
        berth = register().berth("TERNISLAND", number, "live")
        if values:
            register().change(f"Berths({berth['id']})", "live", **values)
        return berth

    def tried(self, *lines: tuple[str, str], header: str = "harbour,berth_no,notes") -> Trip:
        content = "\n".join([header, *[f"TERNISLAND,{number},{text}" for number, text in lines]])
        return self.bring(content, key=KEY)

    def move(self, trip: Trip) -> Trip:
        job = run_inline(move_trip(view_of(trip), self.person, self.live, run_here=True))
        self.assertEqual(job.error, "")
        return Trip.objects.get(pk=job.trip_id)

    def texts(self, trip: Trip) -> list[tuple[str, str | None]]:
        return [(row["verdict"], row["proposed.notes"]) for row in self.table(trip).iter_rows(named=True)]

    def test_edits_rows_left_out_lanes_and_rules_go_along(self) -> None:
        one, two, three = self.numbers(3)
        trip = self.tried((one, "first"), (two, "second"), (three, "third"))
        self.change(trip, lanes={"notes": {"treatments": [{"do": "case", "style": "upper"}]}}, operation="upsert")
        self.edit(trip, 1, "edited")
        trip.row_filter = {**trip.row_filter, "left_out": [2]}
        trip.expected = {"rows": "3"}
        trip.save()
        before = register().effects("live")
        there = self.move(trip)
        self.assertEqual(register().effects("live"), before)
        where = there.application.name, there.moved_from_id, there.operation
        self.assertEqual(where, ("harbour-live", trip.pk, "upsert"))
        self.assertEqual(there.expected, {"rows": "3"})
        self.assertEqual(self.texts(there)[:2], [("update", "FIRST"), ("update", "EDITED")])
        self.assertEqual(self.texts(there)[2][0], "aside")
        self.assertEqual(there.edits.count(), 1)
        self.assertEqual(trip.edits.count(), 1, "the trip that it comes from stays as it was")

    def edit(self, trip: Trip, row_id: int, text: str) -> None:
        from vexo.server.rows.edit_requests import EditRequest, make_edit

        column = self.column(trip, "notes")["column"]
        values = {"kind": "cell", "row_id": row_id, "column": column, "text": text}
        _, job = make_edit(view_of(trip), self.person, EditRequest.of(values))
        self.assertEqual(run_inline(job).error, "")
        trip.refresh_from_db()

    def test_what_differs_is_told_row_by_row_and_is_a_filter(self) -> None:
        one, two, three = self.numbers(3)
        trip = self.tried((one, "first"), (two, "second"), ("Z-901", "nowhere"))
        self.on_live(two, notes="other there")
        there = self.move(trip)
        told = moved(view_of(there))
        assert told is not None
        self.assertEqual((told.alike, told.differs, told.trip), (2, 1, trip.pk))
        ids = self.table(there)["row_id"].to_list()
        self.assertEqual(differing_rows(view_of(there)).to_list(), [ids[1]])
        client = Client()
        client.force_login(self.person)
        rows = client.get(f"/api/trips/{there.pk}/rows?moved=differs").json()
        self.assertEqual([row["row"] for row in rows["rows"]], [3])
        self.assertIsNone(client.get(f"/api/trips/{trip.pk}/moved").json()["moved"])
        self.assertEqual(client.get(f"/api/trips/{trip.pk}/rows?moved=differs").json()["total"], 0)
        self.assertIsNotNone(three)

    def test_only_decisions_of_which_the_same_is_seen_are_made_again(self) -> None:
        one, two, three = self.numbers(3)
        rates = {n: register().berth("TERNISLAND", n)["daily_rate"] for n in (one, two, three)}
        for number in (one, two, three):
            self.on_live(number, daily_rate=float(rates[number]), flat_season_rate=None)
        self.on_live(two, daily_rate=float(rates[two]) + 1)
        lines = [(n, str(round(float(rates[n]) / 10, 2))) for n in (one, two, three)]
        trip = self.tried(*lines, header="harbour,berth_no,daily_rate")
        self.assertEqual(self.verdicts(trip), ["held"] * 3)
        self.decide(trip, "file", [0, 1])
        self.decide(trip, "aside", [2])
        there = self.move(trip)
        told = moved(view_of(there))
        assert told is not None
        self.assertEqual([(offer.says, offer.count) for offer in told.offers], [("It is meant", 1), ("Set aside", 1)])
        number = self.newest(there).number
        self.assertEqual(run_inline(decide_again(view_of(there), self.person, number, run_here=True)).error, "")
        there.refresh_from_db()
        self.assertEqual(self.verdicts(there), ["update", "held", "aside"])
        with self.assertRaisesRegex(PlainError, "No decision"):
            decide_again(view_of(there), self.person, self.newest(there).number, run_here=True)

    def test_a_sheet_that_went_out_is_matched_by_keys_and_never_by_record_ids(self) -> None:
        letter = next(Moving.letter)
        trip, path = self.out(letter, "notes")

        def edit(sheet: Any) -> None:
            headers = [cell.value for cell in sheet[1]]
            sheet.cell(2, headers.index("Notes") + 1).value = "moved along"

        self.assertEqual(self.back(self.edited(path, edit), trip=str(trip.pk)).error, "")
        there = self.move(trip)
        self.assertEqual(self.newest(there).key, KEY)
        rows = [row for row in self.table(there).iter_rows(named=True) if row["verdict"] == "update"]
        self.assertEqual([row["proposed.notes"] for row in rows if row["row"] == 2], ["moved along"])

    def test_what_nobody_edited_and_would_be_written_there_is_counted(self) -> None:
        letter = next(Moving.letter)
        trip, path = self.out(letter, "notes", "daily_rate")

        def edit(sheet: Any) -> None:
            headers = [cell.value for cell in sheet[1]]
            sheet.cell(2, headers.index("Notes") + 1).value = "moved along"

        self.assertEqual(self.back(self.edited(path, edit), trip=str(trip.pk)).error, "")
        number = self.table(trip).row(1, named=True)["proposed.berth_no"]
        self.on_live(number, daily_rate=61, flat_season_rate=None)
        there = self.move(trip)
        told = moved(view_of(there))
        assert told is not None
        self.assertEqual((told.more, self.terms(there)["update"]), (1, 2))
        said = " ".join(self.vexo.run("--as", "ada", "move", str(there.pk)).stdout.split())
        self.assertIn("1 would write here what there was nothing to write of", said)

    def test_where_it_cannot_be_it_says_so(self) -> None:
        trip = self.tried((self.numbers(1)[0], "x"))
        with self.assertRaisesRegex(PlainError, "already"):
            move_trip(view_of(trip), self.person, self.practice)
        made, path = self.out(next(Moving.letter), "notes")
        del path
        with self.assertRaises(PlainError):
            move_trip(view_of(made), self.person, self.live)

    def test_by_command_and_api(self) -> None:
        trip = self.tried((self.numbers(1)[0], "by command"))
        told = self.vexo.json("--as", "ada", "move", str(trip.pk), "harbour-live")
        self.assertEqual((told["moved"]["trip"], told["moved"]["alike"] + told["moved"]["differs"]), (trip.pk, 1))
        self.assertIn("was not moved", self.vexo.fails("--as", "ada", "move", str(trip.pk)))
        client = Client()
        client.force_login(self.person)
        path = f"/api/trips/{trip.pk}/move"
        asked = client.post(path, {"application": "harbour-live"}, content_type="application/json")
        self.assertEqual(asked.status_code, 202, asked.content)
