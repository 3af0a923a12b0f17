"""A sheet without a stamp finds its trip by what stands in it, or is asked about."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from typing import Any
from unittest.mock import patch

from tests.server.services import ServiceCase
from tests.support import template

template()

from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.recognition import likely_trips  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.uploads import upload_cells  # noqa: E402
from vexo.server.uploads.receive import take_file  # noqa: E402
from vexo.server.uploads.waiting import start_recognising  # noqa: E402

Rows = list[list[str]]


class Recognising(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        Trip.objects.all().delete()

    def sent(self, letter: str = "D", **more: Any) -> tuple[Any, Rows]:
        """Berths sent out as delimited text: the trip, and the sheet's lines."""
        trip, path = self.out(letter, "daily_rate", "services", "status", "notes", format_="csv", **more)
        return trip, list(csv.reader(io.StringIO(path.read_text(encoding="utf-8-sig"))))

    def recognised(self, lines: Rows, delimiter: str = ";", name: str = "back.csv") -> dict[str, Any]:
        out = io.StringIO()
        csv.writer(out, delimiter=delimiter).writerows(lines)
        job = run_inline(start_recognising(take_file(self.text(out.getvalue(), name), "ada"), self.person))
        self.assertEqual(job.error, "")
        return dict(job.result)

    def test_columns_deleted_moved_renamed_and_added_rows_too(self) -> None:
        trip, lines = self.sent()
        at = lines[0].index("Daily rate")
        ways: dict[str, Callable[[list[str]], list[str]]] = {
            "as it was": lambda line: line,
            "a column deleted": lambda line: line[:at] + line[at + 1 :],
            "the other way round": lambda line: line[::-1],
            "a column added": lambda line: [*line, "my own words"],
            "only keys and one more": lambda line: [line[0], line[lines[0].index("Status")]],
        }
        for way, change in ways.items():
            with self.subTest(way):
                self.assertEqual(self.recognised([change(line) for line in lines])["trip"], trip.pk)
        with self.subTest("a header renamed"):
            status = lines[0].index("Status")
            head = ["state of it" if n == status else name for n, name in enumerate(lines[0])]
            self.assertEqual(self.recognised([head, *lines[1:]])["trip"], trip.pk)
        with self.subTest("rows deleted, in another order, and cells edited"):
            some = [
                [*line[:at], "99.5", *line[at + 1 :]] if n % 4 == 0 else line for n, line in enumerate(lines[:0:-1])
            ]
            found = self.recognised([lines[0], *some[::2]])
            self.assertEqual(found["trip"], trip.pk)
            self.assertRegex(found["account"], rf"[\d,]+ of [\d,]+ cells are as trip {trip.pk} sent them out")

    def test_numbers_written_otherwise_are_the_same(self) -> None:
        trip, lines = self.sent()
        at = lines[0].index("Daily rate")
        shorter = [[*line[:at], line[at].rstrip("0").rstrip("."), *line[at + 1 :]] for line in lines[1:]]
        self.assertEqual(self.recognised([lines[0], *shorter])["trip"], trip.pk)

    def test_keys_alone_and_a_tie_are_asked_about(self) -> None:
        trip, lines = self.sent()
        keys = self.recognised([line[:3] for line in lines])
        self.assertIsNone(keys["trip"])
        self.assertEqual(([one["trip"] for one in keys["likely"]], keys["account"]), ([trip.pk], ""))
        other, _ = self.sent()
        tie = self.recognised(lines)
        self.assertIsNone(tie["trip"])
        self.assertEqual({one["trip"] for one in tie["likely"]}, {trip.pk, other.pk})
        path = self.text("\n".join(",".join(line) for line in lines))
        said = self.vexo.run("--as", "ada", "bring-in", "harbour-practice", "Berth", str(path))
        self.assertEqual(said.returncode, 2)
        for one in (trip, other):
            self.assertIn(f"trip {one.pk}", said.stderr)
        self.assertIn("--trip", said.stderr)

    def test_a_foreign_sheet_that_is_its_trip_s_newest_but_for_a_cell_is_asked_about(self) -> None:
        head = ["harbour", "berth_no", "notes", "depth_m"]
        lines = [head, *[["EELGRASS", f"D-{n:03}", f"note {n}", f"{n}.5"] for n in range(1, 9)]]
        text = "\n".join(",".join(line) for line in lines)
        trip = self.bring(text)
        corrected = [head, [*lines[2][:3], "2.9"], *lines[3:], lines[1]]
        told = self.recognised(corrected)
        self.assertEqual((told["trip"], [one["trip"] for one in told["likely"]]), (None, [trip.pk]))
        self.assertIn(f"31 of 32 cells are as in the newest sheet of trip {trip.pk}", str(told["likely"]))
        path = self.text("\n".join(",".join(line) for line in corrected), "corrected.csv")
        asked = ("--as", "ada", "bring-in", "harbour-practice", "Berth", str(path))
        self.assertIn("Say which it is, or that it is none", self.vexo.fails(*asked))
        self.assertEqual(self.vexo.json(*asked, "--trip", str(trip.pk), "--json")["trip"], trip.pk)
        others = [[line[0], f"E-{n:03}", f"other {n}", f"{n}.25"] for n, line in enumerate(lines[1:], 1)]
        self.assertEqual(self.recognised([head, *others], name="others.csv")["likely"], [])
        self.apply(trip)
        trip.refresh_from_db()
        once_more = [head, [*corrected[1][:3], "2.8"], *corrected[2:]]
        self.assertEqual(self.recognised(once_more, name="next-month.csv")["likely"], [])

    def test_strangers_are_strangers(self) -> None:
        self.sent()
        stranger = self.recognised([["berth", "colour"], ["D-001", "red"], ["Z-9", "blue"]])
        self.assertEqual((stranger["trip"], stranger["likely"]), (None, []))
        self.assertEqual(stranger["account"], "It is like none that went out from here.")
        nobody = self.recognised([["Berth no.", "Daily rate"], ["Q-1", "1"], ["Q-2", "2"]])
        self.assertEqual((nobody["trip"], nobody["likely"]), (None, []))

    def test_a_sheet_from_live_is_not_taken_for_practice(self) -> None:
        trip, lines = self.sent(application=self.live)
        self.assertEqual(self.recognised(lines)["application"], "harbour-live")
        path = self.text("\n".join(",".join(line) for line in lines))
        self.vexo.run(
            "--as", "ada", "bring-in", "harbour-practice", "Berth", str(path), "--key", "berth_no", "--key", "harbour"
        )
        made = Trip.objects.order_by("-id").first()
        self.assertNotEqual(made.pk, trip.pk)
        self.assertFalse(made.sheets.last().recognised)

    def test_where_the_trip_is_said_none_is_looked_at(self) -> None:
        trip, lines = self.sent()
        self.sent("E")
        upload = take_file(self.text("\n".join(",".join(line) for line in lines), "said.csv"), "ada")
        with patch.object(likely_trips, "sent_cells", wraps=likely_trips.sent_cells) as looked_at:
            asked = ImportRequest(trip=str(trip.pk))
            job = start_bringing_in(self.practice, "Berth", upload, self.person, asked, run_here=True)
            self.assertEqual(run_inline(job).error, "")
        self.assertEqual(looked_at.call_count, 0)
        brought = trip.sheets.last()
        self.assertEqual((brought.origin, brought.recognised), ({"how": "chosen", "account": ""}, True))

    def test_a_trip_whose_kept_copy_is_lost_stands_in_no_other_s_way(self) -> None:
        lost, _ = self.sent("E")
        trip, lines = self.sent()
        absolute(lost.kept_copies.get().path).unlink()
        self.assertEqual(self.recognised(lines)["trip"], trip.pk)
        path = self.text("\n".join(",".join(line) for line in lines), "back.csv")
        said = self.vexo.run("--as", "ada", "bring-in", "harbour-practice", "Berth", str(path))
        self.assertEqual(said.returncode, 0, said.stderr)

    def test_what_could_not_be_looked_at_is_noticed(self) -> None:
        lost, lines = self.sent()
        absolute(lost.kept_copies.get().path).unlink()
        sent = [self.sent(letter)[0] for letter in "EF"]
        found = self.recognised(lines)
        self.assertIsNone(found["trip"])
        self.assertEqual([one["kind"] for one in found["noticed"]], ["trip-lost"])
        self.assertIn("It is like no trip that was looked at. Whether", found["account"])
        self.assertIn(f"of trip {lost.pk} could not be looked at: files/", found["noticed"][0]["text"])
        upload = take_file(self.text("\n".join(",".join(line) for line in lines), "back.csv"), "ada")
        job = run_inline(start_bringing_in(self.practice, "Berth", upload, self.person, ImportRequest(), run_here=True))
        self.assertEqual(job.error, "")
        findings = Trip.objects.get(pk=job.result["trip"]).sheets.last().profile.findings
        self.assertEqual([one.kind for one in findings], ["trip-lost"])
        with patch.object(likely_trips, "_MOST_TRIPS", 1):
            kinds = {one["kind"] for one in self.recognised(lines)["noticed"]}
        self.assertEqual((kinds, len(sent)), ({"older-trips"}, 2))

    def test_a_file_is_read_once_between_its_drop_and_review(self) -> None:
        trip, lines = self.sent()
        path = self.text("\n".join(",".join(line) for line in lines))
        upload = take_file(path, "ada")
        with patch.object(upload_cells, "read_sheet", wraps=upload_cells.read_sheet) as reads:
            found = run_inline(start_recognising(upload, self.person)).result
            job = start_bringing_in(
                self.practice, "Berth", upload, self.person, ImportRequest(trip=str(found["trip"])), run_here=True
            )
            self.assertEqual(run_inline(job).error, "")
        self.assertEqual(reads.call_count, 1)
        self.assertEqual(self.terms(trip), {"same": len(lines) - 1})
