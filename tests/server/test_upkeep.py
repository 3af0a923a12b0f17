"""Deleting, halves of files, and what takes room: nothing goes that is needed."""

from __future__ import annotations

import os
import time
from datetime import timedelta
from pathlib import Path
from types import SimpleNamespace
from unittest.mock import patch

from tests.server.services import view_of
from tests.support import template, temporary_folder

template()

from django.test import Client  # noqa: E402
from django.utils import timezone  # noqa: E402

from tests.server.upkeep_case import BERTHS, UpkeepCase  # noqa: E402
from vexo.server.errors import NotAllowed, PlainError  # noqa: E402
from vexo.server.jobs.models import Job  # noqa: E402
from vexo.server.jobs.worker import enqueue, run_inline  # noqa: E402
from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.passes.models import Pass, Scheduled  # noqa: E402
from vexo.server.people import services  # noqa: E402
from vexo.server.trips.models import Trip  # noqa: E402
from vexo.server.upkeep import deleting, disk, retention  # noqa: E402
from vexo.server.upkeep.models import KeptReceipt  # noqa: E402
from vexo.server.uploads import receive  # noqa: E402
from vexo.server.uploads.models import Upload  # noqa: E402


class Deleting(UpkeepCase):
    def test_a_trip_goes_with_all_that_is_its_own_and_with_nothing_of_others(self) -> None:
        before = self.files()
        sent, sheet = self.out("D")
        stays = self.applied("stays")
        self.back(sheet)
        at_first = self.files()
        trip = self.applied("goes", "B-004")
        self.assertGreater(len(self.files() - at_first), 3)
        answer = self.client.delete(f"/api/trips/{trip.pk}")
        self.assertEqual(answer.status_code, 200, answer.content)
        told = answer.json()
        self.assertGreater(told["bytes"], 1000)
        receipt = KeptReceipt.objects.get(trip=trip.pk)
        self.assertEqual(self.files() - at_first, {receipt.path})
        self.assertEqual(at_first - self.files(), set(), "of the other trips nothing went")
        self.assertLess(before, self.files())
        self.nothing_named_is_missing()
        for gone in (Trip, Pass, Job):
            self.assertFalse(gone.objects.filter(**{"pk" if gone is Trip else "trip": trip.pk}).exists())
        for kept in (stays, sent):
            self.assertEqual(self.client.get(f"/api/trips/{kept.pk}").status_code, 200)
        self.assertEqual(self.client.get(f"/api/trips/{stays.pk}/rows").status_code, 200)
        self.assertEqual(self.client.get(f"/api/trips/{trip.pk}").status_code, 404)
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}").status_code, 422)
        entry = Entry.objects.filter(what="deleted").latest("id")
        self.assertEqual((entry.trip, entry.application), (trip.pk, "harbour-practice"))
        self.assertIn("its receipt is kept", entry.message)
        self.assertNotIn("goes", entry.message)
        self.assertGreater(Entry.objects.filter(trip=trip.pk).count(), 2, "what was done stays written down")

    def test_its_receipt_tells_what_was_written_after_it_has_gone(self) -> None:
        trip = self.applied("as evidence", "B-005")
        self.client.delete(f"/api/trips/{trip.pk}")
        number = next(one["id"] for one in self.client.get("/api/upkeep").json()["receipts"] if one["trip"] == trip.pk)
        answer = self.client.get(f"/api/upkeep/receipts/{number}")
        path = self.vexo.data / "r.xlsx"
        path.write_bytes(b"".join(answer.streaming_content))
        import openpyxl

        book = openpyxl.load_workbook(path)
        text = "\n".join(str(cell.value) for sheet in book for line in sheet for cell in line if cell.value)
        self.assertIn("as evidence", text)
        self.assertIn("ada", text.lower())

    def test_without_its_receipt_nothing_of_it_stays_and_no_nonsense_is_taken_for_yes(self) -> None:
        trip = self.applied("without", "B-006")
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}?receipts=no").status_code, 400)
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}?receipt=delete").status_code, 422)
        self.assertTrue(Trip.objects.filter(pk=trip.pk).exists())
        told = self.client.delete(f"/api/trips/{trip.pk}?receipts=delete").json()
        self.assertEqual(told["receipts"], 0)
        self.assertFalse(any(f"/{trip.pk}/" in name for name in self.files()))
        self.assertFalse(KeptReceipt.objects.filter(trip=trip.pk).exists())

    def test_never_while_a_pass_is_open_a_plan_waits_or_work_goes_on(self) -> None:
        trip = self.applied("open", "B-007")
        for state in Pass.OPEN:
            Pass.objects.filter(trip=trip).update(state=state)
            self.assertIn("has not ended", self.client.delete(f"/api/trips/{trip.pk}").json()["detail"])
            self.aged(trip, 9)
            self.assertNotIn(
                trip.pk, [one.pk for one in retention.old_trips(retention.KeepFor(trips=1), timezone.now())]
            )
        Pass.objects.filter(trip=trip).update(state=Pass.ENDED)
        plan = Pass.objects.get(trip=trip).plan
        waits = Scheduled.objects.create(trip=trip, plan=plan, at=timezone.now(), by="ada")
        self.assertIn("waits for its time", self.client.delete(f"/api/trips/{trip.pk}").json()["detail"])
        waits.delete()
        job = enqueue("plan", "ada", view_of(trip))
        self.assertIn("under way", self.client.delete(f"/api/trips/{trip.pk}").json()["detail"])
        job.delete()
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}").status_code, 200)

    def test_only_administrators_by_any_way(self) -> None:
        trip = self.bring(BERTHS.format("B-008", "mine"))
        for role in ("viewer", "preparer", "operator"):
            one = services.add(self.person, f"u-{role}", role, role)
            client = Client()
            client.force_login(one)
            self.assertEqual(client.delete(f"/api/trips/{trip.pk}").status_code, 403)
            self.assertEqual(client.get("/api/upkeep").status_code, 403)
            with self.assertRaises(NotAllowed):
                deleting.delete_by_hand(one, trip.pk)
            with self.assertRaises(NotAllowed):
                retention.set_retention(one, trips=3)
            for command in (("delete", str(trip.pk), "--yes"), ("disk",), ("retention", "--trips", "3", "--keep")):
                self.assertEqual(self.vexo.run("--as", one.username, *command).returncode, 2, command)
        told = self.vexo.json("--as", "ada", "delete", str(trip.pk), "--yes")
        self.assertEqual((told["deleted"], told["receipts"]), (trip.pk, 0))

    def test_a_moved_trip_lives_on_without_the_one_it_came_from_and_the_other_way_round(self) -> None:
        _, sheet = self.out("E")
        job = self.back(sheet)
        first = self.trip_of(job)
        self.vexo.run("--as", "ada", "move", str(first.pk), "harbour-live")
        moved = Trip.objects.latest("id")
        self.assertEqual(moved.moved_from_id, first.pk)
        self.client.delete(f"/api/trips/{first.pk}")
        self.nothing_named_is_missing()
        self.assertEqual(run_inline(enqueue("plan", "ada", view_of(moved), run_here=True)).error, "")
        self.client.delete(f"/api/trips/{moved.pk}")
        self.nothing_named_is_missing()

    def test_a_receipt_that_cannot_be_made_leaves_the_trip(self) -> None:
        trip = self.applied("lost", "B-009")
        pass_ = Pass.objects.get(trip=trip)
        (self.vexo.data / pass_.plan_file).unlink()
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}").status_code, 422)
        self.assertTrue(Trip.objects.filter(pk=trip.pk).exists())
        self.assertEqual([name for name in self.files() if name.startswith(f"files/receipts/receipt-{trip.pk}")], [])
        self.assertEqual(self.client.delete(f"/api/trips/{trip.pk}?receipts=delete").status_code, 200)


