"""A reading of many pages is complete and without repeats, however often the work is killed or stopped."""

from __future__ import annotations

from typing import Any
from unittest.mock import patch

from tests.server.killing import Killed, take_over
from tests.server.sending_case import EELGRASS, SendingCase, rows_of
from tests.support import register, template

template()

from vexo.core.documents import SendOut  # noqa: E402
from vexo.core.wording import thousands  # noqa: E402
from vexo.server.data_folder import absolute  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import do, enqueue, run_inline  # noqa: E402
from vexo.server.sendout import record_pieces  # noqa: E402
from vexo.server.sendout.selection import begin  # noqa: E402
from vexo.server.sendout.send_out import go_on  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.trips.part_view import PartView  # noqa: E402


class LongReadings(SendingCase):
    """Readings in small pages and pieces, as long ones are in large."""

    def setUp(self) -> None:
        super().setUp()
        self.enterContext(patch("vexo.applications.odata.paging.PAGE", 50))
        self.enterContext(patch.object(record_pieces, "_PIECE", 100))

    def killed(self, job: Any, after: int) -> None:
        """Do a job until it is killed after so many pages."""
        from vexo.server.jobs.leases import Lease

        progress, pages = Lease.progress, iter(range(after))

        def step(lease: Any, done: int, total: int, message: str = "") -> None:
            progress(lease, done, total, message)
            if message.startswith("reading records,") and next(pages, None) is None:
                raise Killed

        with patch.object(Lease, "progress", step), self.assertRaises(Killed):
            do(job)
        Job.objects.filter(pk=job.pk).update(lease_until=1.0)

    def test_a_kill_in_the_middle_ends_with_the_complete_file_and_no_row_twice(self) -> None:
        there = self.berths(EELGRASS)
        trip = begin(self.practice, SendOut("Berth", ("status",), EELGRASS), "ada")
        job = enqueue("send out", "ada", PartView.of(trip), run_here=True)
        self.killed(job, 6)
        kept = list(absolute(record_pieces.folder_of(trip)).glob("*.parquet"))
        self.assertEqual(len(kept), 3)
        asked: list[str] = []
        client = "vexo.applications.odata.client.ODataClient.read"
        from vexo.applications.odata import ODataClient

        original = ODataClient.read

        def read(own: Any, *arguments: Any, **more: Any) -> Any:
            asked.append(more.get("after", ""))
            return original(own, *arguments, **more)

        with patch(client, read):
            ended = take_over()
        self.assertEqual((ended.error, ended.result["rows"]), ("", len(there)))
        self.assertEqual(asked, [str(sorted(b["id"] for b in there)[299])])
        _, rows = rows_of(self.sheets(trip)[0])
        self.assertEqual(sorted(int(row[0]) for row in rows), sorted(b["id"] for b in there))
        self.assertFalse(absolute(record_pieces.folder_of(trip)).exists())
        self.assertEqual(trip.kept_copies.get().rows, len(there))

    def test_a_kill_after_all_was_written_down_makes_no_second_sheet(self) -> None:
        trip = begin(self.practice, SendOut("Berth", ("status",), f"{EELGRASS} and status eq 'closed'"), "ada")
        job = enqueue("send out", "ada", PartView.of(trip), run_here=True)
        with patch("vexo.server.sendout.send_out.forget", side_effect=Killed), self.assertRaises(Killed):
            do(job)
        Job.objects.filter(pk=job.pk).update(lease_until=1.0)
        self.assertEqual(take_over().result["rows"], trip.sheets.get().rows)
        self.assertEqual(trip.kept_copies.count(), 1)

    def test_records_that_vanish_between_two_pages_take_no_others_with_them(self) -> None:
        there = [b for b in self.berths("harbour eq 'GULLPOINT'") if b["status"] == "free"]
        lost: list[int] = []
        from vexo.server.jobs.leases import Lease

        progress = Lease.progress

        def step(lease: Any, done: int, total: int, message: str = "") -> None:
            progress(lease, done, total, message)
            if message.startswith("reading records,") and len(lost) < 3:
                free = [b["id"] for b in there if b["id"] not in lost]
                with register().client() as client:
                    for identifier in free[-1:] if lost else free[:1]:
                        lost.append(identifier)
                        client.delete(f"Berths({identifier})")

        with patch.object(Lease, "progress", step):
            trip = self.send(SendOut("Berth", ("status",), "harbour eq 'GULLPOINT'"))
        self.assertEqual(len(lost), 3)
        _, rows = rows_of(self.sheets(trip)[0])
        still = {str(b["id"]) for b in self.berths("harbour eq 'GULLPOINT'")}
        found = [row[0] for row in rows]
        self.assertEqual(len(found), len(set(found)))
        self.assertLessEqual(still, set(found))

    def test_stopped_and_gone_on_with(self) -> None:
        trip = begin(self.practice, SendOut("Berth", ("status",), EELGRASS), "ada")
        job = enqueue("send out", "ada", PartView.of(trip), run_here=True)
        Job.objects.filter(pk=job.pk).update(wanted="stop")
        do(job)
        job.refresh_from_db()
        self.assertEqual(job.state, Job.STOPPED)
        self.assertIn("Stopped after 50 of", job.message)
        self.assertFalse(trip.sheets.exists())
        from vexo.server.trips.status import TripStatus

        self.assertEqual(TripStatus(PartView.of(Trip.objects.get(pk=trip.pk))).needs().says, "did not go out yet")
        again = run_inline(go_on(PartView.of(trip), self.person, run_here=True))
        self.assertEqual((again.state, again.result["rows"]), (Job.DONE, len(self.berths(EELGRASS))))
        with self.assertRaisesRegex(Exception, "Nothing is left"):
            go_on(PartView.of(trip), self.person)

    def test_progress_tells_the_rate_and_the_time_left(self) -> None:
        self.assertEqual(record_pieces.rest_of(500, 2000, 100.0), ", 100 a second, 15 s left")
        self.assertEqual(record_pieces.rest_of(500, 200_000, 1000.0), f", {thousands(1000)} a second, 3 min left")