class Uploads(UpkeepCase):
    def begin(self, size: int = 1000, by: str = "ada") -> Upload:
        return receive.begin("half.csv", size, by)

    def test_a_half_upload_can_be_left_and_is_gone_after_a_day(self) -> None:
        Upload.objects.all().delete()
        half, other = self.begin(), self.begin(by="ines")
        receive.add(half.pk, "ada", 0, b"x" * 500)
        self.assertEqual(self.client.delete(f"/api/uploads/{other.pk}").status_code, 422, "another's")
        self.assertEqual(self.client.delete(f"/api/uploads/{half.pk}").status_code, 200)
        self.assertFalse((self.vexo.data / half.path).exists())
        self.assertEqual(self.thin()["uploads"], 0)
        Upload.objects.filter(pk=other.pk).update(began_at=timezone.now() - timedelta(hours=25))
        self.assertEqual(self.thin()["uploads"], 1)
        self.assertFalse((self.vexo.data / other.path).exists())

    def test_one_person_cannot_fill_the_disk_with_halves_but_others_go_on(self) -> None:
        Upload.objects.all().delete()
        for _ in range(20):
            self.begin(10)
        with self.assertRaisesRegex(PlainError, "have not come whole"):
            self.begin(10)
        self.begin(10, "ines")
        Upload.objects.all().delete()
        for _ in range(60):
            receive.add(self.begin(10).pk, "ada", 0, b"x" * 10)
        Upload.objects.all().delete()
        self.begin(receive.LARGEST)
        self.begin(receive.LARGEST)
        with self.assertRaises(PlainError):
            self.begin(1)
        Upload.objects.all().delete()

    def test_a_backup_has_no_halves(self) -> None:
        Upload.objects.all().delete()
        half = self.begin()
        whole = receive.take_file(self.text("a,b\n1,2\n"), "ada")
        target = self.vexo.data / "b.tar.gz"
        self.vexo.run("--as", "ada", "backup", str(target))
        import tarfile

        with tarfile.open(target) as tar:
            names = tar.getnames()
        self.assertIn(whole.path, names)
        self.assertNotIn(half.path, names)
        self.assertIn("is whole", self.vexo.run("restore", "--check", str(target)).stdout)


class HalfWritten(UpkeepCase):
    def test_what_a_killed_process_left_goes_after_a_day_and_what_is_being_written_stays(self) -> None:
        self.applied("half", "C-008")
        before = self.files()
        folder, names = self.vexo.data, ("old", "new")
        left = ["files/9/.{}.part", "files/9/.{}/000000.parquet", "stages/reading/.{}.parquet", ".backup-{}/vexo.db"]
        paths = {name: [folder / place.format(name) for place in left] for name in names}
        for path in (*paths["old"], *paths["new"]):
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(b"half")
        for path in paths["old"]:
            os.utime(path, (time.time() - 25 * 3600,) * 2)
        other = folder / ".of-somebody-else"
        other.write_bytes(b"theirs")
        os.utime(other, (0, 0))
        self.addCleanup(other.unlink)
        self.assertEqual(self.thin()["half written"], len(left))
        self.assertEqual([path for path in paths["old"] if path.exists()], [])
        self.assertEqual(
            [path.parent.name for path in paths["old"] if not path.parent.exists()], [".old", ".backup-old"]
        )
        self.assertEqual([path.read_bytes() for path in paths["new"]], [b"half"] * len(left))
        self.assertTrue(other.exists(), "not Vexo's")
        for path in paths["new"]:
            os.utime(path, (0, 0))
        self.thin()
        self.assertEqual(self.files(), before)


class Disk(UpkeepCase):
    def test_what_lies_on_another_disk_takes_room_and_needs_it(self) -> None:
        self.applied("room", "C-007")
        taken = disk.room_taken()
        files, elsewhere = self.vexo.data / "files", temporary_folder() / "other"
        files.rename(elsewhere)
        self.addCleanup(elsewhere.rename, files)
        files.symlink_to(elsewhere)
        self.addCleanup(files.unlink)
        self.assertEqual(disk.room_taken(), taken)
        free = {files: 5, self.vexo.data: 9}
        with patch("shutil.disk_usage", lambda path: SimpleNamespace(free=free.get(path, 7))):
            self.assertEqual(disk.room_free(), 5)

    def test_each_file_counts_once_under_one_kind(self) -> None:
        self.applied("room", "C-009")
        self.out("B")
        (self.vexo.data / "files" / "uploads").mkdir(exist_ok=True)
        told = self.vexo.json("--as", "ada", "disk")
        self.assertEqual([one["kind"] for one in told["room"]], list(disk.KINDS))
        files = [path for path in self.vexo.data.rglob("*") if path.is_file()]
        self.assertAlmostEqual(sum(one["files"] for one in told["room"]), len(files), delta=2)
        by_kind = {one["kind"]: one for one in told["room"]}
        for kind in ("database", "sheets", "kept copies", "plans and passes", "uploads", "cache"):
            self.assertGreater(by_kind[kind]["bytes"], 0, kind)
        self.assertGreater(told["free"], 0)
        self.assertIn("are free on its disk", self.vexo.run("--as", "ada", "disk").stdout)
        self.assertEqual(disk.kind_of(Path("files/7/kept-1.parquet")), "kept copies")
        self.assertEqual(disk.kind_of(Path("files/uploads/7")), "uploads")
        self.assertEqual(disk.kind_of(Path("stages/7/plan-1.parquet")), "cache")

    def test_metrics_are_for_who_is_known_and_say_what_is_open(self) -> None:
        self.assertEqual(Client().get("/metrics").status_code, 401)
        text = self.client.get("/metrics").content.decode()
        for name in (
            "vexo_up{",
            "vexo_jobs",
            "vexo_disk_bytes{kind=",
            "vexo_requests_total{",
            "vexo_request_seconds_bucket",
        ):
            self.assertIn(name, text)
        self.assertIn('vexo_trouble{code="worker"}', text)
        self.assertNotIn("Quillfeather", text)
        from prometheus_client.parser import text_string_to_metric_families

        self.assertGreater(len(list(text_string_to_metric_families(text))), 8)
